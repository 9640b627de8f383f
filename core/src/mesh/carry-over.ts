import type { TriangleMesh } from '../shapes'
import { TriangleBvh } from '../spatial/triangle-bvh'

/**
 * What the points of one mesh know, at the points of another on the same surface: colours of the nearest place, of
 * evidence the weakest of the corners it lies between.
 */
export function carryOver(old: TriangleMesh, mesh: TriangleMesh): TriangleMesh {
  const { colours, evidence, colourEvidence, indices, originMm } = old
  if (!colours && !evidence && !colourEvidence) return { ...mesh, ...(originMm && { originMm }) }
  const bvh = new TriangleBvh(old)
  const points = mesh.positions.length / 3
  const newColours = colours && new Uint8Array(points * 3),
    newEvidence = evidence && new Uint8Array(points),
    newColourEvidence = colourEvidence && new Uint8Array(points)
  for (let v = 0; v < points; v++) {
    bvh.closest(mesh.positions[v * 3], mesh.positions[v * 3 + 1], mesh.positions[v * 3 + 2])
    const r = bvh.result
    const share = [r.u, r.v, r.w]
    for (let k = 0; k < 3; k++) {
      const corner = indices[r.face * 3 + k]
      if (!(share[k] > 0)) continue
      if (newEvidence) newEvidence[v] = Math.max(newEvidence[v], evidence[corner])
      if (newColourEvidence) newColourEvidence[v] = Math.max(newColourEvidence[v], colourEvidence[corner])
    }
    if (newColours)
      for (let c = 0; c < 3; c++)
        newColours[v * 3 + c] = Math.round(
          share.reduce((sum, s, k) => sum + s * colours[indices[r.face * 3 + k] * 3 + c], 0),
        )
  }
  return {
    ...mesh,
    ...(newColours && { colours: newColours }),
    ...(newEvidence && { evidence: newEvidence }),
    ...(newColourEvidence && { colourEvidence: newColourEvidence }),
    ...(originMm && { originMm }),
  }
}
