import { GeometryError } from '../errors'
import { solveCholesky } from '../linear/cholesky'
import { evenEdgeMm } from '../mesh/sample-surface'
import { borderPoints } from '../mesh/topology'
import { weldVertices } from '../mesh/weld'
import type { TriangleMesh } from '../shapes'
import { KdTree } from '../spatial/kd-tree'
import { TriangleBvh } from '../spatial/triangle-bvh'

/** Points of the other surface are looked for so many of its edges away. */
const REACH_EDGES = 4
/** Fewer points that lie on both tell no plane. */
const MIN_POINTS = 30
/** Keeps a direction in which the overlap has no extent out of the plane's. */
const RIDGE = 1e-6

/**
 * The plane through the middle of where two open surfaces of a piece overlap: where their rims are equally far, by least
 * squares over all points that lie on both.
 * @returns facing to where the first has surface and the second ends, mm
 * @throws EMPTY where one has no rim, or they do not overlap
 */
export function overlapPlane(
  firstInput: TriangleMesh,
  secondInput: TriangleMesh,
): { normal: [number, number, number]; offsetMm: number } {
  const meshes = [weldVertices(firstInput), weldVertices(secondInput)]
  const rims = meshes.map((mesh, i) => {
    const ends = borderPoints(mesh)
    const places: number[] = []
    ends.forEach((e, v) => e && places.push(...mesh.positions.subarray(v * 3, v * 3 + 3)))
    if (places.length === 0)
      throw new GeometryError(
        'EMPTY',
        `The ${i === 0 ? 'first' : 'second'} has no rim; where a closed skin is to end must be said by a plane.`,
      )
    return { ends, tree: new KdTree(Float32Array.from(places)) }
  })
  const rows: number[] = [],
    apart: number[] = []
  meshes.forEach((mesh, i) => {
    const other = meshes[1 - i]
    const bvh = new TriangleBvh(other)
    const reach2 = (REACH_EDGES * evenEdgeMm(other)) ** 2
    const { positions: p } = mesh
    for (let v = 0; v < p.length; v += 3) {
      const [x, y, z] = [p[v], p[v + 1], p[v + 2]]
      if (!bvh.closest(x, y, z, reach2)) continue
      const face = bvh.result.face * 3
      // Beside its border the other is near, and does not lie under the place.
      if ([0, 1, 2].some((c) => rims[1 - i].ends[other.indices[face + c]])) continue
      const away = rims.map(({ tree }) => (tree.nearest(x, y, z), Math.sqrt(tree.lastDistance2)))
      rows.push(x, y, z)
      apart.push(away[0] - away[1])
    }
  })
  if (apart.length < MIN_POINTS)
    throw new GeometryError('EMPTY', 'The two hardly overlap; lay a plane where both have surface.')
  const middle = [0, 0, 0]
  let level = 0
  apart.forEach((a, i) => {
    for (let c = 0; c < 3; c++) middle[c] += rows[i * 3 + c] / apart.length
    level += a / apart.length
  })
  const normal = new Float64Array(9),
    right = new Float64Array(3),
    slope = new Float64Array(3)
  apart.forEach((a, i) => {
    const d = [0, 1, 2].map((c) => rows[i * 3 + c] - middle[c])
    for (let r = 0; r < 3; r++) {
      right[r] += d[r] * (a - level)
      for (let c = 0; c < 3; c++) normal[r * 3 + c] += d[r] * d[c]
    }
  })
  const trace = normal[0] + normal[4] + normal[8]
  for (let r = 0; r < 3; r++) normal[r * 4] += RIDGE * trace
  const steep = solveCholesky(normal, right, slope, 3) ? Math.hypot(...slope) : 0
  if (!(steep > 0))
    throw new GeometryError('EMPTY', 'The two lie on each other all over; lay a plane where each is to end.')
  const n = Array.from(slope, (v) => v / steep) as [number, number, number]
  return { normal: n, offsetMm: n.reduce((s, v, c) => s + v * middle[c], 0) - level / steep }
}
