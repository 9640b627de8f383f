import { smallestEigen3 } from '../linear/symmetric3'

/** Weighted sums of places, from which the plane through them follows at any time. */
export class PlaneSums {
  private weight = 0
  /** Sums of x, y, z, xx, xy, xz, yy, yz, zz, from the first place on. */
  private readonly s = new Float64Array(9)
  private origin: readonly [number, number, number] | null = null
  private readonly eigen = new Float64Array(6)

  /** @param places three numbers each @param at the number of the place that comes in */
  add(places: Float64Array, at: number, weight: number): void {
    this.origin ??= [places[at * 3], places[at * 3 + 1], places[at * 3 + 2]]
    const x = places[at * 3] - this.origin[0],
      y = places[at * 3 + 1] - this.origin[1],
      z = places[at * 3 + 2] - this.origin[2]
    const { s } = this
    this.weight += weight
    s[0] += weight * x
    s[1] += weight * y
    s[2] += weight * z
    s[3] += weight * x * x
    s[4] += weight * x * y
    s[5] += weight * x * z
    s[6] += weight * y * y
    s[7] += weight * y * z
    s[8] += weight * z * z
  }

  /** nx, ny, nz, d of the plane of least squares, facing as the one it is like. */
  plane(like: readonly number[]): [number, number, number, number] {
    const { s, weight: w, eigen, origin } = this
    if (!origin || !(w > 0)) return [like[0], like[1], like[2], like[3]]
    const mx = s[0] / w,
      my = s[1] / w,
      mz = s[2] / w
    smallestEigen3(
      s[3] - w * mx * mx,
      s[4] - w * mx * my,
      s[5] - w * mx * mz,
      s[6] - w * my * my,
      s[7] - w * my * mz,
      s[8] - w * mz * mz,
      eigen,
    )
    const sign = eigen[3] * like[0] + eigen[4] * like[1] + eigen[5] * like[2] < 0 ? -1 : 1
    const [nx, ny, nz] = [sign * eigen[3], sign * eigen[4], sign * eigen[5]]
    return [nx, ny, nz, nx * (mx + origin[0]) + ny * (my + origin[1]) + nz * (mz + origin[2])]
  }
}
