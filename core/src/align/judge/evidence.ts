import { worst, type Verdict } from '../../findings'
import type { JoinReport } from '../takes/join-report'
import type { Alternative } from './alternatives'
import { JOIN_LIMITS } from './limits'
import { sureAmong, type Tension } from './tension'

/*
 * What a join's verdict rests on, as bare numbers, and the rules over them: findings put them into words, and limits
 * are tried on many joins without matching them again.
 */

export interface JoinEvidence {
  /** A take without a place. */
  readonly lost: boolean
  /** Least common surface of the links that hold the takes together; 0 where one is missing. */
  readonly overlap: number
  /** Worst scatter over what the points explain, and the same in tolerances. */
  readonly scatter: number
  readonly scatterTolerances: number
  /** Play of the weakest motion, in tolerances; very large where it is free. */
  readonly playTolerances: number
  readonly looksAlike: boolean
  /**
   * Another pose that nothing contradicts and that meets on less: so much of what the pose taken meets on; 0 without
   * one.
   */
  readonly lessShare: number
  /** Share of the largest double wall; 0 without one. */
  readonly doubleShare: number
  readonly inTheWay: number
  /** Worst share of two takes' places that rule each other out; 0 where there are too few of them to say so. */
  readonly ruledOutShare: number
  /** How far a pair would still move, in tolerances. */
  readonly tensionTolerances: number
  readonly sizesDiffer: boolean
}

/** A number for what is free, so that rows of evidence can be kept as JSON. */
const FREE = 1e6

type Pair = JoinReport['pairs'][number]
const largest = <T>(items: readonly T[], by: (item: T) => number): T | null =>
  items.reduce<T | null>((x, y) => (x === null || by(y) > by(x) ? y : x), null)

/** The thinnest link that the whole hangs on; null where one is missing. */
export function weakestLink(r: JoinReport): Pair | null {
  const links = r.tree.flatMap(([a, b]) => r.pairs.filter((p) => (p.a === a && p.b === b) || (p.a === b && p.b === a)))
  return links.length < r.tree.length ? null : largest(links, (p) => -p.shared.share)
}

/** Scatter where two takes meet over what their points explain. */
const scatterOf = (r: JoinReport, p: Pair): number =>
  p.shared.rmsMm / Math.max(p.shared.expectedMm, 0.15 * r.toleranceMm, 1e-9)
/** The pair of takes whose common surface scatters most; null where there is none. */
export const roughestPair = (r: JoinReport): Pair | null => largest(r.pairs, (p) => scatterOf(r, p))
/** The largest double wall; null where there is none. */
export const largestWall = (r: JoinReport): JoinReport['walls'][number] | null => largest(r.walls, (w) => w.areaMm2)
/** The take that stands most in what another saw through; null where none does. */
export const mostInTheWay = (r: JoinReport): JoinReport['conflicts'][number] | null =>
  largest(r.conflicts, (c) => c.share)
/** The pair of takes of which most is ruled out; null where that is nothing to speak of. */
export const mostRuledOut = (r: JoinReport): JoinReport['ruledOut'][number] | null =>
  largest(
    r.ruledOut.filter((c) => c.places >= JOIN_LIMITS.ruledOutLeast),
    ruledOutShareOf,
  )
export const ruledOutShareOf = (c: JoinReport['ruledOut'][number]): number => c.places / c.looked
/** The take or pair that would move farthest, left alone; null where none is. */
export const tensest = (r: JoinReport): Tension | null => largest(r.tensions, (t) => t.wantsMm)

/**
 * The pair whose sizes differ the most, surely and by more than a third of the tolerance over the piece; null where
 * none does.
 */
export function sizesApart(r: JoinReport): Tension | null {
  const halfMm = Math.max(0, ...r.pairs.map((p) => extentOf(p.shared.points)))
  const sure = sureAmong(r.tensions.length)
  return largest(
    r.tensions.filter((t) => Math.abs(t.scale) > sure * t.scaleSigma && Math.abs(t.scale) * halfMm > r.toleranceMm / 3),
    (t) => Math.abs(t.scale),
  )
}

