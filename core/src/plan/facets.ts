import type { TriangleMesh } from '../shapes'

/**
 * A surface cut into small triangles of about equal size; each is one sample: where it is seen, what it weighs, and
 * what is painted.
 * n facets: corners n×9, their normals n×9 (unit, smooth across soft edges), centres n×3, normals there n×3, areas n;
 * mm and mm².
 */
export interface Facets {
  readonly count: number
  readonly corners: Float32Array
  readonly cornerNormals: Float32Array
  readonly centres: Float32Array
  readonly normals: Float32Array
  readonly areas: Float64Array
  readonly totalAreaMm2: number
  /** Edge of a facet, about; mm. */
  readonly edgeMm: number
}

/** Faces that meet at less than this are one rounded surface, at more an edge. */
const CREASE_DEG = 32

/**
 * Cuts every face along its longest edge until about `wanted` facets are there (the longest-edge rule of Rivara 1984,
 * each face for itself).
 */
export function cutFacets(mesh: TriangleMesh, wanted = 20_000): Facets {
  // Slivers are cut by their length too; where there are many, all is cut less fine until the count fits.
  let aim = wanted
  for (let round = 0; ; round++) {
    const facets = cutTo(mesh, aim)
    if (facets.count <= wanted * 1.35 || round === 3) return facets
    aim *= (wanted * 0.9) / facets.count
  }
}

function cutTo(mesh: TriangleMesh, wanted: number): Facets {
  const { positions: p, indices } = mesh
  const smooth = cornerNormals(mesh, CREASE_DEG)
  let total = 0
  for (let i = 0; i < indices.length; i += 3)
    total += triangleArea(p, indices[i] * 3, indices[i + 1] * 3, indices[i + 2] * 3)
  // Equilateral triangles of edge e hold 0.433 e²; halving leaves pieces between half and the whole of the limit.
  const limit = (total / wanted) * 1.4
  const corners: number[] = [],
    bends: number[] = [],
    normals: number[] = [],
    areas: number[] = []
  const stack: number[][] = []
  for (let f = 0; f < indices.length; f += 3) {
    const first: number[] = []
    for (let c = 0; c < 3; c++) {
      const v = indices[f + c] * 3
      first.push(p[v], p[v + 1], p[v + 2], smooth[(f + c) * 3], smooth[(f + c) * 3 + 1], smooth[(f + c) * 3 + 2])
    }
    stack.push(first)
    while (stack.length > 0) {
      const t = stack.pop()!
      const area = facetArea(t)
      const edges = [edge2(t, 0, 1), edge2(t, 1, 2), edge2(t, 2, 0)]
      const longest = edges.indexOf(Math.max(...edges))
      // A sliver is cut by its length, not only by its area.
      if (area <= limit && edges[longest] <= limit * 8) {
        if (area > 0) keep(t, area)
        continue
      }
      const a = longest,
        b = (longest + 1) % 3,
        c = (longest + 2) % 3
      const m = Array.from({ length: 6 }, (_, k) => (t[a * 6 + k] + t[b * 6 + k]) / 2)
      const at = (i: number): number[] => t.slice(i * 6, i * 6 + 6)
      stack.push([...at(a), ...m, ...at(c)], [...m, ...at(b), ...at(c)])
    }
  }
  function keep(t: number[], area: number): void {
    corners.push(t[0], t[1], t[2], t[6], t[7], t[8], t[12], t[13], t[14])
    for (const c of [3, 9, 15]) {
      const length = Math.hypot(t[c], t[c + 1], t[c + 2]) || 1
      bends.push(t[c] / length, t[c + 1] / length, t[c + 2] / length)
    }
    const n = [0, 1, 2].map((k) => t[3 + k] + t[9 + k] + t[15 + k])
    const l = Math.hypot(n[0], n[1], n[2]) || 1
    normals.push(n[0] / l, n[1] / l, n[2] / l)
    areas.push(area)
  }
  const count = areas.length
  const centres = new Float32Array(count * 3)
  for (let i = 0; i < count; i++)
    for (let k = 0; k < 3; k++)
      centres[i * 3 + k] = (corners[i * 9 + k] + corners[i * 9 + 3 + k] + corners[i * 9 + 6 + k]) / 3
  return {
    count,
    corners: Float32Array.from(corners),
    cornerNormals: Float32Array.from(bends),
    centres,
    normals: Float32Array.from(normals),
    areas: Float64Array.from(areas),
    totalAreaMm2: total,
    edgeMm: Math.sqrt(total / Math.max(1, count) / 0.433),
  }
}

