import { isGeometryError } from '@holosoma/core/errors'
import { judgePicks, nextPick, rigidFromPairs } from '@holosoma/core/align'
import { invertRigid, motionRows } from '@holosoma/core/linear'
import type { PickedPair, Picking } from '@/stations/join/desk'

export interface LiveFit {
  readonly rmsMm: number
  /** Second take → first, as the pairs say; null when they say nothing. */
  readonly rows: number[][] | null
  /** By pair; undefined where a pair lacks a side. */
  readonly residualMm: readonly (number | undefined)[]
  readonly error: string | null
  /** The pair that the others disown; null where none stands out. */
  readonly bad: number | null
}

/** The fit of the picked pairs as they are now; null until there are three. */
export function fitPairs(pairs: readonly PickedPair[]): LiveFit | null {
  const whole = pairs.flatMap((p, i) => (p.a && p.b && !p.areaMm ? [{ i, a: p.a.at, b: p.b.at }] : []))
  if (whole.length < 3) return null
  try {
    const fit = rigidFromPairs(
      Float64Array.from(whole.flatMap((p) => p.a)),
      Float64Array.from(whole.flatMap((p) => p.b)),
    )
    const residualMm: (number | undefined)[] = pairs.map(() => undefined)
    whole.forEach((p, k) => {
      residualMm[p.i] = fit.residualMm[k]
    })
    const { bad } = judgePicks(
      Float64Array.from(whole.flatMap((p) => p.a)),
      Float64Array.from(whole.flatMap((p) => p.b)),
    )
    return {
      rmsMm: fit.rmsMm,
      rows: motionRows(invertRigid(fit.motion)),
      residualMm,
      error: null,
      bad: bad === null ? null : whole[bad].i,
    }
  } catch (error) {
    if (isGeometryError(error)) return { rmsMm: 0, rows: null, residualMm: [], error: error.message, bad: null }
    throw error
  }
}

/** Places looked at for the next pick; a take's preview is a shuffle, so that its first points are spread evenly. */
const LOOKED_AT = 4000

/**
 * Where on the first take one more pick helps most; null before there are three, and where the picks leave nothing
 * unsure.
 */
export function bestNextPick(
  pairs: readonly PickedPair[],
  surface: Float32Array,
): readonly [number, number, number] | null {
  const picks = pairs.flatMap((p) => (p.a && p.b ? [...p.a.at] : []))
  const next = nextPick(Float64Array.from(picks), surface.subarray(0, 3 * LOOKED_AT))
  return next && next.worstScatters > HELPS * next.bestScatters ? next.at : null
}

/** A place that is surer than this many times the surest needs no pick of its own. */
const HELPS = 1.5

interface Named {
  readonly id: number
  readonly name: string
  readonly fixed: boolean
}

/** The two takes that stand side by side for picking. */
export function takesToPick<T extends Named>(
  takes: readonly T[],
  { left, right }: Pick<Picking, 'left' | 'right'>,
  selected: number | null,
): [T, T] {
  const fixed = takes.find((t) => t.id === left) ?? takes.find((t) => t.fixed) ?? takes[0]
  const other =
    takes.find((t) => t.id === right && t !== fixed) ??
    takes.find((t) => t.id === selected && t !== fixed) ??
    takes.find((t) => t !== fixed)!
  return [fixed, other]
}

/** Pairs between two takes, in their places of the whole list; others are empty there. */
export const pairsOf = (pairs: readonly PickedPair[], left: number, right: number): PickedPair[] =>
  pairs.map((p) => ((p.a?.takeId ?? left) === left && (p.b?.takeId ?? right) === right ? p : { a: null, b: null }))

/** Every two takes that were picked on have three spots or an area in common. */
export function enoughPicked(pairs: readonly PickedPair[]): boolean {
  const have = new Map<string, number>()
  for (const p of pairs)
    if (p.a && p.b) {
      const key = [p.a.takeId, p.b.takeId].join()
      have.set(key, (have.get(key) ?? 0) + (p.areaMm ? 3 : 1))
    }
  return have.size > 0 && [...have.values()].every((n) => n >= 3)
}

/** Whole pairs by the takes' names, as the join operation wants them: spots and areas. */
export function pairsBetween(
  pairs: readonly PickedPair[],
  takes: readonly { id: number; name: string }[],
): { picks: object[]; areas: object[] } {
  const nameOf = (id: number): string => takes.find((t) => t.id === id)?.name ?? ''
  const whole = pairs
    .filter((p) => p.a && p.b)
    .map((p) => ({
      areaMm: p.areaMm,
      a: { take: nameOf(p.a!.takeId), at: [...p.a!.at] },
      b: { take: nameOf(p.b!.takeId), at: [...p.b!.at] },
    }))
  return {
    picks: whole.filter((p) => !p.areaMm).map(({ a, b }) => ({ a, b })),
    areas: whole
      .filter((p) => p.areaMm)
      .map(({ a, b, areaMm }) => ({ a: { ...a, radiusMm: areaMm }, b: { ...b, radiusMm: areaMm } })),
  }
}
