import type { RunContext } from '../context'
import { symmetricEigen } from '../linear/symmetric'
import { findCrossings } from '../mesh/crossings'
import type { TriangleMesh } from '../shapes'
import { implicitNormal, type Implicit } from './implicit'

/** Normals farther apart than this stand on two sides of an edge. */
const SHARP_COSINE = Math.cos((32 * Math.PI) / 180)
/** Weaker directions of the planes' normal matrix are left alone. */
const WEAK = 0.08
const ROUNDS = 6

/**
 * Puts sharp edges back that a contour has cut off: each face that straddles an edge gets a vertex where the tangent
 * planes of its corners meet, and the edges between such faces are turned along the feature (Kobbelt, Botsch,
 * Schwanecke and Seidel, "Feature sensitive surface extraction from volume data", SIGGRAPH 2001). Where that makes
 * faces cross, those faces stay as they were.
 */
export function sharpenEdges(
  mesh: TriangleMesh,
  field: Implicit,
  spacingMm: number,
  context: RunContext,
): TriangleMesh {
  const normals = cornerNormals(mesh, field)
  const blocked = new Uint8Array(mesh.indices.length / 3)
  for (let round = 0; round < ROUNDS; round++) {
    const { sharpened, source, changed } = insertFeatures(mesh, normals, field, spacingMm, blocked)
    if (!sharpened) return mesh
    const pairs = findCrossings(sharpened, context, Infinity, changed)
    if (pairs.length === 0) return sharpened
    let fresh = false
    for (const f of pairs) {
      const s = source[f]
      if (!changed[f] || blocked[s]) continue
      fresh = true
      blocked[s] = 1
    }
    if (!fresh) return mesh
  }
  return mesh
}

function cornerNormals({ positions }: TriangleMesh, field: Implicit): Float64Array {
  const out = new Float64Array(positions.length)
  const n = new Float64Array(3)
  for (let i = 0; i < positions.length; i += 3) {
    implicitNormal(field, positions[i], positions[i + 1], positions[i + 2], n)
    out.set(n, i)
  }
  return out
}

const dot = (n: Float64Array, a: number, b: number): number =>
  n[a * 3] * n[b * 3] + n[a * 3 + 1] * n[b * 3 + 1] + n[a * 3 + 2] * n[b * 3 + 2]

function insertFeatures(
  mesh: TriangleMesh,
  normals: Float64Array,
  field: Implicit,
  spacingMm: number,
  blocked: Uint8Array,
): { sharpened: TriangleMesh | null; source: Int32Array; changed: Uint8Array } {
  const { positions: p, indices: t } = mesh
  const faces = t.length / 3
  const added: number[] = []
  const base = p.length / 3
  /** Feature vertex of each face, −1 for none. */
  const feature = new Int32Array(faces).fill(-1)
  const point = new Float64Array(3)
  for (let f = 0; f < faces; f++) {
    const a = t[f * 3],
      b = t[f * 3 + 1],
      c = t[f * 3 + 2]
    if (blocked[f] || Math.min(dot(normals, a, b), dot(normals, b, c), dot(normals, c, a)) > SHARP_COSINE) continue
    if (
      !meetingPoint(p, normals, [a, b, c], spacingMm, point) ||
      Math.abs(field(point[0], point[1], point[2])) > 0.05 * spacingMm
    )
      continue
    feature[f] = base + added.length / 3
    added.push(point[0], point[1], point[2])
  }
  if (added.length === 0) return { sharpened: null, source: new Int32Array(0), changed: new Uint8Array(0) }
  // Which face runs a directed edge.
  const owner = new Map<number, number>()
  for (let f = 0; f < faces; f++)
    if (feature[f] >= 0) for (let k = 0; k < 3; k++) owner.set(t[f * 3 + k] * base + t[f * 3 + ((k + 1) % 3)], f)
  const out: number[] = []
  const source: number[] = []
  const put = (f: number, a: number, b: number, c: number): void => {
    out.push(a, b, c)
    source.push(f)
  }
  for (let f = 0; f < faces; f++) {
    const m = feature[f]
    if (m < 0) {
      put(f, t[f * 3], t[f * 3 + 1], t[f * 3 + 2])
      continue
    }
    for (let k = 0; k < 3; k++) {
      const a = t[f * 3 + k],
        b = t[f * 3 + ((k + 1) % 3)]
      const other = owner.get(b * base + a)
      if (other !== undefined && dot(normals, a, b) < SHARP_COSINE) {
        // The edge a–b crosses the feature: turned, it joins the two feature vertices. Each face writes its half.
        put(f, a, feature[other], m)
      } else put(f, a, b, m)
    }
  }
  const all = new Float32Array(p.length + added.length)
  all.set(p)
  all.set(added, p.length)
  return {
    sharpened: { kind: 'mesh', positions: all, indices: Uint32Array.from(out) },
    source: Int32Array.from(source),
    changed: Uint8Array.from(source, (f) => (feature[f] >= 0 ? 1 : 0)),
  }
}

/**
 * Where the tangent planes at the corners meet, nearest to the middle of the face (Garland and Heckbert's quadric with
 * weak directions left out).
 */
function meetingPoint(
  p: Float32Array,
  normals: Float64Array,
  corners: readonly number[],
  spacingMm: number,
  out: Float64Array,
): boolean {
  const middle = [0, 1, 2].map((c) => corners.reduce((s, v) => s + p[v * 3 + c], 0) / 3)
  const a = new Float64Array(9),
    rhs = [0, 0, 0]
  for (const v of corners) {
    const n = normals.subarray(v * 3, v * 3 + 3)
    const d = [0, 1, 2].reduce((s, c) => s + n[c] * (p[v * 3 + c] - middle[c]), 0)
    for (let r = 0; r < 3; r++) {
      rhs[r] += n[r] * d
      for (let c = 0; c < 3; c++) a[r * 3 + c] += n[r] * n[c]
    }
  }
  const { values, vectors } = symmetricEigen(a, 3)
  const largest = Math.max(...values)
  const move = [0, 0, 0]
  for (let k = 0; k < 3; k++) {
    if (values[k] < WEAK * largest) continue
    const v = vectors[k]
    const along = (v[0] * rhs[0] + v[1] * rhs[1] + v[2] * rhs[2]) / values[k]
    for (let c = 0; c < 3; c++) move[c] += along * v[c]
  }
  if (Math.hypot(move[0], move[1], move[2]) > 1.2 * spacingMm) return false
  for (let c = 0; c < 3; c++) out[c] = middle[c] + move[c]
  return true
}
