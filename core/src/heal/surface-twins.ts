import type { TriangleMesh } from '../shapes'
import { edgeTopology } from '../mesh/topology'
import { edgeName, nextHalf } from '../mesh/half-edges'

/** Turns faces so that neighbours run their common edge in opposite directions. */
export function orientAlike(mesh: TriangleMesh): { readonly mesh: TriangleMesh; readonly turned: number } {
  const { indices } = mesh
  const neighbours = edgeNeighbours(mesh)
  const faces = indices.length / 3
  const turn = new Int8Array(faces).fill(-1)
  const part: number[] = []
  let turned = 0
  for (let seed = 0; seed < faces; seed++) {
    if (turn[seed] >= 0) continue
    part.length = 0
    part.push(seed)
    turn[seed] = 0
    let turns = 0
    for (let k = 0; k < part.length; k++) {
      const f = part[k]
      for (let h = f * 3; h < f * 3 + 3; h++) {
        const t = neighbours[h]
        if (t < 0) continue
        const g = Math.floor(t / 3)
        if (turn[g] >= 0) continue
        const isAlike = indices[h] !== indices[t]
        turn[g] = isAlike ? turn[f] : 1 - turn[f]
        turns += turn[g]
        part.push(g)
      }
    }
    // The fewer are turned.
    const flipAll = turns * 2 > part.length
    if (flipAll) for (const f of part) turn[f] = 1 - turn[f]
    turned += flipAll ? part.length - turns : turns
  }
  if (turned === 0) return { mesh, turned }
  const out = indices.slice()
  for (let f = 0; f < faces; f++)
    if (turn[f] === 1) {
      out[f * 3 + 1] = indices[f * 3 + 2]
      out[f * 3 + 2] = indices[f * 3 + 1]
    }
  return { mesh: withTurned(mesh, out, turn), turned }
}

/** Corners that changed places take what belongs to them along. */
function withTurned(mesh: TriangleMesh, indices: Uint32Array, turn: Int8Array): TriangleMesh {
  const { uvs } = mesh
  if (!uvs) return { ...mesh, indices }
  const moved = uvs.slice()
  for (let f = 0; f < turn.length; f++)
    if (turn[f] === 1)
      for (let c = 0; c < 2; c++) {
        moved[(f * 3 + 1) * 2 + c] = uvs[(f * 3 + 2) * 2 + c]
        moved[(f * 3 + 2) * 2 + c] = uvs[(f * 3 + 1) * 2 + c]
      }
  return { ...mesh, indices, uvs: moved }
}

/** The other half-edge of each edge with exactly two faces, however they run; −1 for any other. */
function edgeNeighbours(mesh: TriangleMesh): Int32Array {
  const { indices } = mesh
  const { twin } = edgeTopology(mesh)
  const out = Int32Array.from(twin, (t) => (t >= 0 ? t : -1))
  const flipped = new Map<string, number>()
  const many = new Set<string>()
  for (let h = 0; h < twin.length; h++) {
    if (twin[h] !== -2) continue
    const a = indices[h],
      b = indices[nextHalf(h)]
    const key = edgeName(a, b)
    if (many.has(key)) continue
    const other = flipped.get(key)
    if (other === undefined) flipped.set(key, h)
    else if (out[other] < 0) {
      out[other] = h
      out[h] = other
    } else {
      many.add(key)
      out[out[other]] = -1
      out[other] = -1
    }
  }
  return out
}

/**
 * Twins of all half-edges, those at edges with more than two faces among them: round such an edge a face belongs to the
 * one that follows it across the inside of the solid, where that runs the other way. −1 for what stays alone.
 */
export function surfaceTwins(mesh: Pick<TriangleMesh, 'positions' | 'indices'>): Int32Array {
  const { indices, positions: p } = mesh
  const { twin } = edgeTopology({ kind: 'mesh', ...mesh })
  const out = Int32Array.from(twin, (t) => (t >= 0 ? t : -1))
  const edges = new Map<string, number[]>()
  for (let h = 0; h < twin.length; h++) {
    if (twin[h] !== -2) continue
    const a = indices[h],
      b = indices[nextHalf(h)]
    const key = edgeName(a, b)
    const list = edges.get(key)
    if (list) list.push(h)
    else edges.set(key, [h])
  }
  for (const list of edges.values()) {
    if (list.length < 3) continue
    const low = Math.min(indices[list[0]], indices[nextHalf(list[0])])
    const high = indices[list[0]] === low ? indices[nextHalf(list[0])] : indices[list[0]]
    const turned = list
      .map((h) => ({ h, angle: angleRound(p, low, high, indices[nextHalf(nextHalf(h))]), isUp: indices[h] === low }))
      .sort((x, y) => x.angle - y.angle)
    // Seen along the edge, the inside of a face that runs up lies on the side the angle grows against.
    const n = turned.length
    for (let i = 0; i < n; i++) {
      const one = turned[i]
      if (!one.isUp || out[one.h] >= 0) continue
      for (const k of [(i + n - 1) % n, (i + 1) % n]) {
        const other = turned[k]
        if (other.isUp || out[other.h] >= 0) continue
        out[one.h] = other.h
        out[other.h] = one.h
        break
      }
    }
  }
  return out
}

/** The angle at which a point stands round an edge. */
function angleRound(p: Float32Array, a: number, b: number, c: number): number {
  const d = [0, 1, 2].map((k) => p[b * 3 + k] - p[a * 3 + k])
  const l = Math.hypot(...d) || 1
  const axis = d.map((v) => v / l)
  const least = axis.map(Math.abs)
  const k = least.indexOf(Math.min(...least))
  const side = [0, 0, 0]
  side[k] = 1
  const u = cross(axis, side)
  const w = cross(axis, u)
  const q = [0, 1, 2].map((i) => p[c * 3 + i] - p[a * 3 + i])
  return Math.atan2(dot(q, w), dot(q, u))
}

const cross = (a: readonly number[], b: readonly number[]): number[] => [
  a[1] * b[2] - a[2] * b[1],
  a[2] * b[0] - a[0] * b[2],
  a[0] * b[1] - a[1] * b[0],
]
const dot = (a: readonly number[], b: readonly number[]): number => a[0] * b[0] + a[1] * b[1] + a[2] * b[2]
