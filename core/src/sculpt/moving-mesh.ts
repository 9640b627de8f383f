import { faceCross } from '../linear/face-cross'
import { nextHalf, previousHalf } from '../mesh/half-edges'
import { vertexNormals } from '../mesh/normals'
import { evenEdgeMm } from '../mesh/sample-surface'
import { vertexRings, type VertexRings } from '../mesh/vertex-rings'
import type { TriangleMesh } from '../shapes'
import { CellIndex } from '../spatial/cell-index'

/** Faces that turn by more than this (cosine) in one dab are given back. */
const LEAST_TURN = 0.2
const GIVE_BACK_ROUNDS = 4
/** The cells in which a dab looks for the nearest vertex are so many edges wide. */
const CELL_EDGES = 4

/** A mesh whose vertices move while it is asked what lies where. */
export class MovingMesh {
  readonly positions: Float32Array
  readonly normals: Float32Array
  /** Where vertices were, and which way they faced then. */
  readonly before: Float32Array
  readonly facing: Float32Array
  readonly rings: VertexRings
  readonly indices: Uint32Array
  /** The farthest any vertex ever was from where it began, mm. */
  farthestMm = 0
  private readonly cells: CellIndex
  private readonly stamp: Int32Array
  private stamps = 0
  private readonly crossNow = new Float64Array(3)
  private readonly crossThen = new Float64Array(3)
  /** Corners of a face as they were. */
  private readonly then = new Float64Array(9)

  /** @param mesh welded */
  constructor(mesh: TriangleMesh) {
    this.indices = mesh.indices
    this.before = mesh.positions
    this.positions = mesh.positions.slice()
    this.facing = vertexNormals(mesh)
    this.normals = this.facing.slice()
    this.rings = vertexRings(mesh.indices, mesh.positions.length / 3)
    this.cells = new CellIndex(this.before, CELL_EDGES * evenEdgeMm(mesh))
    this.stamp = new Int32Array(mesh.positions.length / 3)
  }

  /** How far a vertex lies from where it began, mm. */
  away(v: number): number {
    const { positions: p, before: q } = this
    const k = v * 3
    return Math.sqrt((p[k] - q[k]) ** 2 + (p[k + 1] - q[k + 1]) ** 2 + (p[k + 2] - q[k + 2]) ** 2)
  }

  /**
   * Vertices that hang together with the one nearest to a place within the radius, and face the side: a brush on one
   * wall never reaches the other.
   */
  under(x: number, y: number, z: number, radiusMm: number, side: readonly number[] | null): Int32Array {
    const seed = this.nearest(x, y, z, radiusMm, side)
    if (seed < 0) return new Int32Array(0)
    const { start, items } = this.rings
    const { indices } = this
    const p = this.positions
    this.stamps++
    const found = [seed]
    this.stamp[seed] = this.stamps
    const visit = (u: number): void => {
      if (this.stamp[u] === this.stamps) return
      this.stamp[u] = this.stamps
      const d2 = (p[u * 3] - x) ** 2 + (p[u * 3 + 1] - y) ** 2 + (p[u * 3 + 2] - z) ** 2
      if (d2 < radiusMm * radiusMm && this.faces(u, side)) found.push(u)
    }
    for (let i = 0; i < found.length; i++) {
      const v = found[i]
      for (let k = start[v]; k < start[v + 1]; k++) {
        visit(indices[nextHalf(items[k])])
        visit(indices[previousHalf(items[k])])
      }
    }
    return Int32Array.from(found)
  }

  private faces(v: number, side: readonly number[] | null): boolean {
    const f = this.facing
    return side === null || side[0] * f[v * 3] + side[1] * f[v * 3 + 1] + side[2] * f[v * 3 + 2] > 0
  }

