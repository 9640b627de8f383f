/**
 * Twice the area of a face as a vector, out of it, before and after one of its corners moves.
 * @param p coordinates, three a point @param o,u,w offsets of the corner that moves and of the two that stay, in order
 * @param to where it moves @param out before, then after: six numbers
 */
export function movedFace(p: Float64Array, o: number, u: number, w: number, to: Float64Array, out: Float64Array): void {
  const ex = p[w] - p[u],
    ey = p[w + 1] - p[u + 1],
    ez = p[w + 2] - p[u + 2]
  const ax = p[o] - p[u],
    ay = p[o + 1] - p[u + 1],
    az = p[o + 2] - p[u + 2]
  const bx = to[0] - p[u],
    by = to[1] - p[u + 1],
    bz = to[2] - p[u + 2]
  out[0] = ey * az - ez * ay
  out[1] = ez * ax - ex * az
  out[2] = ex * ay - ey * ax
  out[3] = ey * bz - ez * by
  out[4] = ez * bx - ex * bz
  out[5] = ex * by - ey * bx
}
