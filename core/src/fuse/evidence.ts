import { faceCross } from '../linear/face-cross'
import { EVIDENCE, type TriangleMesh } from '../shapes'
import { pickFaces } from '../mesh/weld'
import { wayFrom } from '../mesh/way-from'
import type { Support } from './support'

/** A vertex counts as carried within so many spacings of a measured one, along the surface. */
const CARRIED_SPACINGS = 2.5

/**
 * Evidence per vertex: *measured* where a take has points near, *carried* within a few spacings of such a vertex along
 * the surface, *invented* elsewhere. All in millimetres: how large the triangles are does not count.
 * @param spacingMm the coarser of the skin's and the points'
 */
export function evidenceOf(mesh: TriangleMesh, measured: Uint8Array, spacingMm: number): Uint8Array {
  const reachMm = CARRIED_SPACINGS * spacingMm
  const way = wayFrom(mesh, measured, reachMm)
  return Uint8Array.from(way, (mm, v) =>
    measured[v] ? EVIDENCE.measured : mm <= reachMm ? EVIDENCE.carried : EVIDENCE.invented,
  )
}

/** A surface with what its takes say of it: evidence, and colours where they have any. See `evidenceOf`. */
export function withEvidence(mesh: TriangleMesh, support: Support, spacingMm: number): TriangleMesh {
  const evidence = evidenceOf(mesh, support.measured, spacingMm)
  return { ...mesh, evidence, ...(support.colours && { colours: support.colours }) }
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
