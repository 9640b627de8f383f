import Joi from 'joi'
import { stage, type RunContext } from '../context'
import { findDots } from '../tidy/dots'
import type { JoinReport, Mark } from '../align/join-report'
import { joinAndJudge } from '../align/join-takes'
import { isRound, joinFindings, pairVerdict, tellablePoses } from '../align/judge/verdict'
import { matchAreas, type Area } from '../align/match-areas'
import { histogramOf } from '../align/overlap'
import { rigidFromPairs } from '../align/pairs'
import { GeometryError } from '../errors'
import { mm, percent, worst } from '../findings'
import {
  compose,
  identityMotion,
  invertRigid,
  motionFromRows,
  motionRows,
  transformPoints,
  type Motion,
} from '../linear/rigid'
import type { PointCloud } from '../shapes'
import { cloudsOf, defineOperation, ONE_NAME_EACH, type OperationResult } from './operation'

interface PickEnd {
  take: string
  at: number[]
}
export interface PickPair {
  a: PickEnd
  b: PickEnd
}
interface AreaEnd extends PickEnd {
  radiusMm: number
}
export interface AreaPair {
  a: AreaEnd
  b: AreaEnd
}
interface Params {
  names: string[]
  fixed: string
  picks: PickPair[]
  /** The same area marked on two takes: a start for the search by shape. */
  areas: AreaPair[]
  /** Pairs that are trusted first, in this order, where shape places the takes. */
  first: [string, string][]
  initial: Record<string, number[][]>
  groups: string[][]
  /** Diameter of dots stuck on the piece that are to help; null: none. */
  dotsMm: number | null
  /** Colours count, too: for takes lit evenly. */
  colours: boolean
  toleranceMm: number | null
  fine: boolean
}

const point = Joi.array().items(Joi.number()).length(3)
const pickEnd = Joi.object({ take: Joi.string().required(), at: point.required() })
const name = Joi.string()
const areaEnd = Joi.object({
  take: Joi.string().required(),
  at: point.required(),
  radiusMm: Joi.number().positive().required(),
})

export const pickPairsSchema = Joi.array().items(Joi.object({ a: pickEnd.required(), b: pickEnd.required() }))

/**
 * Takes into one frame: from picked pairs or given motions where there are any, by their shapes where not; then all
 * together, and judged.
 */
export const joinTakes = defineOperation<Params>({
  name: 'join.match',
  version: 2,
  inputs: { takes: 'clouds' },
  params: Joi.object<Params>({
    names: Joi.array().items(name).min(1).unique().required().messages(ONE_NAME_EACH),
    fixed: name.required(),
    picks: pickPairsSchema.default([]),
    areas: Joi.array()
      .items(Joi.object({ a: areaEnd.required(), b: areaEnd.required() }))
      .default([]),
    first: Joi.array().items(Joi.array().items(name).length(2)).default([]),
    initial: Joi.object()
      .pattern(Joi.string(), Joi.array().items(Joi.array().items(Joi.number()).length(4)).length(4))
      .default({}),
    groups: Joi.array().items(Joi.array().items(name).min(2)).default([]),
    dotsMm: Joi.number().positive().max(100).allow(null).default(null).label('diameter of the dots'),
    colours: Joi.boolean().default(false),
    toleranceMm: Joi.number().positive().allow(null).default(null),
    fine: Joi.boolean().default(true),
  }),
  estimate: ({ takes }) => {
    const clouds = takes as readonly PointCloud[]
    const points = clouds.reduce((n, t) => n + t.positions.length / 3, 0)
    return { work: (points / 1e6) * 40 + clouds.length * (clouds.length - 1) * 0.05, bytes: points * 120 }
  },
  async run(inputs, params, context) {
    const clouds = cloudsOf(inputs, 'takes')
    const { names, fixed } = params
    if (names.length !== clouds.length)
      throw new GeometryError('PARAMS', `There are ${clouds.length} takes but ${names.length} names.`)
    if (clouds.length < 2) throw new GeometryError('PARAMS', 'Joining needs two takes or more.')
    const fixedAt = names.indexOf(fixed)
    if (fixedAt < 0)
      throw new GeometryError('PARAMS', `The fixed take "${fixed}" is not among the takes: ${names.join(', ')}.`)
    const missing = params.first.flat().find((n) => !names.includes(n))
    if (missing !== undefined)
      throw new GeometryError(
        'PARAMS',
        `The order names the take "${missing}", which is not here: ${names.join(', ')}.`,
      )
    refuseTwins(clouds, names)
    refuseUnitSlip(clouds, names)
    const starts = await startMotions(params, fixedAt, clouds, context)
    if (!params.fine) {
      const lost = names.filter((_, i) => !starts[i])
      if (lost.length > 0)
        throw new GeometryError(
          'PARAMS',
          `There is no start for ${lost.join(', ')}: pick three points or more that ${lost.length === 1 ? 'it shares' : 'they share'} with a placed take, or give rough motions.`,
        )
    }
    const dots =
      params.dotsMm === null ? null : clouds.map((c) => findDots(c, params.dotsMm!, stage(context, 0, 0.1)).dots)
    const report = await joinAndJudge(
      {
        clouds,
        starts,
        dots,
        groups: groupNumbers(params, starts),
        fixedAt,
        toleranceMm: params.toleranceMm,
        asPlaced: !params.fine,
        marks: marksOf(params),
        colours: params.colours,
        first: params.first.map(([a, b]) => [names.indexOf(a), names.indexOf(b)] as const),
      },
      context,
    )
    return resultOf(report, params)
  },
  describe: (params, figures) =>
    figures.fine
      ? `Joined ${params.names.join(', ')}${figures.byShape ? ' by shape' : ''}: 95 of 100 points within ${mm(Number(figures.p95Mm))}, overlap ${percent(Number(figures.overlap), 0)}`
      : `Placed ${params.names.join(', ')} by hand`,
})

