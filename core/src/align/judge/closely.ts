import { compose, invertRigid, type Motion } from '../../linear/rigid'
import type { TakeFeatures } from '../coarse/features'
import { judgePose } from '../coarse/judge-pose'
import type { OrientedCloud } from '../oriented-cloud'
import { contradictionsOf, type Contradiction } from './contradictions'
import { patchesOf, sharedSurface, type SharedSurface } from './shared-surface'
import { findSlides, type JudgedPair } from './slides'

/* Another pose of some takes, looked at on the fine surfaces of all pairs across the cut. */

export interface LaidTakes {
  readonly takes: readonly OrientedCloud[]
  readonly described: readonly TakeFeatures[]
  /** Take → common. */
  readonly motions: readonly Motion[]
  readonly places: readonly Int32Array[]
  readonly cellMm: number
}
/** What pairs rule out where the takes lie: the same for every cut that asks. */
export type RuledOutThere = Map<CrossingPair['shared'], Contradiction>
export interface CrossingPair extends JudgedPair {
  readonly inflation: number
}

export interface Close {
  /** Of what both could share, so much meets. */
  readonly share: number
  readonly rmsMm: number
  /** Share of the patches that contradict the pose. */
  readonly against: number
  readonly inTheWay: number
}

/** What takes on either side of a cut rule out of each other. */
export interface RuledOut {
  /** Places that nobody could have seen, or that the other must have seen, too. */
  readonly places: number
  /** What would bring the movers out of what they stand in: directions and distances, see `Contradiction`. */
  readonly push: readonly number[]
}

/** Pairs that are asked what of the one the other rules out: the largest say it. */
const ASKED = 3
/** Deeper than the scatter of what meets, and than the points' own gaps make of a slope. */
const DEPTH_SCATTERS = 4,
  DEPTH_SPACINGS = 0.6
export const leastDepthMm = ({ a, b, shared }: JudgedPair, takes: readonly OrientedCloud[]): number =>
  DEPTH_SCATTERS * Math.min(shared.scatterMm, shared.expectedMm) +
  DEPTH_SPACINGS * Math.max(takes[a].features.spacingMm, takes[b].features.spacingMm)

/** Where a take lies when the movers are put into another pose; null leaves them. */
const placeOf = (set: LaidTakes, movers: readonly number[], h: Motion | null, take: number): Motion =>
  h && movers.includes(take) ? compose(h, set.motions[take]) : set.motions[take]

function sharedIn(
  set: LaidTakes,
  p: CrossingPair,
  movers: readonly number[],
  h: Motion | null,
  wideMm: number,
  places: readonly Int32Array[],
): SharedSurface {
  return sharedSurface(
    set.takes[p.a],
    set.takes[p.b],
    placeOf(set, movers, h, p.a),
    placeOf(set, movers, h, p.b),
    set.cellMm,
    Math.max(wideMm, 2 * set.cellMm),
    [places[p.a], places[p.b]],
  )
}

/**
 * @param crossing the largest of these pairs are asked @param most see `contradictionsOf`
 * @param there what was found out about the takes where they lie
 */
export function ruledOutIn(
  set: LaidTakes,
  crossing: readonly CrossingPair[],
  movers: readonly number[],
  h: Motion | null,
  most: number,
  there: RuledOutThere = new Map(),
): RuledOut {
  const push: number[] = []
  let places = 0
  for (const p of crossing.slice(0, ASKED)) {
    const known = h ? undefined : there.get(p.shared)
    const c =
      known ??
      contradictionsOf(
        { cloud: set.takes[p.a], outline: set.described[p.a].outline },
        { cloud: set.takes[p.b], outline: set.described[p.b].outline },
        placeOf(set, movers, h, p.a),
        placeOf(set, movers, h, p.b),
        [set.places[p.a], set.places[p.b]],
        leastDepthMm(p, set.takes),
        set.cellMm,
        most,
      )
    if (!h) there.set(p.shared, c)
    places += c.behind + c.missed
    const sign = movers.includes(p.a) ? 1 : -1
    c.push.forEach((v, i) => push.push(i % 4 === 3 ? v : sign * v))
  }
  return { places, push }
}

/** @param h what is done to the movers, null for nothing @param places of each take that are looked at */
export function lookClosely(
  set: LaidTakes,
  crossing: readonly CrossingPair[],
  movers: readonly number[],
  h: Motion | null,
  places: readonly Int32Array[] = set.places,
): Close {
  let met = 0,
    looked = 0,
    sum = 0,
    weight = 0,
    bad = 0,
    patches = 0,
    way = 0
  for (const p of crossing) {
    const sigma = Math.max(p.shared.expectedMm, p.shared.scatterMm)
    const shared = sharedIn(set, p, movers, h, 3 * sigma, places)
    met += shared.met[0] + shared.met[1]
    looked += Math.min(...shared.looked) * 2
    sum += shared.rmsMm ** 2 * shared.met[0]
    weight += shared.met[0]
    for (const q of patchesOf(shared, set.cellMm)) {
      patches++
      if (Math.abs(q.meanMm) > 4 * q.errorMm * Math.sqrt(p.inflation) + sigma) bad++
    }
    way +=
      judgePose(
        set.described[p.a],
        set.described[p.b],
        compose(invertRigid(placeOf(set, movers, h, p.b)), placeOf(set, movers, h, p.a)),
      ).inTheWay / crossing.length
  }
  return {
    share: looked > 0 ? met / looked : 0,
    rmsMm: weight > 0 ? Math.sqrt(sum / weight) : 0,
    against: patches > 0 ? bad / patches : 1,
    inTheWay: way,
  }
}

/** How many motions the movers are free in, in another pose. */
export function freedomIn(
  set: LaidTakes,
  crossing: readonly CrossingPair[],
  movers: readonly number[],
  h: Motion | null,
): number {
  const pairs = crossing.map((p): JudgedPair => ({
    a: movers.includes(p.a) ? 1 : 0,
    b: movers.includes(p.b) ? 1 : 0,
    shared: sharedIn(set, p, movers, h, 3 * p.shared.expectedMm, set.places),
  }))
  return findSlides(pairs, 2, set.cellMm).modes.filter((m) => m.motion.free).length
}
