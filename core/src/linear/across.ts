/**
 * Two directions across a unit normal (Duff et al. 2017, "Building an orthonormal basis, revisited"), written into
 * `out`.
 */
export function across(nx: number, ny: number, nz: number, out: Float64Array): void {
  const sign = nz >= 0 ? 1 : -1
  const a = -1 / (sign + nz),
    b = nx * ny * a
  out[0] = 1 + sign * nx * nx * a
  out[1] = sign * b
  out[2] = -sign * nx
  out[3] = b
  out[4] = sign + ny * ny * a
  out[5] = -ny
}
