import { stage, type RunContext } from '../../context'
import { medianSpacing } from '../../cloud/spacing'
import { GeometryError } from '../../errors'
import { meanPoint } from '../../linear/mean-point'
import { compose, identityMotion, invertRigid, rotateVectors, transformPoint, type Motion } from '../../linear/rigid'
import { pickPoints, type PointCloud } from '../../shapes'
import { framePoints, MIN_POINTS, movedByFrame } from '../../cloud/frames'
import { framesApart, FREE_PRIORS, isWorthIt, pairScatters, tablePriors, type TablePriors } from './frame-priors'
import { centreOf, freeMoves, matchJointly, type Body, type Move, type Prior } from '../refine/joint'
import type { OrientedCloud } from '../oriented-cloud'
import { rigidFromPairs } from '../marks/pairs'
import { prepareTakes } from '../takes/prepare-takes'

/** A take whose frames are to settle, or that others settle on. */
export interface SettlingTake {
  readonly cloud: PointCloud
  /** Take → common frame, as the join has it. */
  readonly motion: Motion
  /** How its frames were placed; `whole`: they keep their places to each other, only the take moves. */
  readonly placed: 'table' | 'free' | 'whole'
}

export interface SettledTake {
  /** The take in its own coordinates, every frame where it belongs; same points in the same order. */
  readonly cloud: PointCloud
  /** Take → common frame, now. */
  readonly motion: Motion
  /**
   * Per frame: where it was → where it belongs, in the take's coordinates; none for a take that moved as a whole, or
   * when matching brought nothing nearer.
   */
  readonly corrections: readonly Motion[]
}

/** Frames may be this far off when matching begins. */
/** How frames of one take are matched, and those of several. */
interface Manner {
  readonly reachSpacings: number
  readonly leastReachMm: number
  /** Points a frame's own normals are read from; 0: points of a small cell share one. */
  readonly neighbours: number
  readonly levels?: readonly number[]
  readonly maxRounds: number
  readonly pointsCountOnce: boolean
}

/**
 * A take alone: its table may have slipped far, and of a piece nearly round few samples, or normals shared by cells,
 * would miss what holds its turn.
 */
export const ALONE: Manner = {
  reachSpacings: 4,
  leastReachMm: 2,
  neighbours: 12,
  levels: [1],
  maxRounds: 25,
  pointsCountOnce: false,
}
/** Takes that are joined: what the tables know must not be outvoted, or the flat faces of a bar carry its frames off. */
const TOGETHER: Manner = {
  reachSpacings: 6,
  leastReachMm: 1,
  neighbours: 12,
  levels: [1],
  maxRounds: 25,
  pointsCountOnce: true,
}
const SAMPLES = 20_000

/**
 * Frames of several joined takes, all in one problem: every frame matches with each other frame near it, of its own
 * take and of all others. What a table knows stays known: its frames share an axis (offset and tilt, each unknown with
 * its own uncertainty), may slip about it, and otherwise only shake; so an error that a take alone cannot see, because
 * its own frames agree on it, shows against what the other takes saw.
 * Joint multi-view matching with priors as in `matchJointly`. Positions in mm. Nothing given is changed.
 * @throws PARAMS when a take does not know its frames; NO_OVERLAP when nothing meets
 */
export const settleFrames = async (takes: readonly SettlingTake[], context: RunContext): Promise<SettledTake[]> =>
  (await settleAll(takes, TOGETHER, context)).takes

interface Settled {
  readonly takes: SettledTake[]
  /** Of each body: its points, and where it lay and lies in the common frame. */
  readonly clouds: readonly OrientedCloud[]
  readonly starts: readonly Motion[]
  readonly motions: readonly Motion[]
  /** Robust scatters of each two bodies that share surface, and over all, mm. */
  readonly scattersBefore: readonly number[]
  readonly scattersAfter: readonly number[]
  readonly scatterMm: number
  readonly centre: readonly [number, number, number]
  readonly radiusMm: number
  readonly reachMm: number
  readonly rounds: number
}

