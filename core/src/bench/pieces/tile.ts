import { TONE_REFLECTANCE } from '../../brief/requirements'
import { length2, smoothStep } from '../implicit'
import { mottle, paint, type DemoPiece } from './piece'

const HALF = 70
const TOP = 18
const BEVEL = 5
const RIM = 13
/** The relief slopes by no more than this, so that dividing by √(1 + slope²) keeps rays safe. */
const STEEPEST = 1.45
const SAFE = 1 / Math.sqrt(1 + STEEPEST * STEEPEST)

/**
 * Height of the face: a flat rim, a sunk panel, and on it a fish over three waves. Only the relief tells its quarter
 * turns apart.
 */
export function tileHeight(x: number, y: number): number {
  const inset = HALF - Math.max(Math.abs(x), Math.abs(y))
  const panel = smoothStep(RIM, RIM + 6, inset)
  const body = length2((x + 4) / 34, (y - 10) / 13)
  const tail = length2((x - 37) / 11, (y - 10) / 15)
  const fish = 3.2 * (1 - smoothStep(0.62, 1, body)) + 2.2 * (1 - smoothStep(0.5, 1, tail))
  const eye = 1 * (1 - smoothStep(1.6, 3.2, length2(x + 26, y - 13)))
  const waves = y < -8 ? 0.9 * smoothStep(-8, -16, y) * (1 + Math.sin(0.24 * x + 1.6 * Math.sin(0.21 * y))) : 0
  return TOP - panel * (5 - Math.min(4.4, fish - eye * (fish > 0.5 ? 1 : 0) + waves))
}

/** Stove tile HQ-031 (invented): a relief slab 140 × 140 × 18 mm with bevelled edges and a plain back. */
export const STOVE_TILE: DemoPiece = {
  name: 'Stove tile',
  number: 'HQ-031',
  field: (x, y, z) => {
    const side = Math.max(Math.abs(x), Math.abs(y)) - HALF
    const bevel = (side + (z - TOP + BEVEL)) * Math.SQRT1_2
    const box = Math.max(side, -z, bevel)
    // Far above or beside it the face's own bound is enough.
    return Math.max(box, (z - (side < 0 ? tileHeight(x, y) : TOP)) * SAFE)
  },
  bounds: { min: [-70.5, -70.5, -0.5], max: [70.5, 70.5, 18.5] },
  genus: 0,
  lengthMm: 140,
  sizeMm: [140, 140, 18],
  massG: 620,
  zones: ['relief and rim', 'plain back'],
  surface: (x, y, z, out) => {
    if (z < 0.5 || Math.max(Math.abs(x), Math.abs(y)) > HALF - 0.4)
      return paint(out, 1, [168, 112, 84], TONE_REFLECTANCE.middle, 0, 0.1 * mottle(x, y, z, 20))
    const deep = smoothStep(17, 13.5, z)
    paint(
      out,
      0,
      [70 + 90 * (1 - deep), 120 + 60 * (1 - deep), 96 + 40 * (1 - deep)],
      TONE_REFLECTANCE.light - 0.2 * deep,
      0.4,
      0.08 * mottle(x, y, z, 16),
    )
  },
  contrast: false,
}