async function startMotions(
  params: Params,
  fixedAt: number,
  clouds: readonly PointCloud[],
  context: RunContext,
): Promise<(Motion | null)[]> {
  const { names, picks, initial, areas } = params
  const numberOf = (take: string, what: string): number => {
    const i = names.indexOf(take)
    if (i < 0)
      throw new GeometryError('PARAMS', `${what} names the take "${take}", which is not here: ${names.join(', ')}.`)
    return i
  }
  // initial.json may be relative to another frame; the fixed take's own entry brings it back.
  const given = (name: string): Motion | null =>
    Object.hasOwn(initial, name) ? motionFromRows(initial[name]!, name) : null
  const own = given(names[fixedAt]!)
  const base = own ? invertRigid(own) : identityMotion()
  const motions = names.map((name, i): Motion | null => {
    const start = i === fixedAt ? null : given(name)
    return i === fixedAt ? identityMotion() : start && compose(base, start)
  })
  // Picks tie takes to ones already placed, in as many rounds as the chain is long.
  for (let round = 0; round < names.length; round++) {
    names.forEach((name, i) => {
      if (motions[i]) return
      const from: number[] = []
      const to: number[] = []
      for (const { a, b } of picks) {
        const [mine, other] = a.take === name ? [a, b] : [b, a]
        if (mine.take !== name) continue
        const j = numberOf(other.take, 'A pick')
        if (!motions[j]) continue
        from.push(...mine.at)
        to.push(...transformPoints(motions[j], Float32Array.from(other.at)))
      }
      if (from.length > 0) motions[i] = rigidFromPairs(Float64Array.from(from), Float64Array.from(to)).motion
    })
    for (const { a, b } of areas) {
      const [i, j] = [numberOf(a.take, 'A marked area'), numberOf(b.take, 'A marked area')]
      if (!motions[i] === !motions[j]) continue
      const [mover, end, stayer, other] = motions[j] ? [i, a, j, b] : [j, b, i, a]
      const own = await matchAreas(
        clouds[mover]!,
        clouds[stayer]!,
        [areaOf(end), areaOf(other)],
        [names[mover]!, names[stayer]!],
        context,
      )
      motions[mover] = compose(motions[stayer]!, own)
    }
  }
  return motions
}

const areaOf = (e: AreaEnd): Area => ({ at: [e.at[0]!, e.at[1]!, e.at[2]!], radiusMm: e.radiusMm })

