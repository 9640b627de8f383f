import { TONE_REFLECTANCE } from '../../brief/requirements'
import { ellipsoid, length3, smoothMax, smoothMin, taperedCapsule } from '../implicit'
import { mottle, paint, type DemoPiece } from './piece'

const HEAD = [18, 0, 182.2] as const
const BEAK_FROM = 42

/** Wings as flat ellipsoids at the sides, with carved furrows. */
function wing(x: number, y: number, z: number): number {
  const d = ellipsoid(x + 8, Math.abs(y) - 32.7, z - 88, 30, 12, 66)
  return d + 0.35 * Math.sin(0.55 * (z + 0.9 * x)) * (d < 6 ? 1 : 0.3)
}

function gullField(x: number, y: number, z: number): number {
  let d = ellipsoid(x, y, z - 84, 38, 37, 86)
  // Near the body's surface most parts are too far away to matter.
  const far = d > 12
  if (far || z > 98) {
    d = smoothMin(d, taperedCapsule(x, y, z, 6, 0, 140, 25, HEAD[0], HEAD[1], HEAD[2], 24), 14)
    d = smoothMin(d, length3(x - HEAD[0], y, z - HEAD[2]) - 27, 8)
    d = smoothMin(d, taperedCapsule(x, y, z, 36, 0, 178, 9, 60, 0, 171, 3), 3)
  }
  if (far || Math.abs(y) > 12) d = smoothMin(d, wing(x, y, z), 5)
  if (far || z < 100) d = smoothMin(d, taperedCapsule(x, y, z, -24, 0, 62, 17, -50, 0, 22, 7), 8)
  // Eye sockets.
  if (z > 175) d = smoothMax(d, -(length3(x - 30, Math.abs(y) - 22, z - 189) - 5), 1.5)
  return smoothMax(d, -z, 1.5)
}

/** Gull figurehead HQ-040 (invented): carved and painted pine, 210 mm tall. */
export const GULL_FIGUREHEAD: DemoPiece = {
  name: 'Gull figurehead',
  number: 'HQ-040',
  field: (x, y, z) => gullField(x, y, z) * 0.68,
  bounds: { min: [-58, -46, -0.5], max: [64, 46, 211] },
  genus: 0,
  lengthMm: 210,
  sizeMm: [120, 90, 210],
  massG: 1150,
  zones: ['white paint', 'grey wings', 'beak and eyes', 'bare foot'],
  surface: (x, y, z, out) => {
    if (z < 6) return paint(out, 3, [150, 118, 84], TONE_REFLECTANCE.middle, 0, 0.1 * mottle(x, y, z, 14))
    if ((z > 160 && x > BEAK_FROM) || length3(x - 30, Math.abs(y) - 22, z - 189) < 6)
      return x > BEAK_FROM
        ? paint(out, 2, [214, 154, 40], TONE_REFLECTANCE.middle, 0.5)
        : paint(out, 2, [40, 36, 34], TONE_REFLECTANCE.dark, 0.5)
    if (Math.abs(y) > 26 && z > 20 && z < 156)
      return paint(out, 1, [122, 132, 142], TONE_REFLECTANCE.middle, 0.35, 0.12 * mottle(x, y, z, 10))
    paint(out, 0, [232, 230, 222], TONE_REFLECTANCE.pale, 0.35, 0.05 * mottle(x, y, z, 40))
  },
  contrast: true,
}
