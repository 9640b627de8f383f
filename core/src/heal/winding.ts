import type { TriangleMesh } from '../shapes'

/**
 * How often a mesh winds round a place: 1 inside a closed one that faces outward, 0 outside, in between where it is
 * open. The sum of the solid angles of all faces (Jacobson, Kavan and Sorkine-Hornung 2013, "Robust inside-outside
 * segmentation using generalized winding numbers"; one face: van Oosterom and Strackee 1983).
 * @param skips faces marked 1 are left out
 */
export function windingNumber(
  { positions: p, indices }: Pick<TriangleMesh, 'positions' | 'indices'>,
  x: number,
  y: number,
  z: number,
  skips?: Uint8Array,
): number {
  let sum = 0
  for (let f = 0; f < indices.length; f += 3) {
    if (skips?.[f / 3]) continue
    const a = indices[f] * 3,
      b = indices[f + 1] * 3,
      c = indices[f + 2] * 3
    const ax = p[a] - x,
      ay = p[a + 1] - y,
      az = p[a + 2] - z
    const bx = p[b] - x,
      by = p[b + 1] - y,
      bz = p[b + 2] - z
    const cx = p[c] - x,
      cy = p[c + 1] - y,
      cz = p[c + 2] - z
    const la = Math.sqrt(ax * ax + ay * ay + az * az),
      lb = Math.sqrt(bx * bx + by * by + bz * bz),
      lc = Math.sqrt(cx * cx + cy * cy + cz * cz)
    const top = ax * (by * cz - bz * cy) + ay * (bz * cx - bx * cz) + az * (bx * cy - by * cx)
    const bottom =
      la * lb * lc +
      (ax * bx + ay * by + az * bz) * lc +
      (bx * cx + by * cy + bz * cz) * la +
      (cx * ax + cy * ay + cz * az) * lb
    sum += 2 * Math.atan2(top, bottom)
  }
  return sum / (4 * Math.PI)
}
