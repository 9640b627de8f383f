import type { JoinReport } from '../align/join-report'
import { JOIN_LIMITS } from '../align/judge/limits'
import { sureAmong } from '../align/judge/tension'
import type { Verdict } from '../findings'

/* What a join's verdict rests on, as bare numbers: so that limits can be tried on many joins without matching them again. */

export interface JoinEvidence {
  /** A take without a place, or sizes that differ. */
  readonly lost: boolean
  readonly sizesDiffer: boolean
  /** Least common surface of the links that hold the takes together; 0 where one is missing. */
  readonly overlap: number
  /** Worst scatter over what the points explain, and the same in tolerances. */
  readonly scatter: number
  readonly scatterTolerances: number
  /** Play of the weakest motion, in tolerances; very large where it is free. */
  readonly playTolerances: number
  readonly looksAlike: boolean
  /** Another pose that nothing contradicts and that meets on less: so much of what the pose taken meets on; 0 without one. */
  readonly lessShare: number
  /** Share of the largest double wall; 0 without one. */
  readonly doubleShare: number
  readonly inTheWay: number
  /** How far a pair would still move, in tolerances. */
  readonly tensionTolerances: number
}

const FREE = 1e6

export function evidenceOf(r: JoinReport): JoinEvidence {
  const T = r.toleranceMm
  const links = r.tree.flatMap(([a, b]) => r.pairs.filter((p) => (p.a === a && p.b === b) || (p.a === b && p.b === a)))
  const over = r.pairs.map((p) => p.shared.rmsMm / Math.max(p.shared.expectedMm, 0.15 * T, 1e-9))
  const main = over.indexOf(Math.max(...over))
  const others = r.alternatives.filter((a) => a.farMm > T && !a.ruledOutBy)
  const wall = [...r.walls].sort((x, y) => y.areaMm2 - x.areaMm2)[0]
  const size = 2 * Math.max(0, ...r.pairs.map((p) => p.shared.points.reduce((far, _, i, all) => (i % 30 === 0 ? Math.max(far, Math.hypot(all[i]! - all[0]!, all[i + 1]! - all[1]!, all[i + 2]! - all[2]!)) : far), 0) / 2))
  const play = r.slides.modes[0]?.motion.playMm ?? 0
  return {
    lost: r.motions.some((m) => !m), sizesDiffer: r.tensions.some((t) => Math.abs(t.scale) > sureAmong(r.tensions.length) * t.scaleSigma && (Math.abs(t.scale) * size) / 2 > T / 3),
    overlap: links.length > 0 && links.length >= r.tree.length ? Math.min(...links.map((p) => p.shared.share)) : 0,
    scatter: main < 0 ? FREE : over[main]!, scatterTolerances: main < 0 ? FREE : r.pairs[main]!.shared.rmsMm / T,
    playTolerances: Number.isFinite(play) ? play / T : FREE, looksAlike: others.some((a) => a.asWell), lessShare: Math.max(0, ...others.filter((a) => !a.asWell).map((a) => a.share / a.mainShare)),
    doubleShare: wall?.share ?? 0, inTheWay: Math.max(0, ...r.conflicts.map((c) => c.share)), tensionTolerances: Math.max(0, ...r.tensions.map((t) => t.wantsMm)) / T,
  }
}

export type JoinLimits = { readonly [K in keyof typeof JOIN_LIMITS]: number }

/** The verdict of the findings, from numbers alone. */
export function verdictFrom(e: JoinEvidence, L: JoinLimits = JOIN_LIMITS): Verdict {
  if (e.lost || e.overlap < L.noOverlap || e.scatter > L.scatterUnsound || e.scatterTolerances > 1 || e.playTolerances > L.playUnsound || e.looksAlike || e.doubleShare > L.doubleShare || e.inTheWay > L.conflictUnsound || e.tensionTolerances > L.tensionUnsound) return 'unsound'
  if (e.sizesDiffer || e.overlap < L.overlap || e.scatter > L.scatter || e.playTolerances > L.playSound || e.lessShare >= L.lessShare || e.doubleShare > 0 || e.inTheWay > L.conflictDoubtful || e.tensionTolerances > L.tensionSound) return 'doubtful'
  return 'sound'
}
