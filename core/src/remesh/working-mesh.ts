import type { TriangleMesh } from '../shapes'
import { HalfEdgeMesh } from '../mesh/half-edge-mesh'

/** A surface under work: who meets whom, and where each point lies, in double so that many small moves add up. */
export class WorkingMesh {
  readonly topology: HalfEdgeMesh
  /** xyz of each point, mm; longer than needed. */
  places: Float64Array
  /** How long edges are to be at each point, mm; longer than needed. */
  sizes: Float64Array
  /** How long they may be there at most, mm, whatever the surface allows; longer than needed. */
  caps: Float64Array

  constructor(mesh: Pick<TriangleMesh, 'positions' | 'indices'>, edgeMm: number) {
    this.topology = new HalfEdgeMesh(mesh)
    this.places = Float64Array.from(mesh.positions)
    this.sizes = new Float64Array(mesh.positions.length / 3).fill(edgeMm)
    this.caps = new Float64Array(this.sizes.length).fill(Infinity)
  }

  /** Puts a point in the middle of an edge. @returns its number */
  split(h: number): number {
    const a = this.topology.origin(h) * 3,
      b = this.topology.tip(h) * 3
    const m = this.topology.split(h)
    if (m * 3 + 3 > this.places.length) {
      const more = new Float64Array((Math.ceil(m * 1.5) + 1) * 3)
      more.set(this.places)
      this.places = more
      this.sizes = grown(this.sizes, more.length / 3)
      this.caps = grown(this.caps, more.length / 3)
    }
    this.sizes[m] = (this.sizes[a / 3] + this.sizes[b / 3]) / 2
    this.caps[m] = Math.min(this.caps[a / 3], this.caps[b / 3])
    for (let c = 0; c < 3; c++) this.places[m * 3 + c] = (this.places[a + c] + this.places[b + c]) / 2
    return m
  }

  /** How long an edge is to be, mm. */
  wanted(h: number): number {
    return Math.min(this.sizes[this.topology.origin(h)], this.sizes[this.topology.tip(h)])
  }

  squaredLength(h: number): number {
    const p = this.places
    const a = this.topology.origin(h) * 3,
      b = this.topology.tip(h) * 3
    const x = p[a] - p[b],
      y = p[a + 1] - p[b + 1],
      z = p[a + 2] - p[b + 2]
    return x * x + y * y + z * z
  }

  /** Closes up what edits left empty. @returns the old number of each point */
  compact(): Int32Array {
    const was = this.topology.compact()
    const places = new Float64Array(was.length * 3),
      sizes = new Float64Array(was.length),
      caps = new Float64Array(was.length)
    for (let v = 0; v < was.length; v++) {
      sizes[v] = this.sizes[was[v]]
      caps[v] = this.caps[was[v]]
      for (let c = 0; c < 3; c++) places[v * 3 + c] = this.places[was[v] * 3 + c]
    }
    this.places = places
    this.sizes = sizes
    this.caps = caps
    return was
  }

  /** What is left. */
  toMesh(): TriangleMesh {
    this.compact()
    return {
      kind: 'mesh',
      positions: Float32Array.from(this.places.subarray(0, this.topology.points * 3)),
      indices: this.topology.indices(),
    }
  }
}

function grown(store: Float64Array, length: number): Float64Array {
  const out = new Float64Array(length)
  out.set(store)
  return out
}
