import { transformPoint, type Motion } from '../linear/rigid'
import type { PointCloud } from '../shapes'

/** Fewer points than this say nothing of how a frame lies. */
export const MIN_POINTS = 60

/** Indices of each frame's points. */
export function framePoints({ frame, frameOrigins }: PointCloud): Int32Array[] {
  const n = frameOrigins!.length / 3
  const counts = new Int32Array(n)
  for (const f of frame!) if (f < n) counts[f]++
  const lists = Array.from(counts, (c) => new Int32Array(c))
  const at = new Int32Array(n)
  frame!.forEach((f, i) => {
    if (f < n) lists[f][at[f]++] = i
  })
  return lists
}

/** A take with every frame moved by its own motion, in the take's coordinates; same points in the same order. */
export function movedByFrame(cloud: PointCloud, corrections: readonly Motion[]): PointCloud {
  const origins = cloud.frameOrigins!.slice()
  corrections.forEach((m, f) =>
    origins.set(transformPoint(m, origins[f * 3], origins[f * 3 + 1], origins[f * 3 + 2]), f * 3),
  )
  const normals = cloud.normals && byFrame(cloud.normals, cloud.frame!, corrections, 0)
  return {
    ...cloud,
    positions: byFrame(cloud.positions, cloud.frame!, corrections, 1),
    ...(normals && { normals }),
    frameOrigins: origins,
  }
}

/** @param shift 1 for places, 0 for directions */
function byFrame(values: Float32Array, frame: Uint16Array, corrections: readonly Motion[], shift: 0 | 1): Float32Array {
  const out = new Float32Array(values.length)
  for (let i = 0, k = 0; i < frame.length; i++, k += 3) {
    const m = corrections[frame[i]]
    const x = values[k],
      y = values[k + 1],
      z = values[k + 2]
    out[k] = m[0] * x + m[1] * y + m[2] * z + shift * m[3]
    out[k + 1] = m[4] * x + m[5] * y + m[6] * z + shift * m[7]
    out[k + 2] = m[8] * x + m[9] * y + m[10] * z + shift * m[11]
  }
  return out
}
