import {
  closeHoles,
  denoiseSkin,
  GeometryError,
  heal,
  refineSkin,
  remeshSkin,
  runOperation,
  simplify,
  type OperationResult,
  type RunContext,
  type TriangleMesh,
} from '@holosoma/core'
import { context, describeShape, type Common } from './commands'
import { loadMesh, saveShape } from './files'
import { print } from './report'

/** One act on a mesh: read, done, written, told. */
async function act(
  files: readonly [string, string],
  options: Common,
  run: (mesh: TriangleMesh, context: RunContext) => Promise<OperationResult<unknown>>,
): Promise<void> {
  const { outputs, figures, findings } = await run(await loadMesh(files[0]), context(options))
  await saveShape(outputs.mesh as TriangleMesh, files[1])
  print({ output: files[1], ...figures, findings }, !!options.json)
}

interface MendOptions extends Common {
  holes: string
  flat?: boolean
  heal?: boolean
  crumbs: number
}

/** Holes closed, all or up to a rim, along the curve or flat; with `--heal` all else that is safe to cure, too. */
export async function mend(input: string, output: string, options: MendOptions): Promise<void> {
  const { holes } = options
  const kind = options.flat || holes === 'flat' ? 'flat' : 'curved'
  const isAll = holes === 'all' || holes === 'flat' || holes === 'curved'
  const limit = isAll || holes === 'none' ? null : Number(holes)
  if (limit !== null && !(limit > 0))
    throw new GeometryError('PARAMS', `--holes takes all, none, flat, curved or a rim in mm, not "${holes}".`)
  if (options.heal) {
    if (limit !== null || kind === 'flat')
      throw new GeometryError('PARAMS', '--heal closes all holes along the curve, or none with --holes none.')
    return act([input, output], options, (mesh, ctx) =>
      runOperation(heal, { mesh }, { crumbs: options.crumbs, keepsHoles: holes === 'none' }, ctx),
    )
  }
  if (holes !== 'none')
    return act([input, output], options, (mesh, ctx) =>
      runOperation(closeHoles, { mesh }, { perimeterMm: limit, kind }, ctx),
    )
  const mesh = await loadMesh(input)
  await saveShape(mesh, output)
  print({ output, closedHoles: 0, ...(await describeShape(mesh, options)) }, !!options.json)
}

export const simplifyFile = (
  input: string,
  output: string,
  options: Common & { faces?: number; deviation?: number },
): Promise<void> =>
  act([input, output], options, (mesh, ctx) =>
    runOperation(
      simplify,
      { mesh },
      {
        ...(options.faces !== undefined && { faces: options.faces }),
        ...(options.deviation !== undefined && { deviationMm: options.deviation }),
      },
      ctx,
    ),
  )

export const remesh = (
  input: string,
  output: string,
  options: Common & { edge: number; flat?: boolean },
): Promise<void> =>
  act([input, output], options, (mesh, ctx) =>
    runOperation(remeshSkin, { mesh }, { edgeMm: options.edge, largeWhereFlat: !!options.flat }, ctx),
  )

export const denoiseFile = (
  input: string,
  output: string,
  options: Common & { cap: number; edges: 'rounded' | 'kept' | 'true' },
): Promise<void> =>
  act([input, output], options, (mesh, ctx) =>
    runOperation(denoiseSkin, { mesh }, { capMm: options.cap, edges: options.edges }, ctx),
  )

export const refine = (input: string, output: string, options: Common): Promise<void> =>
  act([input, output], options, (mesh, ctx) => runOperation(refineSkin, { mesh }, {}, ctx))
