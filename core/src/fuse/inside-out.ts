import { transformPoint, rotateVectors, type Motion } from '../linear/rigid'
import { outermostFacing } from '../cloud/orient'
import { medianSpacing } from '../cloud/spacing'
import type { PointCloud } from '../shapes'
import { KdTree } from '../spatial/kd-tree'

/** Points of each take that are looked at. */
const LOOKED_AT = 15_000
/** Another take's point is of the same place within so many spacings of what is looked at. */
const NEAR_SPACINGS = 2
/** Points face the same way, or against each other (cosine). */
const SAME = 0.5
/** Neighbours asked for one of another take. */
const NEIGHBOURS = 12
/** Seen from outside, the outermost point in every direction looks there; no bowl seen from within looks back in all. */
const BACK = -0.5
/** A take is asked where so many of its points lie on another. */
const LEAST_SHARED = 50

/** A take with the way its points face, and the motion that brings it to the common frame. */
interface Oriented {
  readonly cloud: PointCloud
  readonly motion: Motion
}

/**
 * Which takes face into the piece where the others face out of it: most of their points that lie on another take face
 * against it, and on the whole they face towards the middle of the piece. Takes that agree, or one alone, are told where
 * they reach all round and the outermost points of every side look back: a bowl seen from within faces its middle, too,
 * but not at its rim.
 * @returns numbers of the takes, in their order
 */
export function insideOut(takes: readonly Oriented[]): number[] {
  const parts = takes.map(({ cloud, motion }) => someOf(cloud, motion))
  const total = parts.reduce((n, p) => n + p.positions.length, 0)
  const positions = new Float32Array(total),
    normals = new Float32Array(total),
    whose = new Uint16Array(total / 3)
  parts.reduce((at, p, t) => {
    positions.set(p.positions, at)
    normals.set(p.normals, at)
    whose.fill(t, at / 3, (at + p.positions.length) / 3)
    return at + p.positions.length
  }, 0)
  const facing = outermostFacing(positions, normals, Array.from(whose.keys()))
  if (facing.every((side) => side < BACK)) return takes.map((_, t) => t)
  if (takes.length < 2) return []
  const middle = [0, 0, 0]
  for (let i = 0; i < total; i++) middle[i % 3] += (positions[i] * 3) / total
  const reach = NEAR_SPACINGS * Math.max(...parts.map((p) => medianSpacing(p)))
  const tree = new KdTree(positions)
  const ids = new Int32Array(NEIGHBOURS),
    d2 = new Float64Array(NEIGHBOURS)
  const out: number[] = []
  takes.forEach((_, t) => {
    let alike = 0,
      against = 0,
      outwards = 0
    for (let i = 0; i < whose.length; i++) {
      if (whose[i] !== t) continue
      const o = i * 3
      for (let c = 0; c < 3; c++) outwards += normals[o + c] * (positions[o + c] - middle[c])
      const found = tree.knn(positions[o], positions[o + 1], positions[o + 2], NEIGHBOURS, ids, d2, reach * reach)
      for (let k = 0; k < found; k++) {
        if (whose[ids[k]] === t) continue
        const q = ids[k] * 3
        const facing = normals[o] * normals[q] + normals[o + 1] * normals[q + 1] + normals[o + 2] * normals[q + 2]
        if (facing > SAME) alike++
        else if (facing < -SAME) against++
        break
      }
    }
    if (outwards < 0 && against > alike && against + alike >= LEAST_SHARED) out.push(t)
  })
  return out
}

/** Every so manyth point of a take, where it lies in the common frame. */
function someOf(
  { positions: p, normals: n }: PointCloud,
  motion: Motion,
): { positions: Float32Array; normals: Float32Array } {
  const every = Math.max(1, Math.ceil(p.length / 3 / LOOKED_AT))
  const count = Math.ceil(p.length / 3 / every)
  const positions = new Float32Array(count * 3),
    normals = new Float32Array(count * 3)
  for (let i = 0; i < count; i++) {
    const o = i * every * 3
    positions.set(transformPoint(motion, p[o], p[o + 1], p[o + 2]), i * 3)
    if (n) normals.set(n.subarray(o, o + 3), i * 3)
  }
  return { positions, normals: rotateVectors(motion, normals) }
}
