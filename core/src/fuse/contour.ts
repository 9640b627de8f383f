import { checkpoint, type RunContext } from '../context'
import { ALL_INSIDE, BRICK, gatherHalo, type BrickGrid } from './brick-grid'

/** Crossings are kept this far from the nodes, as a share of the edge, so that no triangle can collapse. */
const CLAMP = 0.04

/**
 * Corner bits x = 1, y = 2, z = 4: six tetrahedra round the main diagonal (Kuhn 1960); the third column is the parity.
 */
const KUHN: ReadonlyArray<readonly [number, number, boolean]> = [
  [1, 3, true],
  [1, 5, false],
  [2, 3, false],
  [2, 6, true],
  [4, 5, true],
  [4, 6, false],
]

export interface Contour {
  readonly positions: Float32Array
  readonly indices: Uint32Array
}

/** Growing store; doubles like a vector. */
class Grow<T extends Float32Array | Uint32Array> {
  length = 0
  constructor(
    public data: T,
    private readonly make: (n: number) => T,
  ) {}
  reserve(extra: number): void {
    if (this.length + extra <= this.data.length) return
    const bigger = this.make(Math.max(this.data.length * 2, this.length + extra))
    bigger.set(this.data)
    this.data = bigger
  }
}

/** Open-addressing map from an edge (lower node × 7 + direction) to its vertex. */
class EdgeMap {
  private keys = new Float64Array(1 << 16).fill(-1)
  private values = new Int32Array(1 << 16)
  private used = 0

  /** The vertex of the edge, or −1 after reserving it for `fresh`. */
  getOrSet(key: number, fresh: number): number {
    if (this.used * 2 > this.keys.length) this.grow()
    const slot = this.slot(key)
    if (this.keys[slot] === key) return this.values[slot]
    this.keys[slot] = key
    this.values[slot] = fresh
    this.used++
    return -1
  }

  private slot(key: number): number {
    const mask = this.keys.length - 1
    const high = Math.floor(key / 4294967296)
    let h = Math.imul((key >>> 0) ^ Math.imul(high, 0x85ebca6b), 0x9e3779b1)
    h ^= h >>> 15
    let slot = h & mask
    while (this.keys[slot] !== -1 && this.keys[slot] !== key) slot = (slot + 1) & mask
    return slot
  }

  private grow(): void {
    const keys = this.keys
    const values = this.values
    this.keys = new Float64Array(keys.length * 2).fill(-1)
    this.values = new Int32Array(keys.length * 2)
    for (let i = 0; i < keys.length; i++) {
      if (keys[i] === -1) continue
      const slot = this.slot(keys[i])
      this.keys[slot] = keys[i]!
      this.values[slot] = values[i]!
    }
  }
}

/**
 * The zero surface of a brick grid by marching tetrahedra on Kuhn's subdivision (Doi and Koide 1991; Kuhn 1960).
 * All cells use the same diagonals, so triangles of neighbouring cells meet edge to edge: the surface is closed,
 * 2-manifold and embedded by construction. Nodes count as inside when their value is < 0; triangles turn
 * counter-clockwise seen from outside. Vertex order is that of bricks, then cells: the same grid gives the same bytes.
 */
