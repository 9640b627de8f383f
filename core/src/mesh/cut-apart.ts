import type { TriangleMesh } from '../shapes'
import { UnionFind } from '../spatial/union-find'
import { edgeTopology } from './topology'
import { nextHalf } from './half-edges'

export interface CutApart {
  /** Every edge has one face, or two that run it in opposite directions; round every point the faces form one fan. */
  readonly indices: Uint32Array
  /** For each point of the faces, the one of the input it lies on. */
  readonly source: Int32Array
}

/** Rounds after which faces that still stand in the way stand alone. */
const ROUNDS = 4

/**
 * Cuts a mesh along edges that are no surface's (more than two faces, or two that run the same way) and at points where
 * surfaces only touch: points there are doubled, one for each fan of faces (Guéziec, Taubin, Lazarus and Horn 1998,
 * "Converting sets of polygons to manifold surfaces by cutting and stitching"). Faces stay, in their order.
 * @param twins the half-edge each one belongs to where that is known better than by counting faces; −1 for none
 */
export function cutApart(mesh: Pick<TriangleMesh, 'positions' | 'indices'>, twins?: Int32Array): CutApart {
  let indices: Uint32Array = mesh.indices
  let source: Int32Array = Int32Array.from({ length: mesh.positions.length / 3 }, (_, v) => v)
  for (let round = 0; ; round++) {
    const counted = edgeTopology({ kind: 'mesh', positions: new Float32Array(source.length * 3), indices }).twin
    const twin = (round === 0 && twins) || counted
    // Two sides of an edge may lie in one fan and still be no surface: in the end such a face stands alone.
    const alone = new Uint8Array(indices.length / 3)
    if (round >= ROUNDS) for (let h = 0; h < twin.length; h++) if (twin[h] === -2) alone[Math.floor(h / 3)] = 1
    const fans = new UnionFind(indices.length)
    for (let h = 0; h < indices.length; h++) {
      const t = twin[h]
      if (t < h || alone[Math.floor(h / 3)] || alone[Math.floor(t / 3)]) continue
      fans.union(h, nextHalf(t))
      fans.union(nextHalf(h), t)
    }
    const made = byFan(indices, source, fans)
    const isDone = made.source.length === source.length && !counted.includes(-2)
    indices = made.indices
    source = made.source
    if (isDone) return { indices, source }
  }
}

/** One point for each fan round a point; the first fan keeps its number. */
function byFan(
  indices: Uint32Array,
  source: Int32Array,
  fans: UnionFind,
): { indices: Uint32Array; source: Int32Array } {
  const out = indices.slice()
  const of: number[] = Array.from(source)
  const first = new Int32Array(source.length).fill(-1)
  const pointOf = new Map<number, number>()
  for (let h = 0; h < indices.length; h++) {
    const root = fans.find(h),
      v = indices[h]
    if (first[v] < 0) first[v] = root
    if (first[v] === root) continue
    let point = pointOf.get(root)
    if (point === undefined) {
      point = of.length
      of.push(source[v])
      pointOf.set(root, point)
    }
    out[h] = point
  }
  return { indices: out, source: Int32Array.from(of) }
}
