import { faceCross } from '../linear/face-cross'
import { EVIDENCE, type TriangleMesh } from '../shapes'
import { pickFaces } from '../mesh/weld'
import { BRICK, BRICK_NODES, type BrickGrid } from './brick-grid'
import { contourNode, type Contour } from './contour'

/** Share of the usual weight from which a vertex counts as measured. */
const MEASURED_WEIGHT = 0.12
/** Edges a vertex may be from the nearest measured one and still count as carried. */
const CARRIED_RINGS = 4

/**
 * Evidence per vertex: *measured* where both nodes of its edge hold enough weight of points, *carried* within a few
 * edges of such a vertex, *invented* elsewhere.
 */
export function evidenceOf(
  contour: Contour,
  grid: BrickGrid,
  splatSlots: number,
  weight: Float32Array,
  threshold: number,
  usual: number,
): Uint8Array {
  const n = contour.positions.length / 3
  const evidence = new Uint8Array(n).fill(EVIDENCE.invented)
  const enough = Math.max(threshold, usual * MEASURED_WEIGHT)
  const at = new Int32Array(3)
  const weightAt = (node: number): number => {
    contourNode(grid, node, at)
    const x = at[0],
      y = at[1],
      z = at[2]
    const slot = grid.at(x >> 3, y >> 3, z >> 3)
    return slot >= 0 && slot < splatSlots
      ? weight[slot * BRICK_NODES + ((z & 7) * BRICK + (y & 7)) * BRICK + (x & 7)]
      : 0
  }
  for (let v = 0; v < n; v++)
    if (Math.max(weightAt(contour.nodeA[v]), weightAt(contour.nodeB[v])) >= enough) evidence[v] = EVIDENCE.measured
  const ring = new Uint8Array(n)
  for (let r = 1; r <= CARRIED_RINGS; r++) {
    for (let i = 0; i < contour.indices.length; i += 3) {
      const corners = [contour.indices[i], contour.indices[i + 1], contour.indices[i + 2]]
      if (!corners.some((v) => (r === 1 ? evidence[v] === EVIDENCE.measured : ring[v] === r - 1))) continue
      for (const v of corners) if (evidence[v] === EVIDENCE.invented && ring[v] === 0) ring[v] = r
    }
  }
  for (let v = 0; v < n; v++) if (ring[v]) evidence[v] = EVIDENCE.carried
  return evidence
}

/** The mesh without faces that touch an invented vertex: honest, but open. */
export function withoutInvented(mesh: TriangleMesh): TriangleMesh {
  const { evidence } = mesh
  if (!evidence) return mesh
  const known = (v: number): boolean => evidence[v] !== EVIDENCE.invented
  return pickFaces(mesh, (a, b, c) => known(a) && known(b) && known(c))
}

/** Share of the surface's area by kind of evidence, 0–1 each; a face counts as its weakest corner. */
export function evidenceShares(mesh: TriangleMesh): { measured: number; carried: number; invented: number } {
  const area = [0, 0, 0],
    cross = new Float64Array(3)
  const { positions: p, indices, evidence } = mesh
  for (let i = 0; i < indices.length; i += 3) {
    const a = indices[i] * 3,
      b = indices[i + 1] * 3,
      c = indices[i + 2] * 3
    const worst = evidence ? Math.max(evidence[a / 3], evidence[b / 3], evidence[c / 3]) : EVIDENCE.measured
    area[worst] += faceCross(p, a, b, c, cross) / 2
  }
  const total = area[0] + area[1] + area[2] || 1
  return { measured: area[0] / total, carried: area[1] / total, invented: area[2] / total }
}
