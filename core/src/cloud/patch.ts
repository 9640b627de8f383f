import { smallestEigen3 } from '../linear/symmetric3'

/** The local plane of a neighbourhood: normal (sign open) and out-of-plane scatter. */
export class Patch {
  nx = 0
  ny = 0
  nz = 1
  residualMm = 0
  private readonly eigen = new Float64Array(6)

  constructor(private readonly positions: Float32Array) {}

  read(i: number, ids: Int32Array, found: number): void {
    const p = this.positions
    const px = p[i * 3],
      py = p[i * 3 + 1],
      pz = p[i * 3 + 2]
    let sx = 0,
      sy = 0,
      sz = 0,
      xx = 0,
      xy = 0,
      xz = 0,
      yy = 0,
      yz = 0,
      zz = 0
    for (let j = 0; j < found; j++) {
      const q = ids[j] * 3
      const x = p[q] - px,
        y = p[q + 1] - py,
        z = p[q + 2] - pz
      sx += x
      sy += y
      sz += z
      xx += x * x
      xy += x * y
      xz += x * z
      yy += y * y
      yz += y * z
      zz += z * z
    }
    const m = 1 / found
    const { eigen } = this
    smallestEigen3(
      xx - sx * sx * m,
      xy - sx * sy * m,
      xz - sx * sz * m,
      yy - sy * sy * m,
      yz - sy * sz * m,
      zz - sz * sz * m,
      eigen,
    )
    this.nx = eigen[3]!
    this.ny = eigen[4]!
    this.nz = eigen[5]!
    this.residualMm = found > 3 ? Math.sqrt(Math.max(0, eigen[0]) / (found - 3)) : 0
  }

  /**
   * Whether `emptyRun` (5 to 15) of 32 sectors round the point are empty, seen along the normal last read; ten are
   * about 120°.
   */
  oneSided(i: number, ids: Int32Array, found: number, emptyRun = EMPTY_RUN): boolean {
    return oneSided(
      emptyRun,
      this.positions,
      this.positions[i * 3],
      this.positions[i * 3 + 1],
      this.positions[i * 3 + 2],
      this.nx,
      this.ny,
      this.nz,
      ids,
      found,
    )
  }
}

/** Sectors of the tangent plane: an empty run of this many of 32 is about a third of the circle. */
export const EMPTY_RUN = 10

/**
 * True where the neighbours, seen in the tangent plane, leave about 120° or more empty. Directions are marked in 32
 * sectors of a pseudo-angle (no arctangent in the loop) and the empty run is found with shifts.
 */
function oneSided(
  emptyRun: number,
  p: Float32Array,
  px: number,
  py: number,
  pz: number,
  nx: number,
  ny: number,
  nz: number,
  ids: Int32Array,
  found: number,
): boolean {
  // Duff et al. 2017, "Building an orthonormal basis, revisited".
  const sign = nz >= 0 ? 1 : -1
  const a = -1 / (sign + nz)
  const b = nx * ny * a
  const ux = 1 + sign * nx * nx * a,
    uy = sign * b,
    uz = -sign * nx
  const vx = b,
    vy = sign + ny * ny * a,
    vz = -ny
  let taken = 0
  for (let j = 0; j < found; j++) {
    const q = ids[j] * 3
    const x = p[q] - px,
      y = p[q + 1] - py,
      z = p[q + 2] - pz
    const u = x * ux + y * uy + z * uz
    const v = x * vx + y * vy + z * vz
    const s = Math.abs(u) + Math.abs(v)
    if (s < 1e-12) continue
    const t = v / s
    // 0…4 round the circle.
    const angle = u < 0 ? 2 - t : v < 0 ? 4 + t : t
    taken |= 1 << (angle * 8)
  }
  // Bit i stays where the run of empty sectors that begins at i is long enough.
  let empty = ~taken
  empty &= rotate(empty, 1)
  empty &= rotate(empty, 2)
  if (emptyRun <= 8) return (empty & rotate(empty, emptyRun - 4)) !== 0
  empty &= rotate(empty, 4)
  return (empty & rotate(empty, emptyRun - 8)) !== 0
}

function rotate(bits: number, by: number): number {
  if (by === 0) return bits
  return (bits >>> by) | (bits << (32 - by))
}
