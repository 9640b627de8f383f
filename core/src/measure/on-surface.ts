import { checkpoint, type RunContext } from '../context'
import type { TriangleMesh } from '../shapes'
import { TriangleBvh } from '../spatial/triangle-bvh'

/**
 * Share of places that lie on a surface, 0–1; 0 for none.
 * @param places x, y, z …, mm @param withinMm how far off a place may lie
 */
export function shareOnSurface(mesh: TriangleMesh, places: ArrayLike<number>, withinMm: number): number {
  const bvh = new TriangleBvh(mesh)
  let on = 0
  for (let i = 0; i + 2 < places.length; i += 3)
    if (bvh.closest(places[i], places[i + 1], places[i + 2], withinMm * withinMm)) on++
  return places.length >= 3 ? on / Math.floor(places.length / 3) : 0
}

/** Rounding of the numbers a mesh is kept in, mm. */
const ON_IT = 1e-4

/** The place on the surface nearest to one, where that lies within a distance; null where none does. */
export function nearestOnSurface(
  bvh: TriangleBvh,
  [x, y, z]: readonly number[],
  withinMm: number,
): [number, number, number] | null {
  if (!bvh.closest(x, y, z, withinMm * withinMm)) return null
  // A place that lies on it already keeps its very numbers.
  if (bvh.result.distance2 < ON_IT * ON_IT) return [x, y, z]
  return [bvh.result.x, bvh.result.y, bvh.result.z]
}

const TICK = 8192

/**
 * How far the farthest point of one mesh lies from the surface of another, mm; unused points count, too.
 * @param likelyMm most lie nearer than this, which is looked through first
 */
export function farthestMm(
  { positions: p }: Pick<TriangleMesh, 'positions'>,
  surface: TriangleMesh,
  likelyMm: number,
  context: RunContext,
): number {
  const bvh = new TriangleBvh(surface)
  const likely2 = likelyMm * likelyMm
  let most2 = 0
  for (let i = 0; i < p.length; i += 3) {
    if ((i / 3) % TICK === 0) checkpoint(context, i, p.length, 'Measuring how far it lies')
    if (!bvh.closest(p[i], p[i + 1], p[i + 2], likely2)) bvh.closest(p[i], p[i + 1], p[i + 2])
    if (bvh.result.distance2 > most2 && bvh.result.face >= 0) most2 = bvh.result.distance2
  }
  return Math.sqrt(most2)
}
