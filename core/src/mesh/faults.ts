import { faceCross } from '../linear/face-cross'
import type { TriangleMesh } from '../shapes'
import { UnionFind } from '../spatial/union-find'
import { meshComponents, partSizesMm } from './components'
import { splitVertices } from './health'
import { edgeTopology } from './topology'
import { edgeName, nextHalf } from './half-edges'

export const FAULT_KINDS = ['crossing', 'crowded', 'against', 'pinched', 'flat', 'loose', 'spike', 'thin'] as const
/**
 * Faces that cross · edges with more than two faces · faces turned against each other · surfaces that only touch · faces
 * without area · a part by itself · a spike · a place thinner than was asked for.
 */
export type FaultKind = (typeof FAULT_KINDS)[number]

export interface Fault {
  readonly kind: FaultKind
  /** Its middle, mm. */
  readonly at: readonly [number, number, number]
  /** Diagonal of the box round it, mm. */
  readonly sizeMm: number
  /** Pairs of faces, faces, edges or points it is made of. */
  readonly count: number
}

/** A point that stands so many radii of its ring over it is a spike. */
const SPIKE = 2.5
/** Places told of one kind. */
const MOST_OF_A_KIND = 40

/**
 * Where a mesh is faulty, place by place, the largest first: what hangs together through points is one place.
 * @param mesh points that coincide made one @param crossing pairs of faces that cross, as `findCrossings` gives them
 */
export function faultsOf(mesh: TriangleMesh, crossing: ArrayLike<number>): Fault[] {
  const { indices } = mesh
  const { twin } = edgeTopology(mesh)
  const out: Fault[] = []
  const add = (kind: FaultKind, groups: readonly (readonly number[])[]): void => {
    out.push(...placesOf(mesh, kind, groups))
  }
  const corners = (f: number): number[] => Array.from(indices.subarray(f * 3, f * 3 + 3))
  const crossed: number[][] = []
  for (let i = 0; i < crossing.length; i += 2) crossed.push([...corners(crossing[i]), ...corners(crossing[i + 1])])
  add('crossing', crossed)
  const crowded: number[][] = [],
    against: number[][] = []
  const ends = new Map<string, number>()
  for (let h = 0; h < twin.length; h++) {
    if (twin[h] !== -2) continue
    const key = edgeName(indices[h], indices[nextHalf(h)])
    ends.set(key, (ends.get(key) ?? 0) + 1)
  }
  for (let h = 0; h < twin.length; h++) {
    if (twin[h] !== -2) continue
    const key = edgeName(indices[h], indices[nextHalf(h)])
    const faces = ends.get(key)
    if (faces === undefined) continue
    ends.delete(key)
    ;(faces > 2 ? crowded : against).push([indices[h], indices[nextHalf(h)]])
  }
  add('crowded', crowded)
  add('against', against)
  const pinched: number[][] = []
  const known = new Set(crowded.flat())
  splitVertices(mesh, twin).forEach((s, v) => {
    // Round an edge of many faces its ends are no fault of their own.
    if (s && !known.has(v)) pinched.push([v])
  })
  add('pinched', pinched)
  const flat: number[][] = []
  const cross = new Float64Array(3)
  for (let f = 0; f < indices.length; f += 3)
    if (faceCross(mesh.positions, indices[f] * 3, indices[f + 1] * 3, indices[f + 2] * 3, cross) === 0)
      flat.push(corners(f / 3))
  add('flat', flat)
  out.push(...spikeFaults(mesh))
  out.push(...looseParts(mesh))
  return out
}

/** Points drawn far out of the surface: no fault to a check of its kind, so looked for by themselves. */
export const spikeFaults = (mesh: TriangleMesh): Fault[] => placesOf(mesh, 'spike', spikesOf(mesh))

/** Groups of points, what hangs together made one place, the largest first. */
function placesOf(mesh: TriangleMesh, kind: FaultKind, groups: readonly (readonly number[])[]): Fault[] {
  return largestFirst(together(groups).map((of) => faultOf(mesh, kind, groups, of)))
}

