import { join as joinPath } from 'node:path'
import {
  captureTake,
  checkTakePlans,
  compareWith,
  DEMO_PIECES,
  GeometryError,
  inspectShape,
  invertRigid,
  compose,
  LAMP_TAKES,
  motionRows,
  motionFromRows,
  operationNamed,
  polygonise,
  removeStrays,
  roughMotion,
  runOperation,
  scaleShape,
  skinTakes,
  ROAD_SPACING_MM,
  TABLETOP_DEVICE,
  thinTake,
  transformPoints,
  trimTable,
  UNIT_MM,
  joinTakes,
  type Motion,
  type PointCloud,
  type Scalars,
  type Shape,
  type Unit,
} from '@holosoma/core'
import { localMotion, localPicks, outerMotions } from './origins'
import { isIdentity } from '@holosoma/core/linear'
import { hasOf, proposeTidy } from '@holosoma/core/plan'
import { loadCloud, loadJson, loadShape, saveJson, saveShape, takeName } from './files'
import { deviationColours } from './deviation-colours'
import { print, terminalContext } from './report'

export interface Common {
  json?: boolean
  seed: number
}

export const context = (o: Common) => terminalContext(o.seed, !process.stderr.isTTY)

export interface MotionsFile {
  unit: 'mm'
  motions: Record<string, number[][]>
}

export async function loadMotions(path: string): Promise<Record<string, number[][]>> {
  const file = await loadJson<MotionsFile>(path)
  if (typeof file.motions !== 'object' || file.motions === null)
    throw new GeometryError('FORMAT', `"${path}" has no "motions".`)
  if (file.unit !== 'mm')
    throw new GeometryError('FORMAT', `"${path}" is in "${String(file.unit)}"; motions are wanted in mm.`)
  for (const [name, rows] of Object.entries(file.motions)) motionFromRows(rows, name)
  return file.motions
}

async function inspect(file: string, options: Common): Promise<void> {
  const shape = await loadShape(file)
  print({ file, ...(await describeShape(shape, options)) }, !!options.json)
}

export async function describeShape(shape: Shape, options: Common): Promise<Record<string, unknown>> {
  const { figures: f, findings, details } = await runOperation(inspectShape, { shape }, {}, context(options))
  const common = {
    kind: f.kind,
    points: f.points,
    boundsMm: { min: [f.minX, f.minY, f.minZ], max: [f.maxX, f.maxY, f.maxZ] },
    sizeMm: [Number(f.maxX) - Number(f.minX), Number(f.maxY) - Number(f.minY), Number(f.maxZ) - Number(f.minZ)],
    unitGuess: { unit: f.unitGuess, reason: f.unitReason },
    normals: f.normals,
    colours: f.colours,
    components: f.components,
  }
  const warnings = [
    ...findings.filter((x) => x.verdict !== 'sound').map((x) => x.text),
    ...(f.farFromZero ? ['coordinates lie far from zero; kept in double'] : []),
  ]
  if (shape.kind === 'cloud') return { ...common, spacingMm: f.spacingMm, warnings }
  const { perimetersMm } = details
  return {
    ...common,
    faces: f.faces,
    vertices: f.vertices,
    boundaryLoops: { n: perimetersMm.length, perimetersMm },
    closed: f.closed,
    manifold: f.manifold,
    selfCrossings: f.crossings,
    areaMm2: f.areaMm2,
    volumeMm3: f.volumeMm3,
    genus: typeof f.genus === 'number' ? f.genus : null,
    zeroAreaFaces: f.zeroAreaFaces,
    nonManifoldEdges: f.nonManifoldEdges,
    nonManifoldVertices: f.nonManifoldVertices,
    flippedEdges: f.flippedEdges,
    warnings,
  }
}

async function convert(input: string, output: string, options: Common & { unit: string }): Promise<void> {
  const unit = options.unit as Unit
  if (!(unit in UNIT_MM))
    throw new GeometryError('PARAMS', `The unit "${options.unit}" is not known; mm, cm, m and in are.`)
  let shape = await loadShape(input)
  if (unit !== 'mm')
    shape = (await runOperation(scaleShape, { shape }, { factor: UNIT_MM[unit] }, context(options))).outputs
      .shape as Shape
  await saveShape(shape, output)
  print({ output, kind: shape.kind, points: shape.positions.length / 3, factor: UNIT_MM[unit] }, !!options.json)
}

/** auto cuts only what looks like a table. */
export const TABLE_MODES: Readonly<Record<string, object | undefined>> = { auto: {}, always: { force: true }, none: {} }

interface TidyOptions extends Common {
  table: string
  strays?: number
  outliers?: string
  spacing?: number
  byItself?: boolean
  bench?: string
  holder?: string
  dots?: number
}