const edge2 = (t: readonly number[], i: number, j: number): number =>
  (t[i * 6] - t[j * 6]) ** 2 + (t[i * 6 + 1] - t[j * 6 + 1]) ** 2 + (t[i * 6 + 2] - t[j * 6 + 2]) ** 2

function facetArea(t: readonly number[]): number {
  return triangleArea(t, 0, 6, 12)
}

function triangleArea(p: ArrayLike<number>, a: number, b: number, c: number): number {
  const ux = p[b] - p[a],
    uy = p[b + 1] - p[a + 1],
    uz = p[b + 2] - p[a + 2]
  const vx = p[c] - p[a],
    vy = p[c + 1] - p[a + 1],
    vz = p[c + 2] - p[a + 2]
  return Math.sqrt((uy * vz - uz * vy) ** 2 + (uz * vx - ux * vz) ** 2 + (ux * vy - uy * vx) ** 2) / 2
}

/**
 * One normal for each corner of each face (faces×9): the mean, weighted by the angle at the vertex (Thürmer and
 * Wüthrich 1998), of the vertex's faces that meet this one softly.
 */
export function cornerNormals(mesh: TriangleMesh, creaseDeg: number): Float32Array {
  const { positions: p, indices } = mesh
  const faces = indices.length / 3
  const normals = new Float64Array(faces * 3)
  const angles = new Float64Array(faces * 3)
  const start = new Int32Array(p.length / 3 + 1)
  for (const v of indices) start[v + 1]++
  for (let v = 1; v < start.length; v++) start[v] += start[v - 1]
  const fans = new Int32Array(indices.length)
  const fill = start.slice()
  for (let h = 0; h < indices.length; h++) fans[fill[indices[h]]++] = h
  for (let f = 0; f < faces; f++) {
    const v = [0, 1, 2].map((c) => indices[f * 3 + c] * 3)
    const e = [0, 1, 2].map((c) => [0, 1, 2].map((k) => p[v[(c + 1) % 3] + k] - p[v[c] + k]))
    const n = [
      e[0][1] * e[1][2] - e[0][2] * e[1][1],
      e[0][2] * e[1][0] - e[0][0] * e[1][2],
      e[0][0] * e[1][1] - e[0][1] * e[1][0],
    ]
    const l = Math.hypot(n[0], n[1], n[2])
    for (let k = 0; k < 3; k++) normals[f * 3 + k] = l > 0 ? n[k] / l : 0
    for (let c = 0; c < 3; c++) {
      const a = e[c],
        b = e[(c + 2) % 3]
      const dot = -(a[0] * b[0] + a[1] * b[1] + a[2] * b[2])
      const lengths = Math.hypot(a[0], a[1], a[2]) * Math.hypot(b[0], b[1], b[2])
      angles[f * 3 + c] = lengths > 0 ? Math.acos(Math.max(-1, Math.min(1, dot / lengths))) : 0
    }
  }
  const limit = Math.cos((creaseDeg * Math.PI) / 180)
  const out = new Float32Array(faces * 9)
  for (let h = 0; h < indices.length; h++) {
    const f = Math.floor(h / 3) * 3
    let x = 0,
      y = 0,
      z = 0
    for (let s = start[indices[h]]; s < start[indices[h] + 1]; s++) {
      const g = Math.floor(fans[s] / 3) * 3
      if (normals[f] * normals[g] + normals[f + 1] * normals[g + 1] + normals[f + 2] * normals[g + 2] < limit) continue
      const w = angles[fans[s]]
      x += w * normals[g]
      y += w * normals[g + 1]
      z += w * normals[g + 2]
    }
    const l = Math.hypot(x, y, z) || 1
    out[h * 3] = x / l
    out[h * 3 + 1] = y / l
    out[h * 3 + 2] = z / l
  }
  return out
}
