import { faceCross } from '../linear/face-cross'
import { checkpoint, type RunContext } from '../context'
import type { Shape, TriangleMesh } from '../shapes'
import { KdTree } from '../spatial/kd-tree'
import { TriangleBvh } from '../spatial/triangle-bvh'
import { edgeTopology } from '../mesh/topology'

export interface Deviation {
  /** Signed distance per point of the compared shape, mm: positive outside the reference. Unsigned against a cloud. */
  readonly distanceMm: Float32Array
  readonly signed: boolean
  readonly meanMm: number
  readonly rmsMm: number
  readonly unsignedMeanMm: number
  readonly p95Mm: number
  readonly p99Mm: number
  readonly maxMm: number
}

/**
 * Distance of every point of `shape` to `reference`. Sign by the angle-weighted pseudonormal of the nearest feature
 * (Bærentzen and Aanæs 2005, "Signed distance computation using the angle weighted pseudonormal", TVCG 11(3)).
 */
export function compareShapes(shape: Shape, reference: Shape, context: RunContext): Deviation {
  const { positions } = shape
  const n = positions.length / 3
  const distanceMm = new Float32Array(n)
  // Walking the points in the order of a tree keeps the reference's nodes in cache.
  const order = new KdTree(positions).ids
  if (reference.kind === 'mesh') {
    const bvh = new TriangleBvh(reference)
    const sign = pseudonormalSign(reference)
    // The neighbour's distance plus the step between them bounds this one's.
    let last = Infinity
    let lx = 0,
      ly = 0,
      lz = 0
    for (let o = 0; o < n; o++) {
      if ((o & 1023) === 0) checkpoint(context, o, n, 'Measuring distances')
      const i = order[o]
      const x = positions[i * 3],
        y = positions[i * 3 + 1],
        z = positions[i * 3 + 2]
      const step = Math.sqrt((x - lx) ** 2 + (y - ly) ** 2 + (z - lz) ** 2)
      const bound = (last + step) * 1.0001 + 1e-6
      if (!bvh.closest(x, y, z, bound * bound)) bvh.closest(x, y, z)
      last = Math.sqrt(bvh.result.distance2)
      distanceMm[i] = last * sign(bvh, x, y, z)
      lx = x
      ly = y
      lz = z
    }
  } else {
    const tree = new KdTree(reference.positions)
    for (let o = 0; o < n; o++) {
      if ((o & 1023) === 0) checkpoint(context, o, n, 'Measuring distances')
      const i = order[o]
      tree.nearest(positions[i * 3], positions[i * 3 + 1], positions[i * 3 + 2])
      distanceMm[i] = Math.sqrt(tree.lastDistance2)
    }
  }
  return { distanceMm, signed: reference.kind === 'mesh', ...summary(distanceMm) }
}

function summary(d: Float32Array): Omit<Deviation, 'distanceMm' | 'signed'> {
  let sum = 0,
    square = 0,
    plain = 0
  for (const v of d) {
    sum += v
    square += v * v
    plain += Math.abs(v)
  }
  const sorted = Float32Array.from(d, Math.abs).sort()
  const at = (q: number): number => sorted[Math.min(sorted.length - 1, Math.floor(sorted.length * q))] ?? 0
  const n = Math.max(1, d.length)
  return {
    meanMm: sum / n,
    rmsMm: Math.sqrt(square / n),
    unsignedMeanMm: plain / n,
    p95Mm: at(0.95),
    p99Mm: at(0.99),
    maxMm: at(1),
  }
}

function pseudonormalSign(mesh: TriangleMesh): (bvh: TriangleBvh, x: number, y: number, z: number) => 1 | -1 {
  const { positions: p, indices } = mesh
  const { twin } = edgeTopology(mesh)
  const face = new Float32Array(indices.length)
  const vertex = new Float32Array(p.length)
  const cross = new Float64Array(3)
  for (let i = 0; i < indices.length; i += 3) {
    const corner = [indices[i] * 3, indices[i + 1] * 3, indices[i + 2] * 3] as const
    const [a, b, c] = corner
    const l = faceCross(p, a, b, c, cross) || 1
    for (let k = 0; k < 3; k++) face[i + k] = cross[k] / l
    for (let k = 0; k < 3; k++) {
      const o = corner[k],
        q = corner[(k + 1) % 3],
        r = corner[(k + 2) % 3]
      const sx = p[q] - p[o],
        sy = p[q + 1] - p[o + 1],
        sz = p[q + 2] - p[o + 2]
      const tx = p[r] - p[o],
        ty = p[r + 1] - p[o + 1],
        tz = p[r + 2] - p[o + 2]
      const dot = sx * tx + sy * ty + sz * tz
      const angle = Math.acos(
        Math.max(
          -1,
          Math.min(1, dot / (Math.sqrt((sx * sx + sy * sy + sz * sz) * (tx * tx + ty * ty + tz * tz)) || 1)),
        ),
      )
      for (let d = 0; d < 3; d++) vertex[o + d] += angle * face[i + d]
    }
  }
  return (bvh, x, y, z) => {
    const r = bvh.result
    const f = r.face * 3
    const zero = (r.u < 1e-6 ? 1 : 0) + (r.v < 1e-6 ? 1 : 0) + (r.w < 1e-6 ? 1 : 0)
    let nx = face[f],
      ny = face[f + 1],
      nz = face[f + 2]
    if (zero === 2) {
      const v = indices[f + (r.u > 0.5 ? 0 : r.v > 0.5 ? 1 : 2)] * 3
      nx = vertex[v]!
      ny = vertex[v + 1]!
      nz = vertex[v + 2]!
    } else if (zero === 1) {
      const t = twin[f + (r.w < 1e-6 ? 0 : r.u < 1e-6 ? 1 : 2)]
      if (t >= 0) {
        const g = Math.floor(t / 3) * 3
        nx += face[g]
        ny += face[g + 1]
        nz += face[g + 2]
      }
    }
    return (x - r.x) * nx + (y - r.y) * ny + (z - r.z) * nz < 0 ? -1 : 1
  }
}
