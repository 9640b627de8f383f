import { join as joinPath } from 'node:path'
import Joi from 'joi'
import {
  GeometryError,
  removeStrays,
  runOperation,
  scaleShape,
  simplify,
  skinTakes,
  trimTable,
  worst,
  healthCheck,
  type Finding,
  type PointCloud,
  type TriangleMesh,
} from '@holosoma/core'
import { joinFiles, motionsFile, TABLE_MODES, type Common } from './commands'
import { outerMotions } from './origins'
import { loadCloud, loadJson, saveJson, saveShape, takeName } from './files'
import { print, terminalContext } from './report'

interface RoadOptions extends Common {
  out: string
  spacing?: number
  picks?: string
  initial?: string
  fixed?: string
  table: string
  recipe?: string
}

/** Parameters of the road as a file; all optional. */
interface Recipe {
  trimTable?: object | false
  removeStrays?: object | false
  skin?: { spacingMm?: number }
  scale?: object
  simplify?: object
}

// The operations check their own parameters; here only what a recipe may hold.
const recipeSchema = Joi.object<Recipe>({
  trimTable: Joi.alternatives(Joi.object(), Joi.valid(false)),
  removeStrays: Joi.alternatives(Joi.object(), Joi.valid(false)),
  skin: Joi.object({ spacingMm: Joi.number().positive() }),
  scale: Joi.object(),
  simplify: Joi.object(),
})

function checkRecipe(value: unknown, path: string): Recipe {
  const { value: recipe, error } = recipeSchema.validate(value, { convert: false })
  if (error) throw new GeometryError('PARAMS', `The recipe "${path}": ${error.details[0].message.replaceAll('"', '')}.`)
  return recipe
}

/**
 * The whole road without a database: tidy each take, join, one skin, scale when the recipe has readings, check, write.
 */
export async function runRoad(files: string[], options: RoadOptions): Promise<void> {
  const context = terminalContext(options.seed, !process.stderr.isTTY)
  const recipe: Recipe = options.recipe ? checkRecipe(await loadJson(options.recipe), options.recipe) : {}
  const names = files.map(takeName)
  if (new Set(names).size < names.length)
    throw new GeometryError('PARAMS', 'Two takes have the same name; rename one of the files.')
  if (TABLE_MODES[options.table] === undefined)
    throw new GeometryError('PARAMS', `--table takes auto, always or none, not "${options.table}".`)
  const findings: Finding[] = []
  const steps: Record<string, unknown>[] = []
  const note = (
    operation: string,
    result: { figures: object; findings: readonly Finding[]; details?: unknown },
    take?: string,
  ): void => {
    steps.push({
      operation,
      ...(take && { take }),
      ...result.figures,
      ...(result.details !== undefined && { details: result.details }),
    })
    findings.push(...result.findings)
  }
  const takes: PointCloud[] = []
  for (const [i, file] of files.entries()) {
    let take = await loadCloud(file)
    if (options.table !== 'none' && recipe.trimTable !== false) {
      const cut = await runOperation(
        trimTable,
        { take },
        { ...TABLE_MODES[options.table], ...recipe.trimTable },
        context,
      )
      note('tidy.trimTable', cut, names[i])
      take = cut.outputs.take as PointCloud
    }
    if (recipe.removeStrays !== false) {
      const clean = await runOperation(removeStrays, { take }, recipe.removeStrays ?? {}, context)
      note('tidy.removeStrays', clean, names[i])
      take = clean.outputs.take as PointCloud
    }
    takes.push(take)
  }
  const joined = names.length > 1 ? await joinFiles(names, takes, options) : null
  if (joined) {
    note('join.match', joined)
    await saveJson(
      motionsFile(outerMotions(joined.motions, names, takes, options.fixed ?? names[0])),
      joinPath(options.out, 'motions.json'),
    )
  }
  const skin = await runOperation(
    skinTakes,
    { takes, motions: { kind: 'motions', motions: joined?.motions ?? {} } },
    {
      names,
      spacingMm: options.spacing ?? recipe.skin?.spacingMm ?? 0.5,
    },
    context,
  )
  note('skin.make', skin)
  let mesh = skin.outputs.mesh as TriangleMesh
  if (recipe.scale) {
    const scaled = await runOperation(scaleShape, { shape: mesh }, recipe.scale, context)
    note('size.scale', scaled)
    mesh = scaled.outputs.shape as TriangleMesh
  }
  if (recipe.simplify) {
    const fewer = await runOperation(simplify, { mesh }, recipe.simplify, context)
    note('mend.simplify', fewer)
    mesh = fewer.outputs.mesh as TriangleMesh
  }
  const health = await runOperation(healthCheck, { mesh }, {}, context)
  note('mend.health', health)
  const output = joinPath(options.out, 'piece.stl')
  await saveShape(mesh, output)
  await saveShape(mesh, joinPath(options.out, 'piece.ply'))
  const report = {
    output,
    verdict: worst(findings),
    closed: health.figures.closed,
    faces: health.figures.faces,
    steps,
    findings,
  }
  await saveJson(report, joinPath(options.out, 'report.json'))
  print(report, !!options.json)
}
