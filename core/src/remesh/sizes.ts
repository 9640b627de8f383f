import { faceCross } from '../linear/face-cross'
import type { WorkingMesh } from './working-mesh'

export interface SizeLimits {
  readonly shortestMm: number
  readonly longestMm: number
  /** A triangle may lie so far off the surface it spans, mm. */
  readonly offMm: number
}

/** Edges at a point may be longer than at its neighbour by so much of their distance. */
const GRADE = 0.4
const SWEEPS = 12

/**
 * How long edges may be at each point so that a triangle does not lie farther off a surface of that curvature than
 * allowed: an even triangle of edge L on a ball of radius R lies L²/(6R) off in its middle. Neighbours are kept alike.
 * Source: Dunyach, Vanderhaeghe, Barthe and Botsch 2013, "Adaptive remeshing for real-time mesh deformation", from
 * memory.
 */
export function sizeByCurvature(mesh: WorkingMesh, { shortestMm, longestMm, offMm }: SizeLimits): void {
  const { sizes, caps, topology } = mesh
  const curvature = curvatures(mesh)
  for (let v = 0; v < topology.points; v++) {
    const size = Math.sqrt((6 * offMm) / Math.max(curvature[v], 1e-12))
    sizes[v] = Math.min(longestMm, caps[v], Math.max(shortestMm, size))
  }
  for (let sweep = 0; sweep < SWEEPS; sweep++) {
    let changed = 0
    for (let h = 0; h < topology.halfEdges; h++) {
      if (topology.isGone(h)) continue
      const a = topology.origin(h),
        b = topology.tip(h)
      const most = sizes[b] + GRADE * Math.sqrt(mesh.squaredLength(h))
      if (sizes[a] <= most) continue
      sizes[a] = most
      changed++
    }
    if (changed === 0) break
  }
}

/** Largest normal curvature towards the neighbours, 1/mm, the mean of each point's and its neighbours'. */
function curvatures(mesh: WorkingMesh): Float64Array {
  const { topology, places: p } = mesh
  const normals = pointNormals(mesh)
  const most = new Float64Array(topology.points)
  for (let h = 0; h < topology.halfEdges; h++) {
    if (topology.isGone(h)) continue
    const a = topology.origin(h) * 3,
      b = topology.tip(h) * 3
    let dot = 0,
      length2 = 0
    for (let c = 0; c < 3; c++) {
      const d = p[b + c] - p[a + c]
      dot += (normals[b + c] - normals[a + c]) * d
      length2 += d * d
    }
    const bend = Math.abs(dot) / length2
    if (bend > most[a / 3]) most[a / 3] = bend
    if (bend > most[b / 3]) most[b / 3] = bend
  }
  const sum = Float64Array.from(most)
  const count = new Int32Array(topology.points).fill(1)
  for (let h = 0; h < topology.halfEdges; h++) {
    if (topology.isGone(h)) continue
    sum[topology.origin(h)] += most[topology.tip(h)]
    count[topology.origin(h)]++
  }
  for (let v = 0; v < sum.length; v++) sum[v] /= count[v]
  return sum
}

/** Unit normals by the area of the faces round each point. */
function pointNormals({ topology, places: p }: WorkingMesh): Float64Array {
  const out = new Float64Array(topology.points * 3),
    cross = new Float64Array(3)
  for (let h = 0; h < topology.halfEdges; h += 3) {
    if (topology.isGone(h)) continue
    const a = topology.origin(h) * 3,
      b = topology.origin(h + 1) * 3,
      c = topology.origin(h + 2) * 3
    faceCross(p, a, b, c, cross)
    for (const v of [a, b, c]) {
      for (let k = 0; k < 3; k++) out[v + k] += cross[k]
    }
  }
  for (let i = 0; i < out.length; i += 3) {
    const l = Math.sqrt(out[i] ** 2 + out[i + 1] ** 2 + out[i + 2] ** 2) || 1
    out[i] /= l
    out[i + 1] /= l
    out[i + 2] /= l
  }
  return out
}
