import type { JoinCase } from '../core/src/testing/join-cases'

/* Verdicts of many joins in a table. */

export type VerdictRow = Omit<JoinCase, 'report'>

/**
 * Bad: off by more than 1.5 T. Good: by less than 0.67 T; by luck where the surface does not say how the takes belong
 * together.
 */
export function kindsOf(rows: readonly VerdictRow[]): {
  bad: readonly VerdictRow[]
  good: readonly VerdictRow[]
  luck: readonly VerdictRow[]
} {
  const near = rows.filter((r) => r.errorMm < 0.67 * r.toleranceMm)
  return {
    bad: rows.filter((r) => r.errorMm > 1.5 * r.toleranceMm),
    good: near.filter((r) => r.decidable),
    luck: near.filter((r) => !r.decidable),
  }
}

export function tableOf(rows: readonly VerdictRow[]): string {
  const { bad, good, luck } = kindsOf(rows)
  return (
    [
      ['bad', bad, 'unsound'],
      ['good, decidable', good, 'sound'],
      ['good by luck, undecidable', luck, 'unsound'],
    ] as const
  )
    .map(([name, list, want]) => {
      const count = (v: string): number => list.filter((r) => r.verdict === v).length
      return (
        `${name}: ${list.length} cases; sound ${count('sound')}, doubtful ${count('doubtful')}, ` +
        `unsound ${count('unsound')}; ${want} at least ` +
        `${(100 * lower(count(want), list.length)).toFixed(1)} % (one-sided 95 %)\n`
      )
    })
    .join('')
}

/** Lower bound of a proportion: Wilson 1927, JASA 22, one-sided 95 %. */
function lower(k: number, n: number): number {
  if (n === 0) return 0
  const z = 1.645,
    p = k / n
  return (p + (z * z) / (2 * n) - z * Math.sqrt((p * (1 - p)) / n + (z * z) / (4 * n * n))) / (1 + (z * z) / n)
}
