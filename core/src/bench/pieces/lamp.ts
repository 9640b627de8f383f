import { TONE_REFLECTANCE } from '../../brief/requirements'
import { ellipsoid, length2, length3, smoothMax, smoothMin, smoothStep, taperedCapsule } from '../implicit'
import { mottle, paint, type DemoPiece, type SurfaceSample } from './piece'

const BOSSES = 9

/**
 * Oil lamp HQ-014 (invented): a terracotta lamp 118 mm long. A bulbous body with a flat foot, a well sunk into its top,
 * a rim round the well, small bosses on the shoulder, a spout with a wick hole that ends blind, and a ring handle:
 * genus 1.
 */
function lampField(x: number, y: number, z: number): number {
  const body = ellipsoid(x, y, z - 19, 35, 33, 20.5)
  // Base radius 11 narrows to 6.5 at the tip; the tip ends at x = 66.5.
  const spout = taperedCapsule(x, y, z, 24, 0, 18, 11, 60, 0, 27, 6.5)
  let d = smoothMin(body, spout, 7)
  // Handle: a ring in the xz plane whose outer edge is at x = −51.5.
  const hx = x + 36,
    hz = z - 21
  const ring = length2(length2(hx, hz) - 11.4, y) - 4.1
  d = smoothMin(d, ring, 3)
  const radial = length2(x, y)
  const rim = length2(radial - 21, z - 36.4) - 2.6
  d = smoothMin(d, rim, 2.5)
  // Bosses on the shoulder, one sector folded on all. Farther than 4 mm from their ring they cannot matter.
  const toRing = length2(radial - 28.2, z - 31)
  if (toRing < 2.3 + 1.2 + Math.max(d, 0)) {
    const sector = (2 * Math.PI) / BOSSES
    const a = Math.atan2(y, x)
    const folded = a - sector * Math.round(a / sector)
    d = smoothMin(d, length3(radial * Math.cos(folded) - 28.2, radial * Math.sin(folded), z - 31) - 2.3, 1.2)
  }
  const well = ellipsoid(x, y, z - 34, 19, 19, 21)
  d = smoothMax(d, -well, 2)
  const wick = taperedCapsule(x, y, z, 70, 0, 40, 3.4, 57, 0, 28, 2.6)
  d = smoothMax(d, -wick, 1)
  // Flat foot.
  return smoothMax(d, -z, 1.5)
}

/** Terracotta, sooty towards the wick. */
function lampSurface(x: number, y: number, z: number, out: SurfaceSample): void {
  const soot = smoothStep(44, 58, x + 2 * mottle(x, y, z, 9))
  if (soot > 0.5) paint(out, 1, [58, 48, 44], TONE_REFLECTANCE.dark + (1 - soot) * 0.1, 0)
  else paint(out, 0, [176, 104, 70], TONE_REFLECTANCE.middle, 0, 0.14 * mottle(x, y, z, 24))
}

export const OIL_LAMP: DemoPiece = {
  name: 'Oil lamp',
  number: 'HQ-014',
  field: lampField,
  bounds: { min: [-52, -34, -0.5], max: [67, 34, 43] },
  genus: 1,
  lengthMm: 118,
  sizeMm: [118, 66, 39],
  massG: 240,
  zones: ['body', 'soot at the spout'],
  surface: lampSurface,
  contrast: true,
}
