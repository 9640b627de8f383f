import { join as joinPath } from 'node:path'
import Joi from 'joi'
import { GeometryError, worst, type Finding, type TriangleMesh } from '@holosoma/core'
import { walkRoad, type Motions } from '@holosoma/core/operations'
import { joinParams, motionsFile, TABLE_MODES, type Common } from './commands'
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
  /** Stops at the first step that is not sound. */
  stop?: boolean
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
  const tidy = [
    ...(options.table !== 'none' && recipe.trimTable !== false
      ? [{ operation: 'tidy.trimTable', params: { ...TABLE_MODES[options.table], ...recipe.trimTable } }]
      : []),
    ...(recipe.removeStrays !== false ? [{ operation: 'tidy.removeStrays', params: { ...recipe.removeStrays } }] : []),
  ]
  const clouds = await Promise.all(files.map(loadCloud))
  const fixed = options.fixed ?? names[0]
  const road = walkRoad(
    {
      takes: names.map((name, i) => ({ name, cloud: clouds[i], tidy })),
      join: names.length > 1 ? await joinParams(names, clouds, options) : null,
      // Files keep their own coordinates: nothing is stood upright.
      skin: { spacingMm: options.spacing ?? recipe.skin?.spacingMm ?? 0.5, up: null },
      after: [
        ...(recipe.scale ? [{ operation: 'size.scale', params: { ...recipe.scale } }] : []),
        ...(recipe.simplify ? [{ operation: 'mend.simplify', params: { ...recipe.simplify } }] : []),
      ],
      stops: !!options.stop,
    },
    context,
  )
  let mesh: TriangleMesh | null = null
  let health: Readonly<Record<string, unknown>> = {}
  let last = ''
  for await (const { operation, take, result, unfit } of road) {
    last = operation
    if (unfit !== undefined) throw new GeometryError('DEGENERATE', `“${take}”: ${unfit}`)
    note(operation, result, take)
    const made = result.outputs.mesh ?? result.outputs.shape
    if (made?.kind === 'mesh') mesh = made
    if (operation === 'mend.health') health = result.figures
    if (operation === 'join.match')
      await saveJson(
        motionsFile(outerMotions((result.outputs.motions as Motions).motions, names, clouds, fixed)),
        joinPath(options.out, 'motions.json'),
      )
  }
  // Stopped at a step that was not sound: what there is of a skin is no piece.
  if (last !== 'mend.health' || !mesh) {
    const report = { output: null, verdict: worst(findings), stoppedAt: last, steps, findings }
    await saveJson(report, joinPath(options.out, 'report.json'))
    print(report, !!options.json)
    return
  }
  const output = joinPath(options.out, 'piece.stl')
  await saveShape(mesh, output)
  await saveShape(mesh, joinPath(options.out, 'piece.ply'))
  const report = {
    output,
    verdict: worst(findings),
    closed: health.closed,
    faces: health.faces,
    steps,
    findings,
  }
  await saveJson(report, joinPath(options.out, 'report.json'))
  print(report, !!options.json)
}