/** Which groups of points hang together: lists of their numbers. */
export function together(groups: readonly (readonly number[])[]): number[][] {
  if (groups.length === 0) return []
  const own = new Map<number, number>()
  for (const group of groups) for (const v of group) if (!own.has(v)) own.set(v, own.size)
  const sets = new UnionFind(own.size)
  for (const group of groups) for (const v of group) sets.union(own.get(v)!, own.get(group[0])!)
  const places = new Map<number, number[]>()
  groups.forEach((group, i) => {
    const root = sets.find(own.get(group[0])!)
    const list = places.get(root)
    if (list) list.push(i)
    else places.set(root, [i])
  })
  return [...places.values()]
}

/** Some groups of points as one place. */
export const faultOf = (
  { positions }: TriangleMesh,
  kind: FaultKind,
  groups: readonly (readonly number[])[],
  of: readonly number[],
): Fault => ({ kind, ...boxOf(positions, new Set(of.flatMap((i) => [...groups[i]]))), count: of.length })

/** The largest of one kind, as many as are told. */
export const largestFirst = (faults: Fault[]): Fault[] =>
  faults.sort((a, b) => b.sizeMm - a.sizeMm || b.count - a.count).slice(0, MOST_OF_A_KIND)

function boxOf(p: Float32Array, points: Iterable<number>): Pick<Fault, 'at' | 'sizeMm'> {
  const low = [Infinity, Infinity, Infinity],
    high = [-Infinity, -Infinity, -Infinity]
  for (const v of points)
    for (let c = 0; c < 3; c++) {
      low[c] = Math.min(low[c], p[v * 3 + c])
      high[c] = Math.max(high[c], p[v * 3 + c])
    }
  const at = low.map((v, c) => (v + high[c]) / 2) as [number, number, number]
  return { at, sizeMm: Math.hypot(...high.map((v, c) => v - low[c])) }
}

/** Points that stand far over the ring of their neighbours, each with that ring. */
function spikesOf({ positions: p, indices }: TriangleMesh): number[][] {
  const n = p.length / 3
  const middle = new Float64Array(n * 3),
    count = new Int32Array(n)
  for (let h = 0; h < indices.length; h++) {
    // Each neighbour comes twice round a closed fan, so that the mean is that of the ring.
    const v = indices[h]
    for (const w of [indices[nextHalf(h)], indices[nextHalf(nextHalf(h))]]) {
      count[v]++
      for (let c = 0; c < 3; c++) middle[v * 3 + c] += p[w * 3 + c]
    }
  }
  const radius = new Float64Array(n)
  for (let h = 0; h < indices.length; h++) {
    const v = indices[h]
    for (const w of [indices[nextHalf(h)], indices[nextHalf(nextHalf(h))]]) {
      let d2 = 0
      for (let c = 0; c < 3; c++) d2 += (p[w * 3 + c] - middle[v * 3 + c] / count[v]) ** 2
      radius[v] += Math.sqrt(d2) / count[v]
    }
  }
  const found = new Uint8Array(n)
  for (let v = 0; v < n; v++) {
    if (count[v] < 6) continue
    let d2 = 0
    for (let c = 0; c < 3; c++) d2 += (p[v * 3 + c] - middle[v * 3 + c] / count[v]) ** 2
    if (d2 > (SPIKE * radius[v]) ** 2) found[v] = 1
  }
  if (!found.includes(1)) return []
  const rings = new Map<number, number[]>()
  for (let h = 0; h < indices.length; h++) {
    const v = indices[h]
    if (!found[v]) continue
    const list = rings.get(v) ?? [v]
    list.push(indices[nextHalf(h)], indices[nextHalf(nextHalf(h))])
    rings.set(v, list)
  }
  return [...rings.values()]
}

/** All parts but the largest. */
function looseParts(mesh: TriangleMesh): Fault[] {
  const { label, faces, count } = meshComponents(mesh)
  if (count < 2) return []
  const sizes = partSizesMm(mesh, label)
  const parts = [...faces.keys()].filter((l) => faces[l] > 0).sort((a, b) => sizes[b] - sizes[a])
  const told = new Set(parts.slice(1, 1 + MOST_OF_A_KIND))
  const points = new Map<number, number[]>()
  label.forEach((l, v) => {
    if (!told.has(l)) return
    const list = points.get(l)
    if (list) list.push(v)
    else points.set(l, [v])
  })
  return [...points]
    .map(([l, list]) => ({ kind: 'loose' as const, ...boxOf(mesh.positions, list), count: faces[l] }))
    .sort((a, b) => b.sizeMm - a.sizeMm)
}