async function tidy(input: string, output: string, options: TidyOptions): Promise<void> {
  const run = context(options)
  let cloud = await loadCloud(input)
  const steps: Record<string, unknown>[] = []
  const apply = async (
    operation: Parameters<typeof runOperation>[0],
    params: unknown,
    more: Record<string, PointCloud> = {},
  ): Promise<void> => {
    const result = await runOperation(operation, { take: cloud, ...more }, params, run)
    cloud = result.outputs.take as PointCloud
    steps.push({ operation: operation.name, ...result.figures })
  }
  if (TABLE_MODES[options.table] === undefined)
    throw new GeometryError('PARAMS', `--table takes auto, always or none, not "${options.table}".`)
  const proposed = options.byItself
    ? proposeTidy({ planned: null, dots: null, bench: false, deviceTable: false, keepBase: true, has: hasOf(cloud) })
    : []
  const last = proposed.pop()
  for (const { operation, params } of proposed) await apply(operationNamed(operation), params)
  if (options.holder)
    await apply(
      operationNamed('tidy.removeHolder'),
      Number.isFinite(Number(options.holder))
        ? { by: 'height', heightMm: Number(options.holder) }
        : { by: options.holder },
    )
  if (options.dots !== undefined) await apply(operationNamed('tidy.removeDots'), { diameterMm: options.dots })
  if (options.bench) await apply(operationNamed('tidy.subtractBench'), {}, { bench: await loadCloud(options.bench) })
  else if (options.table !== 'none') await apply(trimTable, TABLE_MODES[options.table])
  if (last) await apply(operationNamed(last.operation), last.params)
  if (options.strays !== undefined || options.outliers !== undefined) {
    const [k, sigma] = (options.outliers ?? '0,3').split(',').map(Number)
    if (!Number.isInteger(k) || !(sigma > 0))
      throw new GeometryError(
        'PARAMS',
        `--outliers takes a count and a factor such as 20,2, not "${options.outliers}".`,
      )
    await apply(removeStrays, { gapMm: options.strays ?? 1e3, outlierNeighbours: k, outlierSigma: sigma })
  }
  if (options.spacing !== undefined) await apply(thinTake, { spacingMm: options.spacing })
  await saveShape(cloud, output)
  print({ output, points: cloud.positions.length / 3, steps }, !!options.json)
}

export function motionsFile(motions: Record<string, Motion>): MotionsFile {
  return { unit: 'mm', motions: Object.fromEntries(Object.entries(motions).map(([n, m]) => [n, motionRows(m)])) }
}

interface JoinOptions extends Common {
  out: string
  fixed?: string
  picks?: string
  initial?: string
  tolerance?: number
  dots?: number
  colours?: boolean
}

type JoinAsked = Pick<JoinOptions, 'fixed' | 'picks' | 'initial' | 'tolerance' | 'dots' | 'colours'> & Common

/** Parameters of a match, of what was asked on the command line. */
export async function joinParams(
  names: string[],
  takes: PointCloud[],
  options: JoinAsked,
): Promise<Record<string, unknown>> {
  const fixed = options.fixed ?? names[0]
  const picks = options.picks ? localPicks((await loadJson<{ pairs: unknown }>(options.picks)).pairs, names, takes) : []
  const initial = options.initial ? await loadMotions(options.initial) : {}
  const base = takes[names.indexOf(fixed)]
  const known = Object.fromEntries(
    Object.entries(initial)
      .filter(([n]) => names.includes(n))
      .map(([n, rows]) => [n, motionRows(localMotion(motionFromRows(rows, n), takes[names.indexOf(n)], base))]),
  )
  return {
    names,
    fixed,
    picks,
    initial: known,
    ...(options.tolerance && { toleranceMm: options.tolerance }),
    ...(options.dots && { dotsMm: options.dots }),
    colours: !!options.colours,
  }
}

export async function joinFiles(names: string[], takes: PointCloud[], options: JoinAsked) {
  const { outputs, figures, findings, details } = await runOperation(
    joinTakes,
    { takes },
    await joinParams(names, takes, options),
    context(options),
  )
  const motions = (outputs.motions as { motions: Record<string, Motion> }).motions
  return { motions, figures, findings, details }
}

async function join(files: string[], options: JoinOptions): Promise<void> {
  const names = files.map(takeName)
  if (new Set(names).size < names.length)
    throw new GeometryError('PARAMS', 'Two takes have the same name; rename one of the files.')
  const takes: PointCloud[] = []
  for (const f of files) takes.push(await loadCloud(f))
  const { motions, figures, findings, details } = await joinFiles(names, takes, options)
  const file = motionsFile(outerMotions(motions, names, takes, options.fixed ?? names[0]))
  await saveJson(file, joinPath(options.out, 'motions.json'))
  print(
    {
      ...file,
      ...details,
      byShape: figures.byShape,
      toleranceMm: figures.toleranceMm,
      verdict: figures.verdict,
      findings,
    },
    !!options.json,
  )
}

interface SkinOptions extends Common {
  motions?: string
  spacing?: number
  triangles?: number
  dense?: boolean
  flat?: boolean
  edges?: string
  turn?: boolean
  out: string
  open?: boolean
  memory?: number
}

