import { TONE_REFLECTANCE } from '../../brief/requirements'
import { length2, monotoneCurve, smoothMax, smoothMin, taperedCapsule } from '../implicit'
import { mottle, paint, type DemoPiece } from './piece'

const HEIGHT = 165
const WALL = 4.5
const FLOOR = 7
/** Outer radius over height; its slopes stay under 1.1. */
const radius = monotoneCurve([0, 6, 30, 62, 100, 128, 148, HEIGHT], [35, 36, 49, 56, 46.5, 32, 29, 35])
const SAFE = 1 / Math.sqrt(1 + 1.1 * 1.1)
/** Bands of dark glaze, from and to over the foot. */
const BANDS = [
  [40, 54],
  [78, 86],
  [108, 124],
] as const
const FOOT = 9

function jugField(x: number, y: number, z: number): number {
  const at = radius(Math.min(HEIGHT, Math.max(0, z)))
  const r = length2(x, y)
  // A lip drawn out to +x for pouring.
  const lip = z > 140 ? 9 * Math.max(0, (z - 140) / 25) ** 2 * Math.max(0, x / (r + 1e-9)) ** 6 : 0
  const wall = (r - at - lip) * SAFE
  const outer = smoothMax(smoothMax(wall, -z, 2.5), z - HEIGHT, 2.5)
  const ring = length2(length2(x + 40, z - 100) - 29, y) - 5
  const solid = smoothMin(outer, smoothMin(ring, taperedCapsule(x, y, z, -30, 0, 132, 5, -26, 0, 136, 6), 3), 4)
  const cavity = smoothMax((r - at - lip + WALL) * SAFE, FLOOR - z, 6)
  return smoothMax(solid, -cavity, 2)
}

/** Banded jug HQ-007 (invented): pale glaze with dark bands, hollow, one handle, 165 mm tall. */
export const BANDED_JUG: DemoPiece = {
  name: 'Banded jug',
  number: 'HQ-007',
  field: jugField,
  bounds: { min: [-75, -57, -0.5], max: [57, 57, 165.5] },
  genus: 1,
  lengthMm: HEIGHT,
  sizeMm: [130, 112, HEIGHT],
  massG: 780,
  zones: ['pale glaze', 'dark bands', 'foot'],
  surface: (x, y, z, out) => {
    if (z < FOOT) return paint(out, 2, [164, 120, 92], TONE_REFLECTANCE.middle, 0, 0.1 * mottle(x, y, z, 18))
    if (length2(x, y) > 20 && BANDS.some(([a, b]) => z > a && z < b))
      return paint(out, 1, [52, 40, 36], TONE_REFLECTANCE.dark, 1, 0.15 * mottle(x, y, z, 25))
    paint(out, 0, [228, 218, 192], TONE_REFLECTANCE.pale, 1, 0.04 * mottle(x, y, z, 35))
  },
  contrast: true,
  wallMm: WALL,
}
