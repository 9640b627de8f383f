import { meetsRay, type Chunks } from './chunks'

/** Where a ray meets a shape. */
export interface Hit {
  readonly at: [number, number, number]
  /** Along the ray, mm. */
  readonly distanceMm: number
}

/** A layer ends where the next point lies this many radii deeper. */
const LAYER_GAP = 3
/** Within this share of the radius a click counts as on the front layer; farther off it may mean what shows behind. */
const SURE = 0.4

/**
 * The point of a cloud a person means who points along a ray: of the points within `radiusMm` of the ray, those of the front layer (points behind a gap
 * in depth are hidden or seen through a hole) and of them the one closest to the ray. When the front layer lies well beside the ray and a deeper one
 * does not, the deeper one is meant. `direction` is a unit vector; null when nothing is near.
 * @param chunks boxes over stretches of the points, of which only those near the ray are looked into
 */
export function pickPoint(p: Float32Array, origin: readonly number[], direction: readonly number[], radiusMm: number, chunks: Chunks | null = null): Hit | null {
  const [ox, oy, oz] = origin as [number, number, number]
  const [dx, dy, dz] = direction as [number, number, number]
  const limit = radiusMm * radiusMm
  const near: { i: number; t: number; off: number }[] = []
  const look = (i: number): void => {
    const x = p[i]! - ox, y = p[i + 1]! - oy, z = p[i + 2]! - oz
    const t = x * dx + y * dy + z * dz
    const off = x * x + y * y + z * z - t * t
    if (off <= limit && t >= 0) near.push({ i, t, off })
  }
  if (!chunks) for (let i = 0; i < p.length; i += 3) look(i)
  else {
    const n = p.length / 3
    for (let c = 0, from = 0; from < n; c++, from += chunks.size) {
      if (meetsRay(chunks, c, origin, direction, radiusMm)) for (let s = from, e = Math.min(n, from + chunks.size); s < e; s++) look(chunks.order[s]! * 3)
    }
  }
  near.sort((a, b) => a.t - b.t)
  let best: { i: number; t: number; off: number } | null = null
  for (let k = 0; k < near.length; ) {
    let layer = near[k]!
    let end = k
    do {
      if (near[end]!.off < layer.off) layer = near[end]!
      end++
    } while (end < near.length && near[end]!.t - near[end - 1]!.t < LAYER_GAP * radiusMm)
    if (layer.off <= limit * SURE * SURE) {
      best = layer
      break
    }
    if (!best || layer.off < best.off) best = layer
    k = end
  }
  return best && { at: [p[best.i]!, p[best.i + 1]!, p[best.i + 2]!], distanceMm: best.t }
}

/** First face a ray meets: Möller and Trumbore 1997, over all faces (a million take a few hundredths of a second, so no tree is kept). */
export function pickFace(p: Float32Array, indices: Uint32Array, origin: readonly number[], direction: readonly number[]): Hit | null {
  const [ox, oy, oz] = origin as [number, number, number]
  const [dx, dy, dz] = direction as [number, number, number]
  let best = Infinity
  for (let i = 0; i < indices.length; i += 3) {
    const a = indices[i]! * 3, b = indices[i + 1]! * 3, c = indices[i + 2]! * 3
    const ux = p[b]! - p[a]!, uy = p[b + 1]! - p[a + 1]!, uz = p[b + 2]! - p[a + 2]!
    const vx = p[c]! - p[a]!, vy = p[c + 1]! - p[a + 1]!, vz = p[c + 2]! - p[a + 2]!
    const hx = dy * vz - dz * vy, hy = dz * vx - dx * vz, hz = dx * vy - dy * vx
    const det = ux * hx + uy * hy + uz * hz
    if (det > -1e-12 && det < 1e-12) continue
    const f = 1 / det
    const sx = ox - p[a]!, sy = oy - p[a + 1]!, sz = oz - p[a + 2]!
    const u = f * (sx * hx + sy * hy + sz * hz)
    if (u < 0 || u > 1) continue
    const qx = sy * uz - sz * uy, qy = sz * ux - sx * uz, qz = sx * uy - sy * ux
    const v = f * (dx * qx + dy * qy + dz * qz)
    if (v < 0 || u + v > 1) continue
    const t = f * (vx * qx + vy * qy + vz * qz)
    if (t > 0 && t < best) best = t
  }
  return best === Infinity ? null : { at: [ox + best * dx, oy + best * dy, oz + best * dz], distanceMm: best }
}