  /** The nearest vertex that faces the side; −1 where none lies within the radius. */
  private nearest(x: number, y: number, z: number, radiusMm: number, side: readonly number[] | null): number {
    const { cells, positions: p } = this
    const edge = cells.edgeMm
    let best = -1,
      best2 = radiusMm * radiusMm
    const look = (cell: number): void => {
      for (let i = cells.start[cell]; i < cells.start[cell + 1]; i++) {
        const v = cells.items[i]
        const d2 = (p[v * 3] - x) ** 2 + (p[v * 3 + 1] - y) ** 2 + (p[v * 3 + 2] - z) ** 2
        if (d2 < best2 && this.faces(v, side)) {
          best = v
          best2 = d2
        }
      }
    }
    // Cells hold where vertices were: what has moved since may lie so much farther off. The first steps outwards find it.
    for (let reach = edge; ; reach *= 2) {
      const most = Math.min(reach, radiusMm) + this.farthestMm
      const [x0, y0, z0] = [x, y, z].map((q) => Math.floor((q - most) / edge))
      const [x1, y1, z1] = [x, y, z].map((q) => Math.floor((q + most) / edge))
      if ((x1 - x0 + 1) * (y1 - y0 + 1) * (z1 - z0 + 1) > cells.count) {
        for (let c = 0; c < cells.count; c++) look(c)
        return best
      }
      for (let cz = z0; cz <= z1; cz++)
        for (let cy = y0; cy <= y1; cy++)
          for (let cx = x0; cx <= x1; cx++) {
            const cell = cells.find(cx, cy, cz)
            if (cell >= 0) look(cell)
          }
      if (best >= 0 && best2 <= Math.min(reach, radiusMm) ** 2) return best
      if (reach >= radiusMm) return best
    }
  }

  /**
   * Where moving the listed vertices turned faces over, or nearly, they go back.
   * @param old xyz of each, as it was @param moves which of them moved; cleared for those that go back
   */
  giveBackFolds(list: Int32Array, old: Float32Array, moves: Uint8Array): void {
    const { start, items } = this.rings
    const { indices } = this
    const place = new Map<number, number>()
    for (let i = 0; i < list.length; i++) if (moves[i]) place.set(list[i], i)
    const oldAt = (v: number, c: number): number => {
      const i = place.get(v)
      return i === undefined ? this.positions[v * 3 + c] : old[i * 3 + c]
    }
    for (let round = 0; round < GIVE_BACK_ROUNDS; round++) {
      const back = new Set<number>()
      for (let i = 0; i < list.length; i++) {
        if (!moves[i]) continue
        const v = list[i]
        for (let k = start[v]; k < start[v + 1]; k++) {
          const h = items[k]
          const a = indices[h],
            b = indices[nextHalf(h)],
            c = indices[previousHalf(h)]
          if (this.turnOf(a, b, c, oldAt) < LEAST_TURN) {
            back.add(i)
            break
          }
        }
      }
      if (back.size === 0) return
      for (const i of back) {
        const v = list[i]
        for (let c = 0; c < 3; c++) this.positions[v * 3 + c] = old[i * 3 + c]!
        moves[i] = 0
        place.delete(v)
      }
    }
  }

  /** Cosine of the angle by which a face turned. */
  private turnOf(a: number, b: number, c: number, oldAt: (v: number, c: number) => number): number {
    const { crossNow, crossThen, then } = this
    const now2 = faceCross(this.positions, a * 3, b * 3, c * 3, crossNow)
    for (let k = 0; k < 3; k++) {
      then[k] = oldAt(a, k)
      then[3 + k] = oldAt(b, k)
      then[6 + k] = oldAt(c, k)
    }
    const l = now2 * faceCross(then, 0, 3, 6, crossThen)
    return l > 0 ? (crossNow[0] * crossThen[0] + crossNow[1] * crossThen[1] + crossNow[2] * crossThen[2]) / l : 1
  }

  /** Normals round vertices that moved, told anew. @returns those vertices and their neighbours */
  turned(moved: Int32Array): Int32Array {
    const { start, items } = this.rings
    const { indices } = this
    this.stamps++
    const all: number[] = []
    const take = (v: number): void => {
      if (this.stamp[v] === this.stamps) return
      this.stamp[v] = this.stamps
      all.push(v)
    }
    for (const v of moved) {
      take(v)
      for (let k = start[v]; k < start[v + 1]; k++) {
        take(indices[nextHalf(items[k])])
        take(indices[previousHalf(items[k])])
      }
    }
    const { positions: p, crossNow } = this
    for (const v of all) {
      let nx = 0,
        ny = 0,
        nz = 0
      for (let k = start[v]; k < start[v + 1]; k++) {
        faceCross(p, v * 3, indices[nextHalf(items[k])] * 3, indices[previousHalf(items[k])] * 3, crossNow)
        nx += crossNow[0]
        ny += crossNow[1]
        nz += crossNow[2]
      }
      const l = Math.sqrt(nx * nx + ny * ny + nz * nz) || 1
      this.normals[v * 3] = nx / l
      this.normals[v * 3 + 1] = ny / l
      this.normals[v * 3 + 2] = nz / l
    }
    return Int32Array.from(all)
  }
}