export function contourBricks(grid: BrickGrid, values: Float32Array, farValue: number, context: RunContext): Contour {
  const edge = BRICK + 1
  const halo = new Float32Array(edge * edge * edge)
  const [nbx, nby, nbz] = grid.bricks
  // One brick of room on every side: cells at the border touch nodes outside the grid, which must not share a number
  // with others.
  const nx = (nbx + 2) * BRICK
  const ny = (nby + 2) * BRICK
  const h = grid.spacingMm
  const [ox, oy, oz] = grid.originMm
  const map = new EdgeMap()
  const positions = new Grow(new Float32Array(3 << 16), (n) => new Float32Array(n))
  const indices = new Grow(new Uint32Array(6 << 16), (n) => new Uint32Array(n))
  let count = 0
  const cornerValue = new Float64Array(8)
  const cornerOffset = [0, 1, edge, edge + 1, edge * edge, edge * edge + 1, edge * edge + edge, edge * edge + edge + 1]
  let cx = 0,
    cy = 0,
    cz = 0

  const vertex = (a: number, b: number): number => {
    const low = a < b ? a : b
    const high = a < b ? b : a
    const ax = cx + (low & 1),
      ay = cy + ((low >> 1) & 1),
      az = cz + (low >> 2)
    const node = ((az + BRICK) * ny + ay + BRICK) * nx + ax + BRICK
    const fresh = count
    const known = map.getOrSet(node * 7 + (high - low) - 1, fresh)
    if (known >= 0) return known
    const fa = cornerValue[low]
    const fb = cornerValue[high]
    let t = fa / (fa - fb)
    if (!(t > CLAMP)) t = CLAMP
    else if (t > 1 - CLAMP) t = 1 - CLAMP
    const d = high - low
    const ex = d & 1,
      ey = (d >> 1) & 1,
      ez = d >> 2
    positions.reserve(3)
    positions.data[positions.length++] = ox + h * (ax + t * ex)
    positions.data[positions.length++] = oy + h * (ay + t * ey)
    positions.data[positions.length++] = oz + h * (az + t * ez)
    count++
    return fresh
  }
  const triangle = (a: number, b: number, c: number, turned: boolean): void => {
    indices.reserve(3)
    indices.data[indices.length++] = a
    indices.data[indices.length++] = turned ? c : b
    indices.data[indices.length++] = turned ? b : c
  }
  /** One tetrahedron p q r s; `even` when its edge vectors form a right-handed frame. */
  const tetrahedron = (p: number, q: number, r: number, s: number, even: boolean): void => {
    const code =
      (cornerValue[p] < 0 ? 1 : 0) |
      (cornerValue[q] < 0 ? 2 : 0) |
      (cornerValue[r] < 0 ? 4 : 0) |
      (cornerValue[s] < 0 ? 8 : 0)
    switch (code) {
      case 0:
      case 15:
        return
      // One inside corner: the triangle looks away from it. `turned` follows from the parity of moving it to the front.
      case 1:
        return triangle(vertex(p, q), vertex(p, r), vertex(p, s), !even)
      case 14:
        return triangle(vertex(p, q), vertex(p, r), vertex(p, s), even)
      case 2:
        return triangle(vertex(q, p), vertex(q, r), vertex(q, s), even)
      case 13:
        return triangle(vertex(q, p), vertex(q, r), vertex(q, s), !even)
      case 4:
        return triangle(vertex(r, p), vertex(r, q), vertex(r, s), !even)
      case 11:
        return triangle(vertex(r, p), vertex(r, q), vertex(r, s), even)
      case 8:
        return triangle(vertex(s, p), vertex(s, q), vertex(s, r), even)
      case 7:
        return triangle(vertex(s, p), vertex(s, q), vertex(s, r), !even)
      // Two and two: a quad a-c, a-d, b-d, b-c for inside pair (a, b) and outside pair (c, d).
      case 3:
        return quad(p, q, r, s, even)
      case 12:
        return quad(r, s, p, q, even)
      case 5:
        return quad(p, r, q, s, !even)
      case 10:
        return quad(q, s, p, r, !even)
      case 9:
        return quad(p, s, q, r, even)
      case 6:
        return quad(q, r, p, s, even)
    }
  }
  const quad = (a: number, b: number, c: number, d: number, even: boolean): void => {
    const v0 = vertex(a, c),
      v1 = vertex(a, d),
      v2 = vertex(b, d),
      v3 = vertex(b, c)
    triangle(v0, v1, v2, !even)
    triangle(v0, v2, v3, !even)
  }

  let done = 0
  for (let bz = -1; bz < nbz; bz++) {
    checkpoint(context, ++done, nbz + 1, 'Drawing the skin')
    for (let by = -1; by < nby; by++) {
      for (let bx = -1; bx < nbx; bx++) {
        // Cells of this brick touch bricks at +1; a cell is drawn when any of the eight is present or the signs differ.
        let present = false
        let signs = 0
        for (let c = 0; c < 8; c++) {
          const slot = grid.at(bx + (c & 1), by + ((c >> 1) & 1), bz + (c >> 2))
          if (slot >= 0) present = true
          else signs |= slot === ALL_INSIDE ? 1 : 2
        }
        if (!present && signs !== 3) continue
        gatherHalo(grid, values, bx, by, bz, 0, 1, farValue, halo)
        for (let z = 0; z < BRICK; z++) {
          for (let y = 0; y < BRICK; y++) {
            let at = (z * edge + y) * edge
            for (let x = 0; x < BRICK; x++, at++) {
              const inside = halo[at] < 0
              if (
                halo[at + 1] < 0 === inside &&
                halo[at + edge] < 0 === inside &&
                halo[at + edge + 1] < 0 === inside &&
                halo[at + cornerOffset[4]] < 0 === inside &&
                halo[at + cornerOffset[5]] < 0 === inside &&
                halo[at + cornerOffset[6]] < 0 === inside &&
                halo[at + cornerOffset[7]] < 0 === inside
              )
                continue
              for (let c = 0; c < 8; c++) cornerValue[c] = halo[at + cornerOffset[c]]!
              cx = bx * BRICK + x
              cy = by * BRICK + y
              cz = bz * BRICK + z
              for (const [q, r, even] of KUHN) tetrahedron(0, q, r, 7, even)
            }
          }
        }
      }
    }
  }
  return {
    positions: positions.data.slice(0, positions.length),
    indices: indices.data.slice(0, indices.length),
  }
}
