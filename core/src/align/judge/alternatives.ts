import { checkpoint, type RunContext } from '../../context'
import { isGeometryError } from '../../errors'
import { meanPoint } from '../../linear/mean-point'
import {
  compose,
  identityMotion,
  invertRigid,
  partOf,
  rotationAngle,
  transformPoint,
  type Motion,
} from '../../linear/rigid'
import { judgePose } from '../coarse/judge-pose'
import { refineCoarse } from '../coarse/refine-coarse'
import type { CoarseMatches } from '../coarse/matches'
import { agreementOf, leads, meetTones, type Toned } from '../colour/meet'
import { matchFine } from '../refine/icp'
import type { Mark } from '../marks/mark'
import { BETWEEN } from '../poses/look-alikes'
import {
  freedomIn,
  lookClosely,
  ruledOutIn,
  type Close,
  type CrossingPair,
  type LaidTakes,
  type RuledOutThere,
} from './closely'
import { easedOut, PLENTY, settledAcross } from './settle-across'
import { posesToTry } from './poses-to-try'
import type { JudgedPair } from './slides'

/**
 * Another pose of some takes: one that fits as well as the one taken, or one that meets on less and that nothing
 * contradicts.
 */
export interface Alternative {
  readonly movers: readonly number[]
  readonly stayers: readonly number[]
  /** What to do to the movers, in the common frame. */
  readonly motion: Motion
  readonly turnDeg: number
  /** How far it takes the middle of what is shared, mm. */
  readonly shiftMm: number
  /** How far it takes the movers' farthest point, mm. */
  readonly farMm: number
  readonly share: number
  readonly mainShare: number
  readonly rmsMm: number
  readonly mainRmsMm: number
  /**
   * Fits as well: what meets is within the noise, and hardly less. Otherwise it meets on less, which two takes that
   * share less would, too.
   */
  readonly asWell: boolean
  /** Share of patches that contradict it, and the one taken. */
  readonly against: number
  readonly mainAgainst: number
  /** The surfaces fit it plainly better than the pose taken. */
  readonly better: boolean
  /** What else than shape rules it out. */
  readonly ruledOutBy: 'marks' | 'colours' | null
}

export interface JudgedSet extends LaidTakes {
  readonly pairs: readonly JudgedPair[]
  readonly inflation: readonly number[]
  readonly toleranceMm: number
  readonly marks: readonly Mark[]
  readonly matches: CoarseMatches
  /** Takes as colours see them, where colours count. */
  readonly toned: readonly (Toned | null)[] | null
}

/** Pairs across a cut that a pose is first looked at and settled on; in the end all have a say. */
const MAIN_PAIRS = 8
/** Seen coarsely, another pose must do at least so well to be looked at closely. */
const COARSE_SCORE = 0.3
/** So many poses are looked at closely a link; more where there are but two takes, which a half turn may lay wrongly. */
const CLOSER_LOOKS = 6,
  LOOKS_OF_TWO = 24
/** Fits as well: so much of the surface met, so little more scatter, hardly more that contradicts. */
const FITS = { share: 0.85, rms: 1.3, against: 0.02, inTheWay: 0.01 } as const
/**
 * Meets on less: reported from so much on of what the pose taken meets on, with no more that contradicts; told from
 * `JOIN_LIMITS.lessShare` on.
 */
const MIN_SHARE = 0.35
/**
 * Plainly better: so much less scatter on nearly as much surface, or so much less that contradicts, or plainly less
 * that is ruled out with hardly more scatter.
 */
