import type { Facets } from '../plan/facets'
import type { Gathered } from './estimate'

/** What the points say of each facet. Arrays of one value per facet; per take n × facets, take after take. */
export interface Support {
  /** Frames that saw it, over all takes (at most 65535), and those that saw it at 60° or steeper. */
  readonly frames: Uint16Array
  readonly steep: Uint16Array
  /** Per take: frames that saw it. */
  readonly perTake: readonly Uint16Array[]
  /** Mean distance of neighbouring points there, mm; Infinity where there are none. */
  readonly spacingMm: Float32Array
}

const NORMAL_COSINE = 0.5
const STEEP_COSINE = 0.5

/**
 * Which frames saw each facet: those with a point within `reachMm` whose normal faces the same way. Points lie in a
 * hashed grid of cells of the reach.
 */
export function supportOf(
  facets: Facets,
  { cloud, take, standsFor }: Gathered,
  takes: number,
  reachMm: number,
): Support {
  const { positions: p, normals, frame, frameOrigins } = cloud
  const n = p.length / 3
  const inverse = 1 / reachMm
  let size = 1024
  while (size < n) size *= 2
  const head = new Int32Array(size).fill(-1)
  const next = new Int32Array(n)
  const key = (x: number, y: number, z: number): number =>
    (Math.imul(x, 73856093) ^ Math.imul(y, 19349663) ^ Math.imul(z, 83492791)) & (size - 1)
  for (let i = 0; i < n; i++) {
    const k = key(
      Math.floor(p[i * 3] * inverse),
      Math.floor(p[i * 3 + 1] * inverse),
      Math.floor(p[i * 3 + 2] * inverse),
    )
    next[i] = head[k]!
    head[k] = i
  }
  const m = facets.count
  const out: Support = {
    frames: new Uint16Array(m),
    steep: new Uint16Array(m),
    perTake: Array.from({ length: takes }, () => new Uint16Array(m)),
    spacingMm: new Float32Array(m).fill(Infinity),
  }
  const stamp = new Int32Array(frameOrigins!.length / 3).fill(-1)
  const reach2 = reachMm * reachMm
  for (let f = 0; f < m; f++) {
    const x = facets.centres[f * 3],
      y = facets.centres[f * 3 + 1],
      z = facets.centres[f * 3 + 2]
    const nx = facets.normals[f * 3],
      ny = facets.normals[f * 3 + 1],
      nz = facets.normals[f * 3 + 2]
    const cx = Math.floor(x * inverse),
      cy = Math.floor(y * inverse),
      cz = Math.floor(z * inverse)
    let near = 0
    for (let dz = -1; dz <= 1; dz++)
      for (let dy = -1; dy <= 1; dy++)
        for (let dx = -1; dx <= 1; dx++) {
          for (let i = head[key(cx + dx, cy + dy, cz + dz)]; i >= 0; i = next[i]!) {
            const ax = p[i * 3] - x,
              ay = p[i * 3 + 1] - y,
              az = p[i * 3 + 2] - z
            if (
              ax * ax + ay * ay + az * az > reach2 ||
              nx * normals![i * 3] + ny * normals![i * 3 + 1] + nz * normals![i * 3 + 2] < NORMAL_COSINE
            )
              continue
            near += standsFor[take[i]]
            const v = frame![i]
            // Two cells may share a slot of the table: a frame counts once for each facet all the same.
            if (stamp[v] === f) continue
            stamp[v] = f
            out.frames[f]++
            out.perTake[take[i]][f]++
            const ox = frameOrigins![v * 3] - x,
              oy = frameOrigins![v * 3 + 1] - y,
              oz = frameOrigins![v * 3 + 2] - z
            const cosine = (nx * ox + ny * oy + nz * oz) / Math.sqrt(ox * ox + oy * oy + oz * oz)
            if (!(cosine < STEEP_COSINE)) out.steep[f]++
          }
        }
    if (near > 0) out.spacingMm[f] = Math.sqrt((Math.PI * reach2) / near)
  }
  return out
}
