import { compose, identityMotion, invertRigid, type Motion } from '../../linear/rigid'
import { meanPoint } from '../../linear/mean-point'
import type { TakeFeatures } from './features'
import { judgePose, samePose, type Candidate } from './judge-pose'

/** Candidates of one pair of takes, a → b. */
export interface PairCandidates {
  readonly a: number
  readonly b: number
  readonly candidates: readonly Candidate[]
}

export interface Link {
  readonly a: number
  readonly b: number
  /** a → b */
  readonly motion: Motion
  readonly score: number
}

export interface Assembly {
  /** Take → frame of its own group's first take. */
  readonly motions: readonly Motion[]
  /** Group number of each take; takes of one group hang together. */
  readonly group: Int32Array
  /** The links that put them together, in the order taken: a spanning tree by what they share. */
  readonly order: readonly Link[]
}

/** A link must fit on so much of the smaller take, so closely, and be hidden by no more. */
const MIN_SHARE = 0.12
const MAX_RMS = 0.75
const MAX_IN_THE_WAY = 0.03
/** Hypotheses compared over all pairs when two groups come together. */
const COMPARED = 5

/** Whether one pose alone could join two takes. */
export const isPlausible = (c: Candidate): boolean =>
  c.score > 0 && c.share >= MIN_SHARE && c.rmsVoxels <= MAX_RMS && c.inTheWay <= MAX_IN_THE_WAY

/**
 * What a pair says for a pose of the whole. Pairs that hardly meet say nothing for it, but what is in the way always
 * speaks against.
 */
const worthOf = (c: Candidate): number =>
  c.share >= MIN_SHARE / 2 && c.rmsVoxels <= MAX_RMS ? c.score : Math.min(0, c.score - c.fitting)

/**
 * Takes put together from the candidates of their pairs: strongest link first (Kruskal 1956), but a link is only taken
 * after all pairs across the two groups have had their say on it, so that a look-alike that fits one pair and
 * contradicts the others falls out (cycle consistency by construction).
 * @param first pairs whose links are taken before all others, in this order, as far as their shapes allow
 * @param poses pose of each take; links within one pose are taken before those between poses. '' is none
 * @param given motions that are known already (take → common frame); those takes start as one group
 */
export function assemble(
  takes: readonly TakeFeatures[],
  pairs: readonly PairCandidates[],
  given: readonly (Motion | null)[] = [],
  first: readonly (readonly [number, number])[] = [],
  poses: readonly string[] = [],
): Assembly {
  const n = takes.length
  const motions: Motion[] = Array.from({ length: n }, (_, i) => given[i] ?? identityMotion())
  const known = [...motions.keys()].filter((i) => given[i])
  const group = Int32Array.from({ length: n }, (_, i) => (given[i] ? known[0] : i))
  const links: Link[] = pairs
    .flatMap(({ a, b, candidates }) =>
      candidates.filter(isPlausible).map((c) => ({ a, b, motion: c.motion, score: c.score })),
    )
    .sort((p, q) => q.score - p.score)
  const middles = takes.map((t) => meanPoint(t.outline.points))
  const order: Link[] = []
  const refused = new Set<Link>()
  const free = (l: Link): boolean => !refused.has(l) && group[l.a] !== group[l.b]
  const wanted = (l: Link, [a, b]: readonly [number, number]): boolean =>
    (l.a === a && l.b === b) || (l.a === b && l.b === a)
  const strongest = (): Link | undefined => {
    for (const pair of first) {
      const link = links.find((l) => wanted(l, pair) && free(l))
      if (link) return link
    }
    const inOnePose = (l: Link): boolean => (poses[l.a] ?? '') !== '' && poses[l.a] === poses[l.b]
    return links.find((l) => inOnePose(l) && free(l)) ?? links.find(free)
  }
  for (let link = strongest(); link; link = strongest()) {
    // What is known already stays; the other group comes to it.
    const [from, to] =
      known.length > 0 && group[link.a] === group[known[0]]
        ? [group[link.b], group[link.a]]
        : [group[link.a], group[link.b]]
    const members = (g: number): number[] => [...group.keys()].filter((i) => group[i] === g)
    const movers = members(from),
      stayers = members(to)
    // Every link across the two groups, as a motion of the one group's frame to the other's.
    const across = links
      .filter(
        (l) =>
          !refused.has(l) && ((group[l.a] === from && group[l.b] === to) || (group[l.a] === to && group[l.b] === from)),
      )
      .map((l) => {
        const forward = group[l.a] === from
        const [m, s] = forward ? [l.a, l.b] : [l.b, l.a]
        return {
          link: l,
          about: middles[m],
          m,
          motion: compose(motions[s], compose(forward ? l.motion : invertRigid(l.motion), invertRigid(motions[m]))),
        }
      })
    const hypotheses: typeof across = []
    for (const h of across)
      if (
        hypotheses.length < COMPARED &&
        hypotheses.every(
          (k) =>
            !samePose(
              compose(k.motion, motions[h.m]),
              compose(h.motion, motions[h.m]),
              h.about,
              takes[h.m].outline.voxelMm,
            ),
        )
      )
        hypotheses.push(h)
    const judged = hypotheses
      .map((h) => {
        let score = 0
        for (const i of movers)
          for (const j of stayers) {
            const c = judgePose(takes[i], takes[j], compose(invertRigid(motions[j]), compose(h.motion, motions[i])))
            score += worthOf(c)
          }
        return { h, score }
      })
      .sort((p, q) => q.score - p.score)
    const best = judged[0]
    if (best && best.score > 0) {
      for (const i of movers) {
        motions[i] = compose(best.h.motion, motions[i])
        group[i] = to
      }
      order.push(best.h.link)
    } else for (const h of across) refused.add(h.link)
  }
  return { motions, group, order }
}