/** What `settleFrames` does, with what it found on the way. */
export async function settleAll(takes: readonly SettlingTake[], manner: Manner, context: RunContext): Promise<Settled> {
  const pieces = takes.flatMap((t, take) => partsOf(t, take))
  if (pieces.length < 2) throw new GeometryError('PARAMS', 'The take has only one frame; there is nothing to match.')
  const clouds = await prepareTakes(
    pieces.map((p) => p.cloud),
    stage(context, 0, 0.3),
    manner.neighbours,
  )
  const starts = pieces.map((p) => takes[p.take].motion)
  const centre = centreOf(pieces.map((_, i) => ({ cloud: clouds[i], start: starts[i] })))
  const unknowns = new Unknowns()
  const whole = takes.map(() => freeMoves(unknowns.next(6)))
  const axes = takes.map((t) => (t.placed === 'table' ? unknowns.next(4) : -1))
  const priors = takes.map((t, take) =>
    t.placed === 'table'
      ? priorsOf(
          t.cloud,
          clouds.filter((_, i) => pieces[i].take === take),
        )
      : null,
  )
  priors.forEach(
    (p, take) =>
      p && [p.axisMm, p.axisMm, p.axisRad, p.axisRad].forEach((sigma, k) => unknowns.expect(axes[take] + k, sigma)),
  )
  const bodies = pieces.map(({ take, frame }, i): Body => {
    const { placed, motion, cloud } = takes[take]
    const moves: Move[] = [...whole[take]]
    if (frame !== null) {
      // A slip turns about the table's axis through the take's zero; a device in the hand errs about the piece's
      // middle.
      const at = placed === 'table' ? ([0, 0, 0] as const) : transformPoint(invertRigid(motion), ...centre)
      const own = unknowns.next(6)
      const sigmas = expected(priors[take])
      for (let k = 0; k < 6; k++) {
        moves.push({ unknown: own + k, twist: twistInCommon(motion, axisTwist(k), at, centre) })
        unknowns.expect(own + k, sigmas[k])
      }
      if (placed === 'table')
        axisMoves(cloud.frameOrigins!, frame).forEach((twist, k) =>
          moves.push({ unknown: axes[take] + k, twist: twistInCommon(motion, twist, [0, 0, 0], centre) }),
        )
    }
    return { cloud: clouds[i], start: motion, moves }
  })
  const reachMm = Math.max(
    manner.leastReachMm,
    manner.reachSpacings * Math.max(...clouds.map((c) => c.features.spacingMm)),
  )
  const joint = await matchJointly(
    bodies,
    { reachMm, samples: SAMPLES, unknowns: unknowns.count, priors: unknowns.priors, ...manner },
    stage(context, 0.3, 1),
  )
  const spacingMm = Math.max(...takes.map((t) => medianSpacing(t.cloud)))
  const scattersBefore = pairScatters(clouds, spacingMm, starts),
    scattersAfter = pairScatters(clouds, spacingMm, joint.motions)
  const { motions, rounds, scatterMm } = joint
  const found = { clouds, starts, motions, scattersBefore, scattersAfter, scatterMm, centre, reachMm, rounds }
  const radiusMm = Math.max(...takes.map((t) => radiusOf(t.cloud)))
  if (!isWorthIt(scattersBefore, scattersAfter))
    return {
      ...found,
      radiusMm,
      takes: takes.map(({ cloud, motion }) => ({ cloud, motion, corrections: [] })),
    }
  const settled = takes.map((t, take): SettledTake => {
    const mine = [...pieces.keys()].filter((i) => pieces[i].take === take)
    if (t.placed === 'whole') return { cloud: t.cloud, motion: motions[mine[0]], corrections: [] }
    const motion = commonMotion(mine.map((i) => ({ cloud: pieces[i].cloud, motion: motions[i] })))
    const back = invertRigid(motion)
    const corrections = Array.from({ length: t.cloud.frameOrigins!.length / 3 }, identityMotion)
    for (const i of mine) corrections[pieces[i].frame!] = compose(back, motions[i])
    return { cloud: movedByFrame(t.cloud, corrections), motion, corrections }
  })
  return { ...found, radiusMm, takes: settled }
}

/** Of a frame's turns and shifts. */
function expected(table: TablePriors | null): readonly number[] {
  const { rad, mm } = FREE_PRIORS
  return table
    ? [table.shakeRad, table.shakeRad, table.slipRad, table.shakeMm, table.shakeMm, table.shakeMm]
    : [rad, rad, rad, mm, mm, mm]
}