const BETTER = { rms: 0.75, share: 0.8, contradicts: 0.04 } as const
/** So much more misfit at the marks, in squared standard deviations, rules a pose out: five of one mark. */
const MARK_AGAINST = 25
/** Less than this of what the pose taken meets on, or so much more scatter, is no other place for the takes. */
const CLOSE = { share: 0.3, rms: 1.5 } as const
/** So many poses of a cut may be eased out of what they stand in in vain. */
const EASED = 4
/** Of many takes, what stands in the others is elsewhere: easing it out is for takes that nothing else holds. */
const EASED_TAKES = 3
/** Fewer places that are ruled out say nothing. */
const LEAST_RULED = 8
/** A first look at every so many places spares the whole one where the surfaces plainly do not meet. */
const FIRST_LOOK = { every: 7, share: 0.3, rms: 2 } as const
/** Poses that turn less and shift less, in tolerances, are the same. */
const MIN_TURN_DEG = 6
const MIN_SHIFT = 3

/**
 * Looks for other poses over each link that holds the set together: movers on its one side, stayers on the other. Poses
 * come from feature matches and from symmetries of the shared surface; each is matched finely and then judged like the
 * one taken, patch by patch.
 */
export async function findAlternatives(
  set: JudgedSet,
  cuts: readonly { readonly movers: readonly number[]; readonly stayers: readonly number[] }[],
  context: RunContext,
): Promise<Alternative[]> {
  const out: Alternative[] = []
  const there: RuledOutThere = new Map()
  for (const [i, cut] of cuts.entries()) {
    checkpoint(context, i, cuts.length, 'Looking for other poses that fit')
    out.push(...(await overCut(set, cut.movers, cut.stayers, there, context)))
  }
  return out
}

