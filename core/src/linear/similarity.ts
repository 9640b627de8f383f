import { identityMotion, type Motion } from './rigid'

/** Turned, shifted and made larger: p → scale · R p + t, with R and t of the motion; mm. */
export interface Similarity {
  readonly scale: number
  readonly motion: Motion
}

export const sameSimilarity = (): Similarity => ({ scale: 1, motion: identityMotion() })

/** Where a place comes to. */
export function movedPlace({ scale, motion: m }: Similarity, [x, y, z]: readonly number[]): [number, number, number] {
  return [0, 4, 8].map((r) => scale * (m[r] * x + m[r + 1] * y + m[r + 2] * z) + m[r + 3]) as [number, number, number]
}

/** Where a list of places comes to: x, y, z … */
export function movedPlaces(map: Similarity, flat: readonly number[]): number[] {
  const out: number[] = []
  for (let i = 0; i + 2 < flat.length; i += 3) out.push(...movedPlace(map, [flat[i], flat[i + 1], flat[i + 2]]))
  return out
}

/** Where a direction points to; its length stays. */
export function movedDirection({ motion: m }: Similarity, [x, y, z]: readonly number[]): [number, number, number] {
  return [0, 4, 8].map((r) => m[r] * x + m[r + 1] * y + m[r + 2] * z) as [number, number, number]
}

/** A plane n·p = offset, n of length 1, after what is in it was moved. */
export function movedPlane(
  map: Similarity,
  normal: readonly number[],
  offset: number,
): { readonly normal: [number, number, number]; readonly offset: number } {
  const turned = movedDirection(map, normal)
  const at = movedPlace(
    map,
    normal.map((v) => v * offset),
  )
  return { normal: turned, offset: turned.reduce((s, v, c) => s + v * at[c], 0) }
}

/**
 * The map after both sides were made larger about their own zero points.
 * @param before how much larger the old side became @param now the new one
 */
export const afterScaling = ({ scale, motion }: Similarity, before: number, now: number): Similarity => ({
  scale: (scale * now) / before,
  motion: motion.map((v, i) => (i % 4 === 3 && i < 12 ? v * now : v)),
})
