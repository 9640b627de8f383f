import {
  changeMm,
  closeHoles,
  cutPlane,
  denoiseSkin,
  GeometryError,
  heal,
  quietContext,
  type HealthDetails,
  refineSkin,
  remeshSkin,
  runOperation,
  simplify,
  overlapPlane,
  spliceSkin,
  type OperationResult,
  type RunContext,
  type TriangleMesh,
} from '@holosoma/core'
import { context, describeShape, type Common } from './commands'
import { loadMesh, saveShape, writeFormatOf } from './files'
import { print } from './report'

type More = (
  before: TriangleMesh,
  after: TriangleMesh,
  details: unknown,
  figures: OperationResult['figures'],
) => Readonly<Record<string, unknown>>

/** One act on a mesh: read, done, written, told. */
async function act(
  files: readonly [string, string],
  options: Common,
  run: (mesh: TriangleMesh, context: RunContext) => Promise<OperationResult<unknown>>,
  more?: More,
): Promise<void> {
  const before = await loadMesh(files[0])
  const { outputs, figures, findings, details } = await run(before, context(options))
  const after = outputs.mesh as TriangleMesh
  await saveShape(after, files[1])
  print({ output: files[1], ...figures, ...more?.(before, after, details, figures), findings }, !!options.json)
}

/**
 * What mending tells besides its figures: holes left and why, cures by kind, how far the surface lies from what it was.
 * @param isAsked whether a hole with such a rim was to be closed
 */
const mended =
  (isAsked: (rimMm: number) => boolean): More =>
  (before, after, details) => {
    const { holes, cured = {} } = details as HealthDetails & { cured?: Readonly<Record<string, number>> }
    return {
      left: holes.map(({ perimeterMm }) => ({
        rimMm: perimeterMm,
        reason: isAsked(perimeterMm) ? 'whatever is laid over it would cross the surface' : 'it was to stay open',
      })),
      cured,
      changeMm: changeMm(before, after, quietContext()),
    }
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
    return act(
      [input, output],
      options,
      (mesh, ctx) => runOperation(heal, { mesh }, { crumbs: options.crumbs, keepsHoles: holes === 'none' }, ctx),
      mended(() => holes !== 'none'),
    )
  }
  if (holes !== 'none')
    return act(
      [input, output],
      options,
      (mesh, ctx) => runOperation(closeHoles, { mesh }, { perimeterMm: limit, kind }, ctx),
      mended((rimMm) => limit === null || rimMm <= limit),
    )
  const mesh = await loadMesh(input)
  await saveShape(mesh, output)
  print({ output, closedHoles: 0, ...(await describeShape(mesh, options)) }, !!options.json)
}

export const simplifyFile = (
  input: string,
  output: string,
  options: Common & { faces?: number; deviation?: number; megabytes?: number },
): Promise<void> =>
  act([input, output], options, (mesh, ctx) =>
    runOperation(
      simplify,
      { mesh },
      {
        ...(options.faces !== undefined && { faces: options.faces }),
        ...(options.deviation !== undefined && { deviationMm: options.deviation }),
        ...(options.megabytes !== undefined && {
          fileBytes: Math.round(options.megabytes * 1e6),
          fileKind: writeFormatOf(output),
        }),
      },
      ctx,
    ),
  )

export const remesh = (
  input: string,
  output: string,
  options: Common & { edgeLength: number; adaptive?: boolean },
): Promise<void> =>
  act([input, output], options, (mesh, ctx) =>
    runOperation(remeshSkin, { mesh }, { edgeMm: options.edgeLength, largeWhereFlat: !!options.adaptive }, ctx),
  )

export const denoiseFile = (
  input: string,
  output: string,
  options: Common & { cap: number; edges: 'rounded' | 'kept' | 'true' },
): Promise<void> =>
  act(
    [input, output],
    options,
    (mesh, ctx) => runOperation(denoiseSkin, { mesh }, { capMm: options.cap, edges: options.edges }, ctx),
    (_before, _after, _details, { meanMm, mostMm }) => ({ movedMm: { mean: meanMm, max: mostMm } }),
  )

export const refine = (input: string, output: string, options: Common): Promise<void> =>
  act([input, output], options, (mesh, ctx) => runOperation(refineSkin, { mesh }, {}, ctx))

/** A plane as it is written: nx, ny, nz, d; what lies where n·x < d is below it. @throws PARAMS */
function planeOf(text: string): { normal: number[]; offsetMm: number } {
  const numbers = text.split(',').map((part) => (part.trim() === '' ? NaN : Number(part)))
  const length = Math.hypot(...numbers.slice(0, 3))
  if (numbers.length !== 4 || !numbers.every(Number.isFinite) || length === 0)
    throw new GeometryError('PARAMS', `--plane takes a direction and a place, as 0,0,1,5, not "${text}".`)
  return { normal: numbers.slice(0, 3).map((v) => v / length), offsetMm: numbers[3] / length }
}

interface CutOptions extends Common {
  plane: string
  cap?: boolean
  other?: string
}

/** Cut along a plane: what lies below it stays; with `--other` the rest goes into a file of its own. */
export async function cut(input: string, output: string, { plane, cap, other, ...options }: CutOptions): Promise<void> {
  const above = { ...planeOf(plane), cap: !!cap }
  const below = cutPlane.otherSide!(above)
  if (other !== undefined) {
    const rest = await runOperation(cutPlane, { mesh: await loadMesh(input) }, above, context(options))
    await saveShape(rest.outputs.mesh as TriangleMesh, other)
  }
  return act([input, output], options, (mesh, ctx) => runOperation(cutPlane, { mesh }, below, ctx))
}

/** Two surfaces made one along a plane: the first stays below it, the second above. */
export const spliceFiles = async (
  first: string,
  second: string,
  output: string,
  { plane, band, ...options }: Common & { plane?: string; band: number },
): Promise<void> => {
  const other = await loadMesh(second)
  return act([first, output], options, (mesh, ctx) => {
    if (plane === undefined)
      return runOperation(spliceSkin, { mesh, other }, { ...overlapPlane(mesh, other), bandMm: band, of: second }, ctx)
    const { normal, offsetMm } = planeOf(plane)
    // Of the operation, the first stays above.
    const turned = { normal: normal.map((v) => -v), offsetMm: -offsetMm }
    return runOperation(spliceSkin, { mesh, other }, { ...turned, bandMm: band, of: second }, ctx)
  })
}
