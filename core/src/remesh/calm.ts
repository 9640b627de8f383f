import type { RunContext } from '../context'
import { faceCross } from '../linear/face-cross'
import { findCrossings } from '../mesh/crossings'
import { borderPoints, edgeTopology } from '../mesh/topology'
import type { TriangleMesh } from '../shapes'
import { CellIndex } from '../spatial/cell-index'
import { nextHalf } from '../mesh/half-edges'

const ROUNDS = 12
const SMOOTHINGS = 4
/** Faces so many edges round what troubles are looked at again after a round. */
const NEAR = 8
/** So many rings round it are smoothed in the first round, and one more every so many. */
const RINGS = 1
const ROUNDS_A_RING = 3

/**
 * Smooths the places where faces cross, a little wider each time, until none do: a fold or a spike that evening out left
 * comes down, the two sheets of a ragged rim draw back. Nothing else is moved. Borders stay.
 * @param crossings faces, as `findCrossings` gives them
 * @returns the mesh, or null where some are left
 */
export function uncross(
  mesh: TriangleMesh,
  crossings: Uint32Array,
  edgeMm: number,
  context: RunContext,
): TriangleMesh | null {
  const { places, left } = calm(
    mesh,
    cornersOf(mesh.indices, crossings),
    edgeMm,
    borderPoints(mesh),
    (positions, indices) => cornersOf(indices, findCrossings({ kind: 'mesh', positions, indices }, context)),
  )
  return left ? null : { ...mesh, positions: places }
}

/** Edges bent further than this are not left where nothing was measured (cosine; 55°). */
const MOST_BEND = 0.57

/**
 * Smooths edges that are bent hard where nobody measured that they are: where the closing of a gap meets what was seen,
 * and in narrow throats. Points that were measured stay, and so does all of it where smoothing would make faces cross.
 */
export function unbend(mesh: TriangleMesh, measured: Uint8Array, edgeMm: number, context: RunContext): TriangleMesh {
  const free = (points: number[]): number[] => points.filter((v) => !measured[v])
  const bent = free(bentPoints(mesh.positions, mesh.indices))
  if (bent.length === 0) return mesh
  const fixed = borderPoints(mesh)
  for (let v = 0; v < fixed.length; v++) if (measured[v]) fixed[v] = 1
  const { places, local } = calm(mesh, bent, edgeMm, fixed, (positions, indices) =>
    free(bentPoints(positions, indices)),
  )
  const smoothed: TriangleMesh = { ...mesh, positions: places }
  const crosses = (m: TriangleMesh): number => findCrossings({ ...m, indices: local }, context).length
  return crosses(smoothed) > crosses(mesh) ? mesh : smoothed
}

/** Points of edges whose two faces are bent against each other. */
function bentPoints(positions: Float32Array, indices: Uint32Array): number[] {
  const { twin } = edgeTopology({ kind: 'mesh', positions, indices })
  const normals = new Float64Array(indices.length),
    cross = new Float64Array(3)
  for (let i = 0; i < indices.length; i += 3) {
    const length = faceCross(positions, indices[i] * 3, indices[i + 1] * 3, indices[i + 2] * 3, cross) || 1
    for (let c = 0; c < 3; c++) normals[i + c] = cross[c] / length
  }
  const out: number[] = []
  for (let h = 0; h < twin.length; h++) {
    if (twin[h] < h) continue
    const f = h - (h % 3),
      g = twin[h] - (twin[h] % 3)
    if (normals[f] * normals[g] + normals[f + 1] * normals[g + 1] + normals[f + 2] * normals[g + 2] < MOST_BEND)
      out.push(indices[h], indices[nextHalf(h)])
  }
  return out
}

/** Smooths round points that trouble, and again round those that still do, a little wider each time. */
function calm(
  mesh: TriangleMesh,
  points: readonly number[],
  edgeMm: number,
  fixed: Uint8Array,
  trouble: (positions: Float32Array, faces: Uint32Array) => readonly number[],
): { places: Float32Array; left: boolean; local: Uint32Array } {
  const { indices } = mesh
  const places = mesh.positions.slice()
  const near = facesNear(mesh, points, NEAR * edgeMm)
  const local = new Uint32Array(near.length * 3)
  for (let i = 0; i < near.length; i++) for (let c = 0; c < 3; c++) local[i * 3 + c] = indices[near[i] * 3 + c]
  let left = points
  for (let round = 0; round < ROUNDS && left.length > 0; round++) {
    const moved = new Set(left)
    for (let ring = 0; ring < RINGS + Math.floor(round / ROUNDS_A_RING); ring++) grow(moved, local)
    for (let k = 0; k < SMOOTHINGS; k++) smooth(places, local, moved, fixed)
    left = trouble(places, local)
  }
  return { places, left: left.length > 0, local }
}

const cornersOf = (indices: Uint32Array, faces: Uint32Array): number[] =>
  Array.from(faces, (f) => [0, 1, 2].map((c) => indices[f * 3 + c])).flat()

/** Faces with a corner near one of the points. */
function facesNear({ positions: p, indices }: TriangleMesh, points: readonly number[], reachMm: number): number[] {
  const corners = [...new Set(points)]
  const places = new Float32Array(corners.length * 3)
  corners.forEach((v, i) => places.set(p.subarray(v * 3, v * 3 + 3), i * 3))
  const cells = new CellIndex(places, reachMm)
  const isNear = new Int8Array(p.length / 3).fill(-1)
  const look = (v: number): number => {
    const [x, y, z] = p.subarray(v * 3, v * 3 + 3)
    for (const cell of cells.around(x, y, z))
      for (let i = cells.start[cell]; i < cells.start[cell + 1]; i++) {
        const o = cells.items[i] * 3
        if (Math.hypot(places[o] - x, places[o + 1] - y, places[o + 2] - z) <= reachMm) return 1
      }
    return 0
  }
  const out: number[] = []
  for (let i = 0; i < indices.length; i += 3)
    for (let c = 0; c < 3; c++) {
      const v = indices[i + c]
      if (isNear[v] < 0) isNear[v] = look(v)
      if (isNear[v] === 1) {
        out.push(i / 3)
        break
      }
    }
  return out
}

/** Takes in all points of faces that hold one already. */
function grow(points: Set<number>, faces: Uint32Array): void {
  const before = new Set(points)
  for (let i = 0; i < faces.length; i += 3)
    if (before.has(faces[i]) || before.has(faces[i + 1]) || before.has(faces[i + 2]))
      for (let c = 0; c < 3; c++) points.add(faces[i + c])
}

/** Moves points half way to the middle of their neighbours. */
function smooth(p: Float32Array, faces: Uint32Array, points: Set<number>, fixed: Uint8Array): void {
  const sums = new Map<number, [number, number, number, number]>()
  for (const v of points) if (!fixed[v]) sums.set(v, [0, 0, 0, 0])
  for (let i = 0; i < faces.length; i++) {
    const sum = sums.get(faces[i])
    if (!sum) continue
    const from = i - (i % 3)
    for (let c = 0; c < 3; c++) {
      const w = faces[from + c]
      if (w === faces[i]) continue
      for (let k = 0; k < 3; k++) sum[k] += p[w * 3 + k]
      sum[3]++
    }
  }
  for (const [v, [x, y, z, n]] of sums) {
    if (n === 0) continue
    p[v * 3] += (x / n - p[v * 3]) / 2
    p[v * 3 + 1] += (y / n - p[v * 3 + 1]) / 2
    p[v * 3 + 2] += (z / n - p[v * 3 + 2]) / 2
  }
}