async function overCut(
  set: JudgedSet,
  movers: readonly number[],
  stayers: readonly number[],
  there: RuledOutThere,
  context: RunContext,
): Promise<Alternative[]> {
  const { described, motions } = set
  const crossing: CrossingPair[] = set.pairs
    .map((p, i) => ({ ...p, inflation: set.inflation[i] }))
    .filter((p) => movers.includes(p.a) !== movers.includes(p.b))
    .sort((x, y) => y.shared.areaMm2 - x.shared.areaMm2)
  if (crossing.length === 0) return []
  const main = crossing.slice(0, MAIN_PAIRS)
  const voxel = described[0].outline.voxelMm
  const leastMm = MIN_SHIFT * set.toleranceMm
  const middle = meanPoint(crossing[0].shared.points)
  const shiftMm = (h: Motion): number => Math.hypot(...transformPoint(h, ...middle).map((v, k) => v - middle[k]))
  const far = (h: Motion, byMm = leastMm): boolean => turnDeg(h) > MIN_TURN_DEG || shiftMm(h) > byMm
  const poses = posesToTry(set, crossing, movers, leastMm)
  const total = (h: Motion | null): number =>
    main.reduce((sum, p) => {
      const [m, s] = movers.includes(p.a) ? [p.a, p.b] : [p.b, p.a]
      const moved = h ? compose(h, motions[m]) : motions[m]
      const c = judgePose(described[m], described[s], compose(invertRigid(motions[s]), moved))
      return sum + c.score * Math.max(0, 1 - c.rmsVoxels)
    }, 0)
  const asTaken = total(null)
  const ranked = poses
    .map((p) => ({ ...p, score: total(p.motion) }))
    .filter((p) => far(p.motion) && p.score >= COARSE_SCORE * asTaken)
    .sort((x, y) => y.score - x.score)
  // Features, symmetries and turns of the whole often name the same pose: it is looked at once.
  const looks = described.length > 2 ? CLOSER_LOOKS : LOOKS_OF_TWO
  const others: typeof ranked = []
  for (const p of ranked)
    if (others.length < looks && others.every((o) => far(compose(invertRigid(o.motion), p.motion), 2 * voxel)))
      others.push(p)
  const out: Alternative[] = []
  // Most links have no other pose that comes close: then the one taken need not be looked at again, either.
  const nearlyAs = once(() => lookClosely(set, main, movers, null)),
    standsAs = once(() => (main.length < crossing.length ? lookClosely(set, crossing, movers, null) : nearlyAs())),
    standAs = once(() => ruledOutIn(set, crossing, movers, null, PLENTY, there))
  let eased = 0
  const thinned = set.places.map((places) => places.filter((_, i) => i % FIRST_LOOK.every === 0))
  const glanceAt = (h: Motion): Close => lookClosely(set, main, movers, h, thinned)
  // A shift that fits all the way is a slide, and told as one.
  const slides = (m: Motion): boolean =>
    BETWEEN.every((f) => {
      const on = glanceAt(partOf(m, middle, f)),
        nearly = nearlyAs()
      return on.share >= FITS.share * nearly.share && on.rmsMm <= FITS.rms * nearly.rmsMm
    })
  const known = (m: Motion): boolean =>
    !far(m) || out.some((o) => !far(compose(invertRigid(o.motion), m))) || (turnDeg(m) <= MIN_TURN_DEG && slides(m))
  for (const p of others) {
    const start = compose(invertRigid(motions[p.s]), compose(p.motion, motions[p.m]))
    const close = refineCoarse(described[p.m].outline, described[p.s].outline, start)
    let motion: Motion
    try {
      const fine = matchFine(
        set.takes[p.m],
        set.takes[p.s],
        close,
        { maxPairDistanceMm: 2 * voxel, maxIterations: 20, upTo: 'sample' },
        { ...context, progress: () => undefined },
      ).motion
      const alone = compose(motions[p.s], compose(fine, invertRigid(motions[p.m])))
      if (known(alone)) continue
      const glance = glanceAt(alone),
        nearly = nearlyAs()
      if (glance.share < FIRST_LOOK.share * nearly.share || glance.rmsMm > FIRST_LOOK.rms * nearly.rmsMm) continue
      motion = crossing.length > 1 ? await settledAcross(set, main, movers, alone, context) : alone
    } catch (error) {
      // A pose where nothing meets any more is no other pose; anything else is not for here.
      if (!isGeometryError(error) || error.code !== 'NO_OVERLAP') throw error
      continue
    }
    if (known(motion)) continue
    const stands = standsAs(),
      stand = standAs()
    let other = lookClosely(set, crossing, movers, motion)
    if (!comesClose(other, stands)) continue
    const few = described.length <= EASED_TAKES
    let ruled = ruledOutIn(set, crossing, movers, motion, few ? PLENTY : plainlyMoreThan(stand.places))
    while (few && eased < EASED && plainlyMore(ruled.places, stand.places)) {
      const settled = await easedOut(set, crossing, main, movers, motion, ruled, context)
      if (!settled || known(settled.motion)) {
        eased++
        break
      }
      motion = settled.motion
      ruled = settled.out
      other = lookClosely(set, crossing, movers, motion)
    }
    const holds =
      !plainlyMore(ruled.places, stand.places) &&
      other.rmsMm <= FITS.rms * stands.rmsMm &&
      other.against <= stands.against + FITS.against &&
      other.inTheWay <= stands.inTheWay + FITS.inTheWay
    const contradicts = (x: typeof other): number => x.against + x.inTheWay
    const fitsBetter =
      (other.share >= BETTER.share * stands.share &&
        ((other.rmsMm < BETTER.rms * stands.rmsMm && contradicts(other) <= contradicts(stands)) ||
          (contradicts(other) < contradicts(stands) - BETTER.contradicts && other.rmsMm <= stands.rmsMm))) ||
      // A thing laid on itself the wrong way round meets on more than the right way, where either saw another side.
      (plainlyMore(stand.places, ruled.places) && comesClose(other, stands))
    // What holds less is no better place, however well it fits: a plain face fits plain faces best.
    const better = fitsBetter && freedomIn(set, crossing, movers, motion) <= freedomIn(set, crossing, movers, null)
    const asWell = better || (holds && other.share >= FITS.share * stands.share)
    if (!asWell && !(holds && other.share >= MIN_SHARE * stands.share)) continue
    const ruledOutBy = marksAgainst(set, movers, motion)
      ? 'marks'
      : coloursAgainst(set, crossing, movers, motion)
        ? 'colours'
        : null
    const c = meanPoint(set.takes[p.m].positions)
    const there = transformPoint(motion, ...transformPoint(motions[p.m], ...c)),
      here = transformPoint(motions[p.m], ...c)
    out.push({
      movers,
      stayers,
      motion,
      better: better && !ruledOutBy,
      ruledOutBy,
      turnDeg: turnDeg(motion),
      shiftMm: shiftMm(motion),
      farMm:
        Math.hypot(there[0] - here[0], there[1] - here[1], there[2] - here[2]) +
        (((turnDeg(motion) * Math.PI) / 180) * set.takes[p.m].sizeMm) / 2,
      share: other.share,
      mainShare: stands.share,
      rmsMm: other.rmsMm,
      mainRmsMm: stands.rmsMm,
      asWell,
      against: other.against,
      mainAgainst: stands.against,
    })
  }
  // Of several that fit better, the one that meets on most is the one to try.
  return out.sort((x, y) => Number(y.better) - Number(x.better) || y.share - x.share)
}