async function skin(files: string[], options: SkinOptions): Promise<void> {
  if (options.spacing === undefined && options.triangles === undefined)
    throw new GeometryError('PARAMS', 'A skin needs --spacing or --triangles, to say how fine it is to be.')
  if (options.spacing !== undefined && options.triangles !== undefined)
    throw new GeometryError('PARAMS', 'Give --spacing or --triangles, not both.')
  const names = files.map(takeName)
  const takes: PointCloud[] = []
  for (const f of files) takes.push(await loadCloud(f))
  const rows = options.motions ? await loadMotions(options.motions) : {}
  const outer = Object.entries(rows)
    .filter(([n]) => names.includes(n))
    .map(([n, r]) => [n, motionFromRows(r, n)] as const)
  const base = takes[names.indexOf(outer.find(([, m]) => isIdentity(m))?.[0] ?? names[0])]
  const motions = Object.fromEntries(outer.map(([n, m]) => [n, localMotion(m, takes[names.indexOf(n)], base)]))
  const { outputs, figures, findings } = await runOperation(
    skinTakes,
    { takes, motions: { kind: 'motions', motions } },
    {
      names,
      ...(options.spacing !== undefined && { spacingMm: options.spacing }),
      triangles: options.triangles ?? null,
      dense: !!options.dense,
      largeWhereFlat: !!options.flat,
      edges: options.edges ?? 'off',
      turn: !!options.turn,
      closed: !options.open,
    },
    { ...context(options), ...(options.memory && { memoryBytes: options.memory * 2 ** 30 }) },
  )
  await saveShape(outputs.mesh as Shape, options.out)
  print({ output: options.out, ...figures, findings }, !!options.json)
}

async function compare(file: string, reference: string, options: Common & { map?: string }): Promise<void> {
  const shape = await loadShape(file)
  const { outputs, figures: f } = await runOperation(
    compareWith,
    { shape, reference: await loadShape(reference) },
    {},
    context(options),
  )
  if (options.map)
    await saveShape(
      { ...shape, colours: deviationColours((outputs.distances as Scalars).values, Number(f.p95Mm) || 1) },
      options.map,
    )
  const unsigned = { meanMm: f.unsignedMeanMm, rmsMm: f.rmsMm, p95Mm: f.p95Mm, p99Mm: f.p99Mm, maxMm: f.maxMm }
  print(
    {
      points: f.points,
      signed: f.signed ? { meanMm: f.meanMm, rmsMm: f.rmsMm, p95Mm: f.p95Mm, maxMm: f.maxMm } : null,
      unsigned,
    },
    !!options.json,
  )
}

async function scale(input: string, output: string, options: Common & { pairs: string }): Promise<void> {
  const shape = await loadShape(input)
  const { pairs } = await loadJson<{ pairs: unknown }>(options.pairs)
  const { outputs, figures, findings } = await runOperation(scaleShape, { shape }, { pairs }, context(options))
  await saveShape(outputs.shape as Shape, output)
  print({ output, ...figures, findings }, !!options.json)
}

async function simulate(name: string, options: Common & { out: string; takes?: string }): Promise<void> {
  const piece = DEMO_PIECES[name]
  if (!piece)
    throw new GeometryError(
      'PARAMS',
      `The bench knows these pieces: ${Object.keys(DEMO_PIECES).join(', ')}; not "${name}".`,
    )
  const plans = options.takes ? checkTakePlans(await loadJson(options.takes)) : LAMP_TAKES
  const run = context(options)
  const truth: Record<string, number[][]> = {}
  const initial: Record<string, number[][]> = {}
  const takes: Record<string, number>[] = []
  let first: Motion | undefined
  for (const [i, plan] of plans.entries()) {
    const take = captureTake(piece, plan, TABLETOP_DEVICE, options.seed * 1000 + i, run, { spacingMm: ROAD_SPACING_MM })
    await saveShape(take.cloud, joinPath(options.out, `${take.name}.ply`))
    first ??= take.truth
    const toFixed = compose(first, invertRigid(take.truth))
    truth[take.name] = motionRows(toFixed)
    const middle = [0, 1, 2].map((c) => (piece.bounds.min[c] + piece.bounds.max[c]) / 2)
    initial[take.name] = motionRows(i === 0 ? toFixed : roughMotion(toFixed, middle, options.seed * 7 + i, 8, 5))
    takes.push({ points: take.cloud.positions.length / 3 })
  }
  await saveJson({ unit: 'mm', motions: initial }, joinPath(options.out, 'initial.json'))
  await saveJson({ unit: 'mm', motions: truth }, joinPath(options.out, 'truth', 'motions.json'))
  // The true mesh lies in the frame of the first take, where a join with that take fixed puts the skin.
  const mesh = polygonise(piece.field, piece.bounds, 0.5, run)
  await saveShape(
    { ...mesh, positions: transformPoints(first!, mesh.positions) },
    joinPath(options.out, 'truth', 'mesh.ply'),
  )
  print({ out: options.out, device: TABLETOP_DEVICE, takes }, !!options.json)
}

export const commands = { inspect, convert, tidy, join, skin, compare, scale, simulate }