/**
 * How well a person finds the same place on two takes by eye, mm (common practice: within a millimetre on sharp
 * features).
 */
const PICK_SIGMA_MM = 0.8

/** Picks say which places are the same, however the takes came to where they are. */
function marksOf({ names, picks }: Params): Mark[] {
  const at = (p: number[]): [number, number, number] => [p[0]!, p[1]!, p[2]!]
  return picks
    .map(({ a, b }) => ({
      a: names.indexOf(a.take),
      b: names.indexOf(b.take),
      atA: at(a.at),
      atB: at(b.at),
      sigmaMm: PICK_SIGMA_MM,
    }))
    .filter((m) => m.a >= 0 && m.b >= 0)
}

/** Numbers the groups of takes that keep their places to each other; every other take is a group of its own. */
function groupNumbers({ names, groups }: Params, starts: readonly (Motion | null)[]): number[] {
  const out = names.map((_, i) => i)
  const seen = new Set<string>()
  for (const g of groups) {
    for (const n of g) {
      const i = names.indexOf(n)
      if (i < 0)
        throw new GeometryError('PARAMS', `A group names the take "${n}", which is not here: ${names.join(', ')}.`)
      if (seen.has(n)) throw new GeometryError('PARAMS', `The take "${n}" is in two groups; it can only be in one.`)
      if (!starts[i])
        throw new GeometryError(
          'PARAMS',
          `The take "${n}" is locked to others but its place to them is not known. Join it first.`,
        )
      seen.add(n)
      out[i] = names.indexOf(g[0]!)
    }
  }
  if (new Set(out).size === 1)
    throw new GeometryError('PARAMS', 'All takes are locked to each other: there is nothing to join. Unlock one.')
  return out
}

/** The very same points twice join perfectly and say nothing. */
function refuseTwins(clouds: readonly PointCloud[], names: readonly string[]): void {
  for (let i = 0; i < clouds.length; i++)
    for (let j = 0; j < i; j++) {
      const a = clouds[i]!.positions,
        b = clouds[j]!.positions
      if (a.length === b.length && a.length > 0 && a.every((v, k) => v === b[k]))
        throw new GeometryError(
          'PARAMS',
          `“${names[j]}” and “${names[i]}” hold the very same points: the same file twice. Leave one of them out.`,
        )
    }
}

/**
 * Units that files are mixed up in, as ratios; a take of a detail may well be ten times smaller than one of the whole,
 * so that cm are not told from it.
 */
const SLIPS: readonly [number, string][] = [
  [25.4, 'one is in inches, the other in mm'],
  [1000, 'one is in m, the other in mm'],
  [100, 'one is in m, the other in cm'],
]
const SLIP_LIKE = 0.3

/** A take many times as large as another is in another unit. */
function refuseUnitSlip(clouds: readonly PointCloud[], names: readonly string[]): void {
  const sizes = clouds.map((c) => {
    const low = [Infinity, Infinity, Infinity],
      high = [-Infinity, -Infinity, -Infinity]
    for (let i = 0; i < c.positions.length; i++) {
      low[i % 3] = Math.min(low[i % 3]!, c.positions[i]!)
      high[i % 3] = Math.max(high[i % 3]!, c.positions[i]!)
    }
    return Math.hypot(...low.map((l, k) => high[k]! - l))
  })
  const large = sizes.indexOf(Math.max(...sizes)),
    small = sizes.indexOf(Math.min(...sizes))
  const ratio = sizes[large]! / sizes[small]!
  const slip = SLIPS.find(([r]) => Math.abs(Math.log(ratio / r)) < SLIP_LIKE)
  if (slip)
    throw new GeometryError(
      'PARAMS',
      `“${names[large]}” is ${ratio.toFixed(0)} times as large as “${names[small]}”: probably ${slip[1]}. Set the unit of one of them when it is read.`,
    )
}

