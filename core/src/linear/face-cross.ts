/**
 * Cross product of two edges of a triangle, counter-clockwise from outside: it points out of the face, and is twice as
 * long as the face is large.
 * @param p coordinates, three a point @param a,b,c offsets of the corners in them @param out gets three numbers
 * @returns its length
 */
export function faceCross(p: Float32Array | Float64Array, a: number, b: number, c: number, out: Float64Array): number {
  const ux = p[b] - p[a],
    uy = p[b + 1] - p[a + 1],
    uz = p[b + 2] - p[a + 2]
  const vx = p[c] - p[a],
    vy = p[c + 1] - p[a + 1],
    vz = p[c + 2] - p[a + 2]
  const x = uy * vz - uz * vy,
    y = uz * vx - ux * vz,
    z = ux * vy - uy * vx
  out[0] = x
  out[1] = y
  out[2] = z
  return Math.sqrt(x * x + y * y + z * z)
}
