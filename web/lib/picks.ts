import { isGeometryError } from '@holosoma/core/errors'
import { judgePicks, nextPick } from '@holosoma/core/align/judge-picks'
import { rigidFromPairs } from '@holosoma/core/align/pairs'
import type { PickedPair } from './store'

export interface LiveFit {
  readonly rmsMm: number
  /** By pair; undefined where a pair lacks a side. */
  readonly residualMm: readonly (number | undefined)[]
  readonly error: string | null
  /** The pair that the others disown; null where none stands out. */
  readonly bad: number | null
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
    const { bad } = judgePicks(Float64Array.from(whole.flatMap((p) => p.a)), Float64Array.from(whole.flatMap((p) => p.b)))
    return { rmsMm: fit.rmsMm, residualMm, error: null, bad: bad === null ? null : whole[bad]!.i }
  } catch (error) {
    if (isGeometryError(error)) return { rmsMm: 0, residualMm: [], error: error.message, bad: null }
    throw error
  }
}

/** Places looked at for the next pick; a take's preview is a shuffle, so that its first points are spread evenly. */
const LOOKED_AT = 4000

/** Where on the first take one more pick helps most; null before there are three, and where the picks leave nothing unsure. */
export function bestNextPick(pairs: readonly PickedPair[], surface: Float32Array): readonly [number, number, number] | null {
  const picks = pairs.flatMap((p) => (p.a && p.b ? [...p.a.at] : []))
  const next = nextPick(Float64Array.from(picks), surface.subarray(0, 3 * LOOKED_AT))
  return next && next.worstScatters > HELPS * next.bestScatters ? next.at : null
}

/** A place that is surer than this many times the surest needs no pick of its own. */
const HELPS = 1.5

/** Whole pairs by the takes' names, as the join operation wants them. */
export function pairsBetween(pairs: readonly PickedPair[], takes: readonly { id: number; name: string }[]): object[] {
  const nameOf = (id: number): string => takes.find((t) => t.id === id)?.name ?? ''
  return pairs.flatMap((p) => (p.a && p.b ? [{ a: { take: nameOf(p.a.takeId), at: [...p.a.at] }, b: { take: nameOf(p.b.takeId), at: [...p.b.at] } }] : []))
}