/** Worked out when first asked for. */
function once<T>(work: () => T): () => T {
  let made: { readonly value: T } | null = null
  return () => (made ??= { value: work() }).value
}

/** Marks across the cut lie together in the pose taken, and apart in the other by more than they can be wrong. */
function marksAgainst(set: JudgedSet, movers: readonly number[], h: Motion): boolean {
  const crossing = set.marks.filter((m) => movers.includes(m.a) !== movers.includes(m.b))
  const off = (moved: boolean): number =>
    crossing.reduce((s, m) => {
      const place = (take: number, at: readonly [number, number, number]): [number, number, number] =>
        transformPoint(moved && movers.includes(take) ? compose(h, set.motions[take]) : set.motions[take], ...at)
      const p = place(m.a, m.atA),
        q = place(m.b, m.atB)
      return s + ((p[0] - q[0]) ** 2 + (p[1] - q[1]) ** 2 + (p[2] - q[2]) ** 2) / m.sigmaMm ** 2
    }, 0)
  return crossing.length > 0 && off(true) > off(false) + MARK_AGAINST
}

/** The tones across the cut agree where the takes lie, and plainly less in the other pose. */
function coloursAgainst(
  { toned, motions }: JudgedSet,
  crossing: readonly JudgedPair[],
  movers: readonly number[],
  h: Motion,
): boolean {
  if (!toned) return false
  const pairs = crossing
    .filter((p) => toned[p.a] && toned[p.b])
    .map((p): [number, number] => (movers.includes(p.a) ? [p.a, p.b] : [p.b, p.a]))
  const agreement = (pose: Motion): number =>
    agreementOf(
      pairs.map(([m, s]) =>
        meetTones(toned[m]!, toned[s]!, compose(invertRigid(motions[s]), compose(pose, motions[m])), 1),
      ),
    )
  return leads(agreement(identityMotion()), agreement(h))
}

/** Meets on so much of what the pose taken meets on, and nearly as closely: less is no other place for the takes. */
const comesClose = (other: Close, stands: Close): boolean =>
  other.share >= CLOSE.share * stands.share && other.rmsMm <= CLOSE.rms * stands.rmsMm

/** Counts differ beyond chance: as Poisson counts do, and never for a few strays. */
const plainlyMore = (x: number, y: number): boolean => x >= LEAST_RULED && x - y >= 2.5 * Math.sqrt(x + y)

/** The least count that is plainly more. */
function plainlyMoreThan(y: number): number {
  let x = Math.max(LEAST_RULED, y)
  while (!plainlyMore(x, y)) x++
  return x
}

const turnDeg = (m: Motion): number => (rotationAngle(m) * 180) / Math.PI
