import { symmetricEigen } from '../../linear/symmetric'
import { KdTree } from '../../spatial/kd-tree'

/** Places looked at within reach, and neighbours each is judged by. */
const MAX_PLACES = 160
const NEIGHBOURS = 48
/** A feature must bend so much more than what lies about it, and at all. */
const STANDS_OUT = 2
const MIN_VARIATION = 0.004

/**
 * The most pronounced place near a click: where the surface bends most, by surface variation (Pauly, Gross, Kobbelt
 * 2002, "Efficient simplification of point-sampled surfaces", VIS: least eigenvalue of the neighbourhood's covariance
 * over the sum of all), the nearer the better.
 * @param at mm, on the surface @param reachMm how far the place may lie from it
 * @returns index of the point; null where the surface is as even as about it: there is nothing to snap to
 */
export function snapToFeature(
  tree: KdTree,
  positions: Float32Array,
  at: readonly [number, number, number],
  reachMm: number,
): number | null {
  const most = Math.min(tree.count, 4000)
  const ids = new Int32Array(most),
    d2 = new Float64Array(most)
  const found = tree.knn(at[0], at[1], at[2], most, ids, d2, reachMm * reachMm)
  if (found < NEIGHBOURS) return null
  const near = new Int32Array(NEIGHBOURS),
    nearD2 = new Float64Array(NEIGHBOURS)
  const step = Math.max(1, Math.floor(found / MAX_PLACES))
  const bends: number[] = []
  let best = -1,
    most2 = 0,
    bestBend = 0
  for (let k = 0; k < found; k += step) {
    const i = ids[k] * 3
    // Of a neighbourhood as wide as half the reach, evenly thinned, so that noise says little.
    const n = tree.knn(positions[i], positions[i + 1], positions[i + 2], NEIGHBOURS, near, nearD2, reachMm * reachMm)
    const bend = variationOf(positions, near, n)
    bends.push(bend)
    const score = bend * (1 - (0.5 * Math.sqrt(d2[k])) / reachMm)
    if (score > most2) {
      most2 = score
      bestBend = bend
      best = ids[k]!
    }
  }
  const middle = bends.sort((a, b) => a - b)[bends.length >> 1]
  return best >= 0 && bestBend >= MIN_VARIATION && bestBend >= STANDS_OUT * middle ? best : null
}

/** As `snapToFeature` on a cloud without a tree: only what lies about the spot is looked at. */
export function snapOnCloud(
  positions: Float32Array,
  at: readonly [number, number, number],
  reachMm: number,
): [number, number, number] {
  const near: number[] = [],
    far2 = (2 * reachMm) ** 2
  for (let i = 0; i < positions.length; i += 3)
    if ((positions[i] - at[0]) ** 2 + (positions[i + 1] - at[1]) ** 2 + (positions[i + 2] - at[2]) ** 2 <= far2)
      near.push(positions[i], positions[i + 1], positions[i + 2])
  const own = Float32Array.from(near)
  const found = snapToFeature(new KdTree(own), own, at, reachMm)
  return found === null ? [...at] : [own[found * 3], own[found * 3 + 1], own[found * 3 + 2]]
}

function variationOf(p: Float32Array, ids: Int32Array, n: number): number {
  const c = [0, 0, 0],
    m = new Float64Array(9)
  for (let j = 0; j < n; j++) for (let k = 0; k < 3; k++) c[k] += p[ids[j] * 3 + k] / n
  for (let j = 0; j < n; j++)
    for (let r = 0; r < 3; r++)
      for (let s = 0; s < 3; s++) m[r * 3 + s] += (p[ids[j] * 3 + r] - c[r]) * (p[ids[j] * 3 + s] - c[s])
  const { values } = symmetricEigen(m, 3)
  return values[0] / Math.max(1e-30, values[0] + values[1] + values[2])
}
