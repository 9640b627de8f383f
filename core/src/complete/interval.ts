/** A share with the bounds between which the true one lies nine times of ten. */
export interface Interval {
  readonly share: number
  readonly low: number
  readonly high: number
}

/*
 * How far estimates are off, learnt from seeded sessions on six shapes, each judged by the figures of the other five
 * (benchmarks/completeness.ts).
 */
const BELOW = { least: 0.003, slope: 0.16 } as const
const ABOVE = { least: 0.004, slope: 0.22 } as const

/** The range a share found on this bench lies in, 0 to 1. */
export function shareInterval(share: number): Interval {
  return {
    share,
    low: Math.max(0, share - BELOW.least - BELOW.slope * share),
    high: Math.min(1, share + ABOVE.least + ABOVE.slope * share),
  }
}
