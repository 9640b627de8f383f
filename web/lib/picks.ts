import { isGeometryError } from '@holosoma/core/errors'
import { rigidFromPairs } from '@holosoma/core/align/pairs'
import type { PickedPair } from './store'

export interface LiveFit {
  readonly rmsMm: number
  /** By pair; undefined where a pair lacks a side. */
  readonly residualMm: readonly (number | undefined)[]
  readonly error: string | null
}

/** The fit of the picked pairs as they are now; null until there are three. */
export function fitPairs(pairs: readonly PickedPair[]): LiveFit | null {
  const whole = pairs.flatMap((p, i) => (p.a && p.b ? [{ i, a: p.a.at, b: p.b.at }] : []))
  if (whole.length < 3) return null
  try {
    const fit = rigidFromPairs(Float64Array.from(whole.flatMap((p) => p.a)), Float64Array.from(whole.flatMap((p) => p.b)))
    const residualMm: (number | undefined)[] = pairs.map(() => undefined)
    whole.forEach((p, k) => {
      residualMm[p.i] = fit.residualMm[k]
    })
    return { rmsMm: fit.rmsMm, residualMm, error: null }
  } catch (error) {
    if (isGeometryError(error)) return { rmsMm: 0, residualMm: [], error: error.message }
    throw error
  }
}

/** Whole pairs by the takes' names, as the join operation wants them. */
export function pairsBetween(pairs: readonly PickedPair[], takes: readonly { id: number; name: string }[]): object[] {
  const nameOf = (id: number): string => takes.find((t) => t.id === id)?.name ?? ''
  return pairs.flatMap((p) => (p.a && p.b ? [{ a: { take: nameOf(p.a.takeId), at: [...p.a.at] }, b: { take: nameOf(p.b.takeId), at: [...p.b.at] } }] : []))
}
