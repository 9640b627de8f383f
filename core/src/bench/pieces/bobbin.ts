import { TONE_REFLECTANCE } from '../../brief/requirements'
import { length2, polygonDistance } from '../implicit'
import { mottle, paint, type DemoPiece } from './piece'

const ROUNDING = 0.6
/** Right half of the turned outline, radius and height, set in by the rounding of its edges. */
const HALF = [
  [19.4, 0.6],
  [19.4, 7.75],
  [10.42, 19.8],
  [8.4, 48],
  [10.42, 76.2],
  [19.4, 88.25],
  [19.4, 95.4],
] as const
/** With its mirror image, so that the axis is no edge. */
const OUTLINE = Float64Array.from([...HALF, ...HALF.toReversed().map(([r, z]) => [-r, z] as const)].flat())

/**
 * Net bobbin HQ-022 (invented): turned ash, 96 mm tall, with two flanges and a waist; round, so that it fits itself at
 * every angle.
 */
export const NET_BOBBIN: DemoPiece = {
  name: 'Net bobbin',
  number: 'HQ-022',
  field: (x, y, z) => polygonDistance(length2(x, y), z, OUTLINE) - ROUNDING,
  bounds: { min: [-20.5, -20.5, -0.5], max: [20.5, 20.5, 96.5] },
  genus: 0,
  lengthMm: 96,
  sizeMm: [40, 40, 96],
  massG: 65,
  zones: ['all over'],
  surface: (x, y, z, out) => {
    const grain = Math.sin(2.1 * x + 0.5 * Math.sin(0.11 * z + 0.4 * y))
    paint(out, 0, [206, 170, 122], TONE_REFLECTANCE.light, 0.35, 0.07 * grain + 0.05 * mottle(x, y, z, 30))
  },
  contrast: false,
}
