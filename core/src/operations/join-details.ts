import type { JoinReport } from '../align/takes/join-report'
import { pairVerdict, tellablePoses } from '../align/judge/verdict'
import { histogramOf, type Histogram } from '../align/overlap'
import type { Verdict } from '../findings'
import { compose, invertRigid, motionRows } from '../linear/rigid'

/** A pair of takes that share surface, by the names they had. */
export interface JoinedPair {
  readonly take: string
  readonly fixed: string
  readonly overlap: number
  readonly overlapMm2: number
  readonly rmsMm: number
  readonly p95Mm: number
  readonly expectedMm: number
  readonly verdict: Verdict
  /** Null: nothing bounds it. */
  readonly playMm: number | null
  readonly free: number
  readonly histogram: Histogram
  /** Rows, take → fixed. */
  readonly motion: number[][]
}

/** A way in which takes can still move against the others. */
export interface JoinSlide {
  readonly kind: 'translation' | 'rotation' | 'screw'
  readonly free: boolean
  readonly playMm: number | null
  readonly boundMm: number | null
  readonly axis: readonly [number, number, number]
  readonly point: readonly [number, number, number]
  readonly pitchMm: number | null
  readonly movers: readonly string[]
  readonly stayers: readonly string[]
}

/** Another pose that fits. */
export interface JoinAlternative {
  readonly movers: readonly string[]
  readonly stayers: readonly string[]
  readonly turnDeg: number
  readonly shiftMm: number
  /** Fits as well as the pose taken; otherwise it meets on less, and nothing contradicts it. */
  readonly asWell: boolean
  readonly share: number
  readonly mainShare: number
  readonly rmsMm: number
  readonly mainRmsMm: number
  readonly motion: number[][]
}

export interface JoinDetails {
  readonly pairs: readonly JoinedPair[]
  readonly links: readonly (readonly [string, string])[]
  readonly slides: readonly JoinSlide[]
  readonly alternatives: readonly JoinAlternative[]
  readonly doubleWalls: readonly {
    readonly takes: readonly [string, string]
    readonly share: number
    readonly areaMm2: number
    readonly apartMm: number
    readonly at: readonly number[]
  }[]
  readonly conflicts: readonly { readonly takes: readonly [string, string]; readonly share: number }[]
  readonly closing: JoinReport['closing']
}

/** Slides that are worth telling: the freest. */
const MAX_SLIDES = 6
/** Below this share two takes hardly contradict each other. */
const MIN_CONFLICT = 0.002
/** A histogram reaches this many expected distances either way. */
const HISTOGRAM_REACH = 3.2

const finite = (v: number): number | null => (Number.isFinite(v) ? v : null)

/** A join's report by the names of its takes, as plain data. */
export function joinDetails(r: JoinReport, names: readonly string[]): JoinDetails {
  const called = (i: number): string => names[i]
  return {
    pairs: r.pairs.map((p, i) => {
      const { verdict, playMm } = pairVerdict(r, i)
      return {
        take: called(p.b),
        fixed: called(p.a),
        overlap: p.shared.share,
        overlapMm2: p.shared.areaMm2,
        rmsMm: p.shared.rmsMm,
        p95Mm: p.shared.p95Mm,
        expectedMm: p.shared.expectedMm,
        verdict,
        playMm: finite(playMm),
        free: r.slides.pairFree[i],
        histogram: histogramOf(p.shared.apartMm, HISTOGRAM_REACH * Math.max(p.shared.expectedMm, r.cellMm * 1e-3)),
        motion: motionRows(compose(invertRigid(r.motions[p.a]!), r.motions[p.b]!)),
      }
    }),
    links: r.tree.map(([a, b]) => [called(a), called(b)] as const),
    slides: r.slides.modes.slice(0, MAX_SLIDES).map((m) => ({
      kind: m.motion.kind,
      free: m.motion.free,
      playMm: finite(m.motion.playMm),
      boundMm: finite(m.motion.boundMm),
      axis: m.motion.axis,
      point: m.motion.point,
      pitchMm: finite(m.motion.pitchMm),
      movers: m.movers.map(called),
      stayers: m.stayers.map(called),
    })),
    alternatives: tellablePoses(r).map((a) => ({
      movers: a.movers.map(called),
      stayers: a.stayers.map(called),
      turnDeg: a.turnDeg,
      shiftMm: a.shiftMm,
      asWell: a.asWell,
      share: a.share,
      mainShare: a.mainShare,
      rmsMm: a.rmsMm,
      mainRmsMm: a.mainRmsMm,
      motion: motionRows(a.motion),
    })),
    doubleWalls: r.walls.map((w) => ({
      takes: [called(w.a), called(w.b)] as const,
      share: w.share,
      areaMm2: w.areaMm2,
      apartMm: w.apartMm,
      at: w.at,
    })),
    conflicts: r.conflicts
      .filter((c) => c.share > MIN_CONFLICT)
      .map((c) => ({ takes: [called(c.a), called(c.b)] as const, share: c.share })),
    closing: r.closing,
  }
}