function priorsOf(cloud: PointCloud, frames: readonly OrientedCloud[]): TablePriors {
  return tablePriors(framesApart(frames, pairScatters(frames, medianSpacing(cloud))), radiusOf(cloud))
}

/** Mean distance from the middle, mm. */
function radiusOf({ positions: p }: PointCloud): number {
  const centre = meanPoint(p)
  let radius = 0,
    n = 0
  for (let i = 0; i < p.length; i += 3 * 97, n++)
    radius += Math.hypot(p[i] - centre[0], p[i + 1] - centre[1], p[i + 2] - centre[2])
  return radius / n
}

/** Numbers unknowns as they are asked for, and remembers what is expected of them. */
class Unknowns {
  count = 0
  readonly priors: Prior[] = []
  next(n: number): number {
    this.count += n
    return this.count - n
  }

  expect(unknown: number, sigma: number): void {
    this.priors.push({ unknown, sigma })
  }
}

/** What moves as one: a take as a whole, or each of its frames that has points enough to say how it lies. */
function partsOf(t: SettlingTake, take: number): { take: number; frame: number | null; cloud: PointCloud }[] {
  if (t.placed === 'whole') return [{ take, frame: null, cloud: t.cloud }]
  const { frame, frameOrigins } = t.cloud
  if (!frame || !frameOrigins)
    throw new GeometryError(
      'PARAMS',
      'This take does not know which frame each point came from; its frames cannot be matched.',
    )
  return framePoints(t.cloud).flatMap((ids, f) =>
    ids.length < MIN_POINTS ? [] : [{ take, frame: f, cloud: bare(pickPoints(t.cloud, ids)) }],
  )
}

/** A frame's own points say how its surface lies; normals reckoned over all frames would not. */
const bare = ({ positions, frame, frameOrigins }: PointCloud): PointCloud => ({
  kind: 'cloud',
  positions,
  ...(frame && frameOrigins && { frame, frameOrigins }),
})

const axisTwist = (k: number): Float64Array => Float64Array.from({ length: 6 }, (_, c) => (c === k ? 1 : 0))

/**
 * Turns and shifts a unit of the axis' offset and tilt gives a frame, about the take's zero: a direction fixed to the
 * device turns with the frame.
 */
function axisMoves(origins: Float64Array, frame: number): number[][] {
  const x = origins[frame * 3],
    y = origins[frame * 3 + 1],
    r = Math.hypot(x, y)
  if (r < 1) return []
  const c = x / r,
    s = y / r
  return [
    [0, 0, 0, c, s, 0],
    [0, 0, 0, -s, c, 0],
    [c, s, 0, 0, 0, 0],
    [-s, c, 0, 0, 0, 0],
  ]
}

/** A small motion about a place in the take's coordinates, as turn and shift about a centre of the common frame. */
function twistInCommon(
  motion: Motion,
  twist: ArrayLike<number>,
  at: readonly [number, number, number],
  centre: readonly [number, number, number],
): Float64Array {
  const [wx, wy, wz, vx, vy, vz] = rotateVectors(
    motion,
    Float32Array.from({ length: 6 }, (_, k) => twist[k]),
  ) as unknown as [number, number, number, number, number, number]
  const p = transformPoint(motion, ...at)
  const ax = centre[0] - p[0],
    ay = centre[1] - p[1],
    az = centre[2] - p[2]
  return Float64Array.of(wx, wy, wz, vx + wy * az - wz * ay, vy + wz * ax - wx * az, vz + wx * ay - wy * ax)
}

/** The one motion that says best where all frames of a take went. */
function commonMotion(parts: readonly { cloud: PointCloud; motion: Motion }[]): Motion {
  const from: number[] = [],
    to: number[] = []
  for (const {
    cloud: { positions: p },
    motion,
  } of parts)
    for (let k = 0; k < p.length; k += 3 * 29) {
      from.push(p[k], p[k + 1], p[k + 2])
      to.push(...transformPoint(motion, p[k], p[k + 1], p[k + 2]))
    }
  return rigidFromPairs(Float64Array.from(from), Float64Array.from(to)).motion
}
