/**
 * Right, up and ahead of an eye that looks along a direction, as rows. Any upright not along it will do: how a picture
 * is rolled does not matter.
 */
export function lookAxes(x: number, y: number, z: number, out = new Float64Array(9)): Float64Array {
  const l = Math.sqrt(x * x + y * y + z * z) || 1
  const ax = x / l,
    ay = y / l,
    az = z / l
  const flat = Math.abs(az) < 0.9
  let rx = flat ? ay : 0,
    ry = flat ? -ax : az,
    rz = flat ? 0 : -ay
  const rl = Math.sqrt(rx * rx + ry * ry + rz * rz)
  rx /= rl
  ry /= rl
  rz /= rl
  out[0] = rx
  out[1] = ry
  out[2] = rz
  out[3] = ry * az - rz * ay
  out[4] = rz * ax - rx * az
  out[5] = rx * ay - ry * ax
  out[6] = ax
  out[7] = ay
  out[8] = az
  return out
}