/** Half the way from the first place to the farthest. */
function extentOf(p: Float32Array): number {
  let far = 0
  for (let i = 0; i < p.length; i += 30) far = Math.max(far, Math.hypot(p[i] - p[0], p[i + 1] - p[1], p[i + 2] - p[2]))
  return far / 2
}

/** Other poses farther off than the tolerance, whether or not marks or colours rule them out. */
export const otherPoses = (r: JoinReport): Alternative[] => r.alternatives.filter((a) => a.farMm > r.toleranceMm)
/** So much of what the pose taken meets on does another meet on. */
export const shareBeside = (a: Alternative): number => a.share / a.mainShare
/** Fits as well, or meets on less and nothing contradicts it. */
export const isOpen = (a: Alternative): boolean => a.asWell || shareBeside(a) >= JOIN_LIMITS.lessShare

/** The figures a verdict is made of: lengths in mm, shares 0 to 1. */
export function evidenceOf(r: JoinReport): JoinEvidence {
  const rough = roughestPair(r),
    open = otherPoses(r).filter((a) => !a.ruledOutBy),
    ruledOut = mostRuledOut(r)
  const play = r.slides.modes[0]?.motion.playMm ?? 0
  return {
    lost: r.motions.some((m) => !m),
    overlap: weakestLink(r)?.shared.share ?? 0,
    scatter: rough ? scatterOf(r, rough) : FREE,
    scatterTolerances: rough ? rough.shared.rmsMm / r.toleranceMm : FREE,
    playTolerances: Number.isFinite(play) ? play / r.toleranceMm : FREE,
    looksAlike: open.some((a) => a.asWell),
    lessShare: Math.max(0, ...open.filter((a) => !a.asWell).map(shareBeside)),
    doubleShare: largestWall(r)?.share ?? 0,
    inTheWay: mostInTheWay(r)?.share ?? 0,
    ruledOutShare: ruledOut ? ruledOutShareOf(ruledOut) : 0,
    tensionTolerances: (tensest(r)?.wantsMm ?? 0) / r.toleranceMm,
    sizesDiffer: sizesApart(r) !== null,
  }
}

export type JoinLimits = { readonly [K in keyof typeof JOIN_LIMITS]: number }
export type EvidenceVerdicts = Readonly<
  Record<
    'lost' | 'overlap' | 'residual' | 'slide' | 'alike' | 'double' | 'seenThrough' | 'ruledOut' | 'tension' | 'scale',
    Verdict
  >
>

/** What each figure says by itself, held against its limits. */
export function verdictsFrom(e: JoinEvidence, L: JoinLimits = JOIN_LIMITS): EvidenceVerdicts {
  const level = (unsound: boolean, doubtful: boolean): Verdict =>
    unsound ? 'unsound' : doubtful ? 'doubtful' : 'sound'
  return {
    lost: level(e.lost, false),
    overlap: level(e.overlap < L.noOverlap, e.overlap < L.overlap),
    residual: level(e.scatterTolerances > 1 || e.scatter > L.scatterUnsound, e.scatter > L.scatter),
    slide: level(e.playTolerances > L.playUnsound, e.playTolerances > L.playSound),
    alike: level(e.looksAlike, e.lessShare >= L.lessShare),
    double: level(e.doubleShare > L.doubleShare, e.doubleShare > 0),
    seenThrough: level(e.inTheWay > L.conflictUnsound, e.inTheWay > L.conflictDoubtful),
    ruledOut: level(e.ruledOutShare > L.ruledOutUnsound, e.ruledOutShare > L.ruledOutDoubtful),
    tension: level(e.tensionTolerances > L.tensionUnsound, e.tensionTolerances > L.tensionSound),
    scale: level(false, e.sizesDiffer),
  }
}

/** The verdict of the whole, from numbers alone. */
export const verdictFrom = (e: JoinEvidence, L: JoinLimits = JOIN_LIMITS): Verdict =>
  worst(Object.values(verdictsFrom(e, L)).map((verdict) => ({ verdict })))