function resultOf(r: JoinReport, { names, fixed, fine, toleranceMm }: Params): OperationResult {
  const [first, ...others] = joinFindings(r, names)
  // Where the measure comes from stands beside it.
  const tolerance = {
    label: toleranceMm === null ? 'Tolerance, none given: 3 × scatter + ½ spacing' : 'Tolerance, as given',
    value: mm(r.toleranceMm),
    rule: 'what play, double walls and tension are held against',
  }
  const findings = first ? [{ ...first, figures: [...(first.figures ?? []), tolerance] }, ...others] : others
  const links = r.tree.flatMap(([a, b]) => r.pairs.filter((p) => (p.a === a && p.b === b) || (p.a === b && p.b === a)))
  const finite = (v: number): number | null => (Number.isFinite(v) ? v : null)
  return {
    outputs: {
      motions: {
        kind: 'motions',
        motions: Object.fromEntries(names.flatMap((n, i) => (r.motions[i] ? [[n, r.motions[i]!]] : []))),
      },
    },
    figures: {
      takes: names.length,
      fine,
      byShape: r.byShape,
      round: isRound(r),
      overlap: Math.min(...links.map((p) => p.shared.share), 1),
      overlapMm2: Math.min(...links.map((p) => p.shared.areaMm2)),
      rmsMm: Math.max(...r.pairs.map((p) => p.shared.rmsMm)),
      p95Mm: Math.max(...r.pairs.map((p) => p.shared.p95Mm)),
      expectedMm: Math.max(...r.pairs.map((p) => p.shared.expectedMm)),
      iterations: r.rounds,
      stop: !fine ? 'as placed' : r.settled ? 'converged' : 'iterations',
      toleranceMm: r.toleranceMm,
      toleranceGiven: toleranceMm !== null,
      verdict: worst(findings),
      pairs: JSON.stringify(
        r.pairs.map((p, i) => ({
          take: names[p.b],
          fixed: names[p.a],
          overlap: p.shared.share,
          overlapMm2: p.shared.areaMm2,
          rmsMm: p.shared.rmsMm,
          p95Mm: p.shared.p95Mm,
          expectedMm: p.shared.expectedMm,
          ...pairVerdictFigures(r, i),
          histogram: histogramOf(p.shared.apartMm, 3.2 * Math.max(p.shared.expectedMm, r.cellMm * 1e-3)),
          motion: motionRows(compose(invertRigid(r.motions[p.a]!), r.motions[p.b]!)),
        })),
      ),
      links: JSON.stringify(r.tree.map((l) => l.map((i) => names[i]))),
      slides: JSON.stringify(
        r.slides.modes.slice(0, 6).map((m) => ({
          kind: m.motion.kind,
          free: m.motion.free,
          playMm: finite(m.motion.playMm),
          boundMm: finite(m.motion.boundMm),
          axis: m.motion.axis,
          point: m.motion.point,
          pitchMm: finite(m.motion.pitchMm),
          movers: m.movers.map((i) => names[i]),
          stayers: m.stayers.map((i) => names[i]),
        })),
      ),
      alternatives: JSON.stringify(
        tellablePoses(r).map((a) => ({
          movers: a.movers.map((i) => names[i]),
          stayers: a.stayers.map((i) => names[i]),
          turnDeg: a.turnDeg,
          shiftMm: a.shiftMm,
          asWell: a.asWell,
          share: a.share,
          mainShare: a.mainShare,
          rmsMm: a.rmsMm,
          mainRmsMm: a.mainRmsMm,
          motion: motionRows(a.motion),
        })),
      ),
      doubleWalls: JSON.stringify(
        r.walls.map((w) => ({
          takes: [names[w.a], names[w.b]],
          share: w.share,
          areaMm2: w.areaMm2,
          apartMm: w.apartMm,
          at: w.at,
        })),
      ),
      conflicts: JSON.stringify(
        r.conflicts.filter((c) => c.share > 0.002).map((c) => ({ takes: [names[c.a], names[c.b]], share: c.share })),
      ),
      closing: JSON.stringify(r.closing),
      fixed,
    },
    findings,
  }
}

function pairVerdictFigures(r: JoinReport, i: number): { verdict: string; playMm: number | null; free: number } {
  const { verdict, playMm } = pairVerdict(r, i)
  return { verdict, playMm: Number.isFinite(playMm) ? playMm : null, free: r.slides.pairFree[i]! }
}
