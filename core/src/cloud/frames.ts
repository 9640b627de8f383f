import { transformPoint, type Motion } from '../linear/rigid'
import type { PointCloud } from '../shapes'

/** Fewer points than this say nothing of how a frame lies. */
export const LEAST_POINTS = 60

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
  const normals = cloud.normals && turnAll(cloud.normals, cloud.frame!, corrections)
  return {
    ...cloud,
    positions: placeAll(cloud.positions, cloud.frame!, corrections),
    ...(normals && { normals }),
    frameOrigins: origins,
  }
}

function placeAll(positions: Float32Array, frame: Uint16Array, corrections: readonly Motion[]): Float32Array {
  const out = new Float32Array(positions.length)
  for (let i = 0; i < frame.length; i++) {
    const m = corrections[frame[i]]
    const x = positions[i * 3],
      y = positions[i * 3 + 1],
      z = positions[i * 3 + 2]
    out[i * 3] = m[0] * x + m[1] * y + m[2] * z + m[3]
    out[i * 3 + 1] = m[4] * x + m[5] * y + m[6] * z + m[7]
    out[i * 3 + 2] = m[8] * x + m[9] * y + m[10] * z + m[11]
  }
  return out
}

function turnAll(normals: Float32Array, frame: Uint16Array, corrections: readonly Motion[]): Float32Array {
  const out = new Float32Array(normals.length)
  for (let i = 0; i < frame.length; i++) {
    const m = corrections[frame[i]]
    const x = normals[i * 3],
      y = normals[i * 3 + 1],
      z = normals[i * 3 + 2]
    out[i * 3] = m[0] * x + m[1] * y + m[2] * z
    out[i * 3 + 1] = m[4] * x + m[5] * y + m[6] * z
    out[i * 3 + 2] = m[8] * x + m[9] * y + m[10] * z
  }
  return out
}
