/**
 * Squared distance of a place to a triangle, mm²; Ericson 2005, Real-Time Collision Detection, section 5.1.5.
 * @param p coordinates, three a point @param a,b,c offsets of the corners in them
 * @param share receives the shares of the second and the third corner in the nearest place
 */
export function closestOnTriangle(
  p: Float32Array,
  a: number,
  b: number,
  c: number,
  x: number,
  y: number,
  z: number,
  share: Float64Array,
): number {
  const ax = p[a],
    ay = p[a + 1],
    az = p[a + 2]
  const abx = p[b] - ax,
    aby = p[b + 1] - ay,
    abz = p[b + 2] - az
  const acx = p[c] - ax,
    acy = p[c + 1] - ay,
    acz = p[c + 2] - az
  const apx = x - ax,
    apy = y - ay,
    apz = z - az
  const d1 = abx * apx + aby * apy + abz * apz
  const d2 = acx * apx + acy * apy + acz * apz
  let v = 0,
    w = 0
  if (!(d1 <= 0 && d2 <= 0)) {
    const bpx = apx - abx,
      bpy = apy - aby,
      bpz = apz - abz
    const d3 = abx * bpx + aby * bpy + abz * bpz
    const d4 = acx * bpx + acy * bpy + acz * bpz
    const cpx = apx - acx,
      cpy = apy - acy,
      cpz = apz - acz
    const d5 = abx * cpx + aby * cpy + abz * cpz
    const d6 = acx * cpx + acy * cpy + acz * cpz
    const vc = d1 * d4 - d3 * d2
    const vb = d5 * d2 - d1 * d6
    const va = d3 * d6 - d5 * d4
    if (d3 >= 0 && d4 <= d3) v = 1
    else if (vc <= 0 && d1 >= 0 && d3 <= 0) v = d1 / (d1 - d3)
    else if (d6 >= 0 && d5 <= d6) w = 1
    else if (vb <= 0 && d2 >= 0 && d6 <= 0) w = d2 / (d2 - d6)
    else if (va <= 0 && d4 - d3 >= 0 && d5 - d6 >= 0) {
      w = (d4 - d3) / (d4 - d3 + (d5 - d6))
      v = 1 - w
    } else {
      const s = 1 / (va + vb + vc)
      v = vb * s
      w = vc * s
    }
  }
  share[0] = v
  share[1] = w
  const qx = ax + v * abx + w * acx,
    qy = ay + v * aby + w * acy,
    qz = az + v * abz + w * acz
  return (qx - x) * (qx - x) + (qy - y) * (qy - y) + (qz - z) * (qz - z)
}
