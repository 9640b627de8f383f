import { faceCross } from '../linear/face-cross'
import { edgeTopology } from '../mesh/topology'
import { dropUnusedVertices } from '../mesh/weld'
import { pickTriangles, type TriangleMesh } from '../shapes'
import { nextHalf } from '../mesh/half-edges'

/*
 * Faces that are none: without area, there twice, or standing out of the surface.
 */

export interface Tidied {
  readonly mesh: TriangleMesh
  /** Faces that were changed or taken away. */
  readonly count: number
}

const ROUNDS = 64

/**
 * Takes faces without area out of a mesh, without tearing it: the face beyond the longest edge of one is split where the
 * third corner lies on that edge.
 * @param mesh points that coincide made one, so that such a face has its corners on one line
 */
export function splitCaps(mesh: TriangleMesh): Tidied {
  let now = mesh
  let count = 0
  for (let round = 0; round < ROUNDS; round++) {
    const { positions: p, indices } = now
    const flat: number[] = []
    const cross = new Float64Array(3)
    for (let f = 0; f < indices.length; f += 3)
      if (faceCross(p, indices[f] * 3, indices[f + 1] * 3, indices[f + 2] * 3, cross) === 0) flat.push(f)
    if (flat.length === 0) break
    const { twin } = edgeTopology(now)
    const isFlat = new Set(flat)
    const gone = new Uint8Array(indices.length / 3)
    const source: number[] = []
    const extra: number[] = []
    const touched = new Uint8Array(indices.length / 3)
    for (const f of flat) {
      if (touched[f / 3]) continue
      const h = longest(now, f)
      const apex = indices[f + ((h - f + 2) % 3)]
      const t = twin[h]
      const g = Math.floor(t / 3)
      if (t >= 0 && !touched[g] && !isFlat.has(g * 3)) {
        // b → a, d becomes b → apex, d and apex → a, d.
        const [b, a, d] = [indices[t], indices[nextHalf(t)], indices[nextHalf(nextHalf(t))]]
        gone[g] = touched[g] = 1
        if (apex !== d) {
          extra.push(b, apex, d, apex, a, d)
          source.push(g, g)
        }
      } else if (t >= 0) continue
      gone[f / 3] = touched[f / 3] = 1
      count++
    }
    if (!gone.includes(1)) {
      // Only such faces beside one another are left: one of them goes as it is.
      gone[flat[0] / 3] = 1
      count++
    }
    const stay = Array.from(gone.keys()).filter((f) => !gone[f])
    const picked = pickTriangles(now, [...stay, ...source])
    const next = picked.indices.slice()
    next.set(extra, stay.length * 3)
    now = { ...picked, indices: next }
  }
  return { mesh: count > 0 ? dropUnusedVertices(now) : mesh, count }
}

function longest({ positions: p, indices }: TriangleMesh, f: number): number {
  let best = f,
    far = -1
  for (let h = f; h < f + 3; h++) {
    const a = indices[h] * 3,
      b = indices[nextHalf(h)] * 3
    const d = (p[a] - p[b]) ** 2 + (p[a + 1] - p[b + 1]) ** 2 + (p[a + 2] - p[b + 2]) ** 2
    if (d > far) {
      far = d
      best = h
    }
  }
  return best
}

/** Faces on the same three points: of those that face the same way one stays, two that face each other both go. */
export function dropDoubles(mesh: TriangleMesh): Tidied {
  const { indices } = mesh
  const { twin } = edgeTopology(mesh)
  const seen = new Map<string, number[]>()
  for (let f = 0; f < indices.length; f += 3) {
    // Of such faces an edge has more than two, or two that run alike, or all three edges lead to the same other one.
    const [g, h, i] = [twin[f], twin[f + 1], twin[f + 2]]
    const isOne = g >= 0 && Math.floor(g / 3) === Math.floor(h / 3) && Math.floor(h / 3) === Math.floor(i / 3)
    if (g !== -2 && h !== -2 && i !== -2 && !isOne) continue
    const key = [indices[f], indices[f + 1], indices[f + 2]].sort((a, b) => a - b).join(' ')
    const list = seen.get(key)
    if (list) list.push(f)
    else seen.set(key, [f])
  }
  const gone = new Uint8Array(indices.length / 3)
  let count = 0
  for (const list of seen.values()) {
    if (list.length < 2) continue
    const facing = list.map((f) => sign(indices, f))
    const sum = facing.reduce((a, b) => a + b, 0)
    // Of as many each way nothing is left; else one of those there are more of.
    const stays = sum === 0 ? -1 : list[facing.indexOf(Math.sign(sum))]
    for (const f of list)
      if (f !== stays) {
        gone[f / 3] = 1
        count++
      }
  }
  return without(mesh, gone, count)
}

/** Whether the corners of a face run in the order of their numbers, or against it. */
function sign(indices: Uint32Array, f: number): number {
  const [a, b, c] = [indices[f], indices[f + 1], indices[f + 2]]
  return (a < b ? 1 : -1) * (b < c ? 1 : -1) * (a < c ? 1 : -1)
}

/**
 * Takes off fins: pieces of surface that hang on an edge with more than two faces and end in the open. They are the
 * pieces between such edges that have a border, the smallest first, as long as the edge has too many faces.
 */
export function dropFins(mesh: TriangleMesh): Tidied {
  let now = mesh
  let count = 0
  for (let round = 0; round < ROUNDS; round++) {
    const { twin, nonManifoldEdges, borderEdges } = edgeTopology(now)
    if (nonManifoldEdges === 0 || borderEdges === 0) break
    const { indices } = now
    const piece = new Int32Array(indices.length / 3).fill(-1)
    const sizes: number[] = []
    const open: boolean[] = []
    const hangs: boolean[] = []
    for (let seed = 0; seed < piece.length; seed++) {
      if (piece[seed] >= 0) continue
      const id = sizes.length
      const stack = [seed]
      piece[seed] = id
      let size = 0,
        border = false,
        hang = false
      while (stack.length > 0) {
        const f = stack.pop()!
        size++
        for (let h = f * 3; h < f * 3 + 3; h++) {
          const t = twin[h]
          if (t === -1) border = true
          else if (t === -2) hang = true
          else if (piece[Math.floor(t / 3)] < 0) {
            piece[Math.floor(t / 3)] = id
            stack.push(Math.floor(t / 3))
          }
        }
      }
      sizes.push(size)
      open.push(border)
      hangs.push(hang)
    }
    const fins = sizes.map((_, id) => id).filter((id) => open[id] && hangs[id])
    // What everything else hangs on is no fin.
    const largest = sizes.indexOf(Math.max(...sizes))
    const smallest = fins.filter((id) => id !== largest).sort((a, b) => sizes[a] - sizes[b])[0]
    if (smallest === undefined) break
    const gone = Uint8Array.from(piece, (id) => (id === smallest ? 1 : 0))
    count += sizes[smallest]
    now = without(now, gone, 1).mesh
  }
  return { mesh: now, count }
}

/** The mesh without the marked faces. */
export function without(mesh: TriangleMesh, gone: Uint8Array, count: number): Tidied {
  if (count === 0) return { mesh, count }
  const stay = Array.from(gone.keys()).filter((f) => !gone[f])
  return { mesh: dropUnusedVertices(pickTriangles(mesh, stay)), count }
}
