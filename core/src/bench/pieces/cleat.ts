import { extruded, length2, polygonDistance } from '../implicit'
import { mottle, paint, type DemoPiece } from './piece'

/** Side view, x and z: a foot, a stem, two horns. All faces plane, all edges sharp. */
export const CLEAT_OUTLINE = Float64Array.from([
  -24, 0, 24, 0, 24, 8, 14, 14, 18, 19, 44, 22, 44, 27, 40, 30, -40, 30, -44, 27, -44, 22, -18, 19, -14, 14, -24, 8,
])
export const CLEAT_HALF_WIDTH = 12
/** Two holes for screws through the foot. */
export const CLEAT_HOLE = { atX: 19, radius: 2.6, top: 13 } as const

function cleatField(x: number, y: number, z: number): number {
  const solid = extruded(polygonDistance(x, z, CLEAT_OUTLINE), y, CLEAT_HALF_WIDTH)
  const hole = Math.max(length2(Math.abs(x) - CLEAT_HOLE.atX, y) - CLEAT_HOLE.radius, z - CLEAT_HOLE.top)
  return Math.max(solid, -hole)
}

/**
 * Brass cleat HQ-R3 (invented): a repair part with plane faces and sharp edges, 88 mm long. Bare metal: nearly all
 * light leaves as in a mirror.
 */
export const BRASS_CLEAT: DemoPiece = {
  name: 'Brass cleat',
  number: 'HQ-R3',
  field: cleatField,
  bounds: { min: [-44.5, -12.5, -0.5], max: [44.5, 12.5, 30.5] },
  genus: 2,
  lengthMm: 88,
  sizeMm: [88, 24, 30],
  massG: 310,
  zones: ['faces'],
  surface: (x, y, z, out) => paint(out, 0, [196, 160, 84], 0.02, 8, 0.06 * mottle(x, y, z, 30)),
  contrast: false,
}
