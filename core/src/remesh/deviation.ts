import type { TriangleMesh } from '../shapes'
import type { Ground } from './relax'

/** How far triangles lie off what they stand for, mm. */
export interface Deviation {
  readonly rmsMm: number
  readonly mostMm: number
}

/** So many faces are looked at, spread over all. */
const FACES = 40_000

/**
 * How far the triangles of a mesh lie off the ground their points were laid on: middles of faces and of edges, mm. The
 * ground may know of none near a place; it does not count then.
 */
export function deviationFrom({ positions: p, indices }: TriangleMesh, ground: Ground): Deviation {
  const at = new Float64Array(3),
    normal = new Float64Array(3),
    from = new Float64Array(3)
  const step = Math.max(1, Math.floor(indices.length / 3 / FACES)) * 3
  let sum = 0,
    count = 0,
    most = 0
  for (let i = 0; i < indices.length; i += step) {
    for (let k = 0; k < 4; k++) {
      for (let c = 0; c < 3; c++) {
        const a = p[indices[i] * 3 + c],
          b = p[indices[i + 1] * 3 + c],
          d = p[indices[i + 2] * 3 + c]
        from[c] = k === 0 ? (a + b + d) / 3 : k === 1 ? (a + b) / 2 : k === 2 ? (b + d) / 2 : (d + a) / 2
      }
      at.set(from)
      if (!ground.lay(at, normal)) continue
      const off = Math.hypot(at[0] - from[0], at[1] - from[1], at[2] - from[2])
      sum += off * off
      count++
      if (off > most) most = off
    }
  }
  return { rmsMm: count > 0 ? Math.sqrt(sum / count) : 0, mostMm: most }
}
