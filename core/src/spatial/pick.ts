import { chunksAlong, type Chunks } from './chunks'
import type { TriangleBvh } from './triangle-bvh'

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
 * The point of a cloud a person means who points along a ray: of the points within `radiusMm` of the ray, those of the
 * front layer (points behind a gap in depth are hidden or seen through a hole) and of them the one closest to the ray.
 * When the front layer lies well beside the ray and a deeper one does not, the deeper one is meant. `direction` is a
 * unit vector; null when nothing is near.
 * @param chunks boxes over stretches of the points, of which only those near the ray are looked into
 */
export function pickPoint(
  p: Float32Array,
  origin: readonly number[],
  direction: readonly number[],
  radiusMm: number,
  chunks: Chunks | null = null,
): Hit | null {
  const n = p.length / 3
  const q = chunks?.positions ?? p
  const slabs = new Slabs(LAYER_GAP * radiusMm)
  if (!chunks) slabs.look(q, 0, n, origin, direction, radiusMm)
  else
    for (const c of chunksAlong(chunks, origin, direction, radiusMm))
      slabs.look(q, c * chunks.size, Math.min(n, (c + 1) * chunks.size), origin, direction, radiusMm)
  const sure = (radiusMm * SURE) ** 2
  let best: Slab | null = null
  for (const layer of slabs.layers()) {
    if (!best || layer.off < best.off) best = layer
    if (layer.off <= sure) {
      best = layer
      break
    }
  }
  return best && { at: [q[best.i], q[best.i + 1], q[best.i + 2]], distanceMm: best.t }
}

/** Points near a ray within a stretch of depth: how far it goes, and the point closest to the ray. */
interface Slab {
  from: number
  to: number
  i: number
  t: number
  off: number
}

/**
 * Points near a ray, by depth. Points of one slab lie nearer to each other than a gap, so that gaps are only sought
 * between slabs.
 */
class Slabs {
  private readonly of = new Map<number, Slab>()
  constructor(private readonly gap: number) {}

  look(
    q: Float32Array,
    from: number,
    to: number,
    [ox, oy, oz]: readonly number[],
    [dx, dy, dz]: readonly number[],
    radiusMm: number,
  ): void {
    const limit = radiusMm * radiusMm
    for (let k = from * 3; k < to * 3; k += 3) {
      const x = q[k] - ox,
        y = q[k + 1] - oy,
        z = q[k + 2] - oz
      const t = x * dx + y * dy + z * dz
      const off = x * x + y * y + z * z - t * t
      if (off > limit || t < 0) continue
      const slab = this.of.get(Math.floor(t / this.gap))
      if (!slab) {
        this.of.set(Math.floor(t / this.gap), { from: t, to: t, i: k, t, off })
        continue
      }
      if (t < slab.from) slab.from = t
      if (t > slab.to) slab.to = t
      if (off < slab.off || (off === slab.off && t < slab.t)) {
        slab.i = k
        slab.t = t
        slab.off = off
      }
    }
  }

  /** What lies in one piece along the ray, nearest first. */
  layers(): Slab[] {
    const out: Slab[] = []
    for (const [, slab] of [...this.of].sort(([a], [b]) => a - b)) {
      const last = out.at(-1)
      if (!last || slab.from - last.to >= this.gap) out.push({ ...slab })
      else {
        last.to = slab.to
        if (slab.off < last.off) Object.assign(last, { i: slab.i, t: slab.t, off: slab.off })
      }
    }
    return out
  }
}

/** Where a ray first meets a mesh. */
export function pickFace(bvh: TriangleBvh, origin: readonly number[], direction: readonly number[]): Hit | null {
  const t = bvh.firstHit(origin, direction).distanceMm
  return t === Infinity
    ? null
    : { at: [origin[0] + t * direction[0], origin[1] + t * direction[1], origin[2] + t * direction[2]], distanceMm: t }
}
