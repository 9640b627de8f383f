'use client'
import { mm } from '@/lib/format'
import type { ReactNode } from 'react'
import type { Difference } from './use-difference'

/** How far two things lie apart, summed up. */
type Spread = Pick<Difference, 'signed' | 'meanMm' | 'p95Mm' | 'maxMm'>

/** From inside over touching to outside. */
const STEPS = [
  [59, 63, 140],
  [104, 108, 160],
  [158, 160, 184],
  [222, 216, 204],
  [202, 172, 140],
  [176, 130, 82],
  [138, 90, 34],
] as const
const MIDDLE = 3

/** The distance at which the ends of the scale stand, mm: a round number over what 95 of 100 points keep to. */
export function reachOf({ p95Mm }: Pick<Difference, 'p95Mm'>): number {
  const want = Math.max(p95Mm, 1e-4)
  const ten = 10 ** Math.floor(Math.log10(want))
  return [1, 2, 5, 10].map((f) => f * ten).find((v) => v >= want)!
}

/** Where nothing is near enough to be compared with. */
const NOTHING_NEAR = [112, 116, 120] as const

/** Seven steps over ± the reach; where there is no distance, grey. */
export function differenceTint(distanceMm: Float32Array, reachMm: number): Uint8Array {
  const out = new Uint8Array(distanceMm.length * 3)
  for (let i = 0; i < distanceMm.length; i++) {
    const at = Math.round((distanceMm[i] / reachMm) * MIDDLE) + MIDDLE
    out.set(Number.isNaN(at) ? NOTHING_NEAR : STEPS[Math.max(0, Math.min(STEPS.length - 1, at))], i * 3)
  }
  return out
}

/** What the steps mean, and how far the two lie apart. */
export function DifferenceKey({ difference, children }: { difference: Spread; children?: ReactNode }) {
  const reach = reachOf(difference)
  const shown = difference.signed ? STEPS : STEPS.slice(MIDDLE)
  return (
    <div
      className="absolute right-14 bottom-3 rounded-md border border-hair bg-card px-2 py-1 text-[12px] text-graphite"
      aria-label="Key of the difference"
      data-testid="difference"
      data-mean={difference.meanMm}
      data-p95={difference.p95Mm}
      data-max={difference.maxMm}
    >
      <div className="flex items-end gap-1">
        {shown.map((c, i) => {
          const v = ((i - (difference.signed ? MIDDLE : 0)) / MIDDLE) * reach
          return (
            <span key={i} className="text-center">
              <i className="block h-3 w-11" style={{ background: `rgb(${c.join()})` }} />
              <span className="figure">
                {v === 0 ? '0' : `${v > 0 ? '+' : '−'}${Number(Math.abs(v).toPrecision(2))}`}
              </span>
            </span>
          )
        })}
        <span>mm</span>
      </div>
      <p className="figure">
        mean {mm(difference.meanMm, 3)}, 95 of 100 within {mm(difference.p95Mm, 3)}, largest {mm(difference.maxMm, 2)}
      </p>
      {children}
    </div>
  )
}
