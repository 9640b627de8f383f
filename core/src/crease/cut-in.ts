import { WorkingMesh } from '../remesh/working-mesh'
import type { TriangleMesh } from '../shapes'
import { CellIndex } from '../spatial/cell-index'
import { Lines } from './lines'
import type { Network } from './network'
import { sheetAt, type Places } from './places'
import { nextHalf } from '../mesh/half-edges'

/** What a point of a mesh with edges may do. */
export const STAYS = 0
export const ON_SHEET = 1
export const ON_LINE = 2
export const CORNER = 3

/** Points so near a line, in edges of the mesh, lie on their sheets wholly; farther off ever less, to none at all. */
const WHOLLY = 1.5
const AT_ALL = 2.2

/** A mesh whose own edges run along those of the piece. */
export interface CutMesh {
  readonly working: WorkingMesh
  readonly lines: Lines
  readonly kind: Uint8Array
  /** Per point: the sheet it lies on, and the other one where it is on a line; −1 for none. */
  readonly first: Int32Array
  readonly second: Int32Array
  /** Per point of a line: 1 where the surface turns outwards, −1 inwards. */
  readonly turn: Int8Array
  /** Per point: how much of the way to its sheet it goes. */
  readonly share: Float32Array
}

/** Puts points where edges of the mesh cross those of the piece, so that they become edges of the mesh. */
export function cutIn(mesh: TriangleMesh, places: Places, network: Network, edgeMm: number): CutMesh {
  const working = new WorkingMesh(mesh, edgeMm)
  const n = mesh.positions.length / 3
  const total = n + network.crossings.size
  const kind = new Uint8Array(total),
    first = new Int32Array(total).fill(-1),
    second = new Int32Array(total).fill(-1),
    share = new Float32Array(total),
    turns = new Int8Array(total)
  const near = nearLines(mesh, network, edgeMm)
  for (let v = 0; v < n; v++) {
    if (places.count[v] === 0 || near[v] === 0) continue
    kind[v] = ON_SHEET
    first[v] = sheetAt(places, v, places.side[v])
    share[v] = near[v]
  }
  for (const { point, at } of network.corners) {
    kind[point] = CORNER
    working.places.set(at, point * 3)
  }
  const { topology } = working
  for (const [h, { by, a, b, at, turn }] of network.crossings) {
    const u = mesh.indices[h],
      v = mesh.indices[nextHalf(h)]
    if (kind[u] === CORNER || kind[v] === CORNER) continue
    // A split beside it gives an edge another number.
    const m = working.split(topology.outgoing(u).find((k) => topology.tip(k) === v)!)
    working.places.set(at, m * 3)
    kind[m] = ON_LINE
    first[m] = sheetAt(places, by, a)
    second[m] = sheetAt(places, by, b)
    turns[m] = turn
  }
  const lines = new Lines()
  for (let h = 0; h < topology.halfEdges; h++) {
    const a = topology.origin(h),
      b = topology.tip(h)
    // New points share an edge only inside a triangle of before, from one of its crossings to the other.
    if (kind[a] >= ON_LINE && kind[b] >= ON_LINE && !(kind[a] === CORNER && kind[b] === CORNER)) lines.add(a, b)
  }
  const cut = { working, lines, kind, first, second, share, turn: turns }
  const at = new Float64Array(3)
  for (let v = 0; v < n; v++)
    if (kind[v] === ON_SHEET) {
      at.set(working.places.subarray(v * 3, v * 3 + 3))
      if (layOn(cut, places, v, at)) working.places.set(at, v * 3)
    }
  return cut
}

/** Moves a place towards the sheet of a point, as far as it goes. @returns false, nothing moved, where it is not reached */
export function layOn({ first, share }: CutMesh, { sheets }: Places, point: number, at: Float64Array): boolean {
  const x = at[0],
    y = at[1],
    z = at[2]
  if (!sheets.lay(first[point], at, 1e-6)) {
    at[0] = x
    at[1] = y
    at[2] = z
    return false
  }
  const s = share[point]
  at[0] = x + s * (at[0] - x)
  at[1] = y + s * (at[1] - y)
  at[2] = z + s * (at[2] - z)
  return true
}

/** Per point of the mesh: 1 beside a line, down to 0 away from all. */
function nearLines({ positions: p }: TriangleMesh, { crossings, corners }: Network, edgeMm: number): Float32Array {
  const out = new Float32Array(p.length / 3)
  const places = [...crossings.values(), ...corners].map((c) => c.at)
  if (places.length === 0) return out
  const reach = AT_ALL * edgeMm
  const marks = Float32Array.from(places.flat())
  const cells = new CellIndex(p, reach)
  for (let i = 0; i < marks.length; i += 3) {
    const [x, y, z] = marks.subarray(i, i + 3)
    for (const cell of cells.around(x, y, z))
      for (let k = cells.start[cell]; k < cells.start[cell + 1]; k++) {
        const v = cells.items[k]
        const d = Math.hypot(p[v * 3] - x, p[v * 3 + 1] - y, p[v * 3 + 2] - z)
        const share = Math.min(1, (reach - d) / (reach - WHOLLY * edgeMm))
        if (share > out[v]) out[v] = share
      }
  }
  return out
}
