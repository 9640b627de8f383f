import type { PhotoRecord } from '@holosoma/engine'

/** Table angles this far apart are the same photo of a turn, degrees. */
const SAME_DEG = 0.5

/**
 * Which photos of a turn are here, by their number in it. Of one made twice the later counts; photos of a turn in other
 * steps count where their angles agree.
 */
export function photosHere(photos: readonly PhotoRecord[], take: string, perTurn: number): Set<number> {
  const step = 360 / perTurn
  const out = new Set<number>()
  for (const p of photos) {
    if (p.pose !== take || p.tableDeg === null) continue
    const i = Math.round(p.tableDeg / step)
    if (Math.abs(p.tableDeg - i * step) < SAME_DEG) out.add(i % perTurn)
  }
  return out
}

/** Photos of a take in the order of their angles, the later of two at one angle; then those that came as files. */
export function photosOf(photos: readonly PhotoRecord[], take: string): PhotoRecord[] {
  const own = photos.filter((p) => p.pose === take)
  const byAngle = new Map<number, PhotoRecord>()
  for (const p of own) if (p.tableDeg !== null) byAngle.set(Math.round(p.tableDeg / SAME_DEG), p)
  return [
    ...[...byAngle.entries()].sort((a, b) => a[0] - b[0]).map(([, p]) => p),
    ...own.filter((p) => p.tableDeg === null),
  ]
}
