import { edgeTopology } from '../mesh/topology'
import { withMorePoints, withOtherFaces, type TriangleMesh } from '../shapes'
import { edgeName, nextHalf } from '../mesh/half-edges'

/**
 * Every triangle in four, through the middles of its edges: the surface stays exactly as it is. What belongs to points
 * is the mean of an edge's ends; of evidence the weaker.
 * @param mesh points that coincide made one
 */
export function refineInFour(mesh: TriangleMesh): TriangleMesh {
  const { indices, positions: p } = mesh
  const { twin } = edgeTopology(mesh)
  const first = p.length / 3
  const middle = new Int32Array(indices.length).fill(-1)
  const ends: number[] = []
  // Edges with more than two faces are no pair: their middles are found by their ends.
  const others = new Map<string, number>()
  for (let h = 0; h < indices.length; h++) {
    if (middle[h] >= 0) continue
    const a = indices[h],
      b = indices[nextHalf(h)]
    const key = twin[h] === -2 ? edgeName(a, b) : null
    const known = key === null ? undefined : others.get(key)
    if (known !== undefined) {
      middle[h] = known
      continue
    }
    const m = first + ends.length / 2
    ends.push(a, b)
    middle[h] = m
    if (twin[h] >= 0) middle[twin[h]] = m
    if (key !== null) others.set(key, m)
  }
  const positions = new Float32Array(p.length + (ends.length / 2) * 3)
  positions.set(p)
  for (let k = 0; k < ends.length; k += 2)
    for (let c = 0; c < 3; c++)
      positions[p.length + (k / 2) * 3 + c] = (p[ends[k] * 3 + c] + p[ends[k + 1] * 3 + c]) / 2
  const out = new Uint32Array(indices.length * 4)
  for (let f = 0, k = 0; f < indices.length; f += 3) {
    const [a, b, c] = [indices[f], indices[f + 1], indices[f + 2]]
    const [u, v, w] = [middle[f], middle[f + 1], middle[f + 2]]
    for (const corner of [a, u, w, u, b, v, w, v, c, u, v, w]) out[k++] = corner
  }
  const grown = withMorePoints(withOtherFaces(mesh, out), positions)
  const { colours, evidence, colourEvidence } = grown
  for (let k = 0; k < ends.length; k += 2) {
    const v = first + k / 2
    for (const known of [evidence, colourEvidence]) if (known) known[v] = Math.max(known[ends[k]], known[ends[k + 1]])
    if (colours)
      for (let c = 0; c < 3; c++)
        colours[v * 3 + c] = Math.round((colours[ends[k] * 3 + c] + colours[ends[k + 1] * 3 + c]) / 2)
  }
  return grown
}
