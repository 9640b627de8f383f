import { faceCross } from '../linear/face-cross'
import type { TriangleMesh } from '../shapes'

/** Numbers a quadric has: the upper half of A, then b, then c. */
const WIDTH = 10
/** Of a quadric's trace: how much an even surface, which pulls nowhere along itself, keeps a point in the middle. */
const HOLD = 1e-6
/** Of a quadric's trace and the squared length of an edge: where nothing else tells edges apart, short ones go first. */
const SHORT_FIRST = 1e-9

/**
 * Squared distances to the planes of a mesh's faces, weighted by their areas and summed up at each point:
 * Q(x) = xᵀAx − 2bᵀx + c, in mm⁴ (Garland and Heckbert 1997, "Surface simplification using quadric error metrics").
 * Coordinates count from the middle of the mesh, so that digits are kept.
 */
export class Quadrics {
  private readonly q: Float64Array
  /** The quadric that was summed up last, and the place it is least at. */
  private readonly sum = new Float64Array(WIDTH)
  private readonly inverse = new Float64Array(6)
  /** What `least` and `leastOn` found, in the mesh's coordinates. */
  readonly at = new Float64Array(3)

  constructor(
    mesh: Pick<TriangleMesh, 'positions' | 'indices'>,
    private readonly origin: readonly [number, number, number],
  ) {
    const { positions: p, indices } = mesh
    this.q = new Float64Array((p.length / 3) * WIDTH)
    const cross = new Float64Array(3)
    const [ox, oy, oz] = origin
    for (let f = 0; f < indices.length; f += 3) {
      const a = indices[f] * 3
      const twice = faceCross(p, a, indices[f + 1] * 3, indices[f + 2] * 3, cross)
      if (!(twice > 0)) continue
      // A third of the area belongs to each corner.
      const weight = twice / 6
      const x = cross[0] / twice,
        y = cross[1] / twice,
        z = cross[2] / twice
      const d = x * (p[a] - ox) + y * (p[a + 1] - oy) + z * (p[a + 2] - oz)
      for (let c = 0; c < 3; c++) this.add(indices[f + c], weight, x, y, z, d)
    }
  }

  /** One plane more at a point: nx x + ny y + nz z = d from the origin. */
  private add(v: number, weight: number, x: number, y: number, z: number, d: number): void {
    const { q } = this
    const o = v * WIDTH
    q[o] += weight * x * x
    q[o + 1] += weight * x * y
    q[o + 2] += weight * x * z
    q[o + 3] += weight * y * y
    q[o + 4] += weight * y * z
    q[o + 5] += weight * z * z
    q[o + 6] += weight * x * d
    q[o + 7] += weight * y * d
    q[o + 8] += weight * z * d
    q[o + 9] += weight * d * d
  }

  /** What one point knew the other knows, too. */
  merge(from: number, into: number): void {
    for (let i = 0; i < WIDTH; i++) this.q[into * WIDTH + i] += this.q[from * WIDTH + i]
  }

  /**
   * Sums up the quadrics of an edge's ends and finds the place where they are least; along what they leave open it is
   * the middle of the edge.
   * @returns the cost of taking the edge away
   */
  least(a: number, b: number, p: Float64Array): number {
    const { q, sum, inverse } = this
    const i = a * WIDTH,
      k = b * WIDTH
    for (let n = 0; n < WIDTH; n++) sum[n] = q[i + n] + q[k + n]
    const trace = sum[0] + sum[3] + sum[5]
    const hold = HOLD * trace + Number.MIN_VALUE
    const ox = this.origin[0],
      oy = this.origin[1],
      oz = this.origin[2]
    const mx = (p[a * 3] + p[b * 3]) / 2 - ox,
      my = (p[a * 3 + 1] + p[b * 3 + 1]) / 2 - oy,
      mz = (p[a * 3 + 2] + p[b * 3 + 2]) / 2 - oz
    const xx = sum[0] + hold,
      xy = sum[1],
      xz = sum[2],
      yy = sum[3] + hold,
      yz = sum[4],
      zz = sum[5] + hold
    const c0 = yy * zz - yz * yz,
      c1 = xz * yz - xy * zz,
      c2 = xy * yz - xz * yy
    const det = xx * c0 + xy * c1 + xz * c2
    const lx = p[a * 3] - p[b * 3],
      ly = p[a * 3 + 1] - p[b * 3 + 1],
      lz = p[a * 3 + 2] - p[b * 3 + 2]
    const short = SHORT_FIRST * trace * (lx * lx + ly * ly + lz * lz)
    if (!(det > 0)) {
      inverse.fill(0)
      this.put(mx, my, mz)
      return short + this.value(mx, my, mz)
    }
    inverse[0] = c0 / det
    inverse[1] = c1 / det
    inverse[2] = c2 / det
    inverse[3] = (xx * zz - xz * xz) / det
    inverse[4] = (xy * xz - xx * yz) / det
    inverse[5] = (xx * yy - xy * xy) / det
    const bx = sum[6] + hold * mx,
      by = sum[7] + hold * my,
      bz = sum[8] + hold * mz
    const x = inverse[0] * bx + inverse[1] * by + inverse[2] * bz,
      y = inverse[1] * bx + inverse[3] * by + inverse[4] * bz,
      z = inverse[2] * bx + inverse[4] * by + inverse[5] * bz
    this.put(x, y, z)
    return short + this.value(x, y, z)
  }

  /**
   * Of what `least` summed up: the place where it is least among those in a plane gx x + gy y + gz z = d, given in the
   * mesh's coordinates. Left where it was when the plane says nothing.
   * Source: the volume that an edge encloses with its surroundings stays the same on one plane (Lindstrom and Turk 1998).
   */
  leastOn(gx: number, gy: number, gz: number, d: number): void {
    const { inverse: n, at } = this
    const zx = n[0] * gx + n[1] * gy + n[2] * gz,
      zy = n[1] * gx + n[3] * gy + n[4] * gz,
      zz = n[2] * gx + n[4] * gy + n[5] * gz
    const along = gx * zx + gy * zy + gz * zz
    if (!(along > 0)) return
    const step = (gx * at[0] + gy * at[1] + gz * at[2] - d) / along
    at[0] -= step * zx
    at[1] -= step * zy
    at[2] -= step * zz
  }

  private put(x: number, y: number, z: number): void {
    this.at[0] = x + this.origin[0]
    this.at[1] = y + this.origin[1]
    this.at[2] = z + this.origin[2]
  }

  private value(x: number, y: number, z: number): number {
    const s = this.sum
    const v =
      x * (s[0] * x + 2 * (s[1] * y + s[2] * z - s[6])) +
      y * (s[3] * y + 2 * (s[4] * z - s[7])) +
      z * (s[5] * z - 2 * s[8]) +
      s[9]
    return v > 0 ? v : 0
  }
}
