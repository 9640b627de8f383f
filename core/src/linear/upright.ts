import { GeometryError } from '../errors'
import { rotationMotion, type Motion } from './rigid'

/** A table's plane is found to a small part of this; what is nearer to level stays as it was taken, rad. */
const LEVEL_ENOUGH = (1 * Math.PI) / 180

/** Turns what is up to the third axis, by the shortest way; null where it is so already. @throws PARAMS for no direction */
export function uprightOf(up: readonly number[] | null): Motion | null {
  if (!up) return null
  const l = Math.hypot(up[0], up[1], up[2])
  if (!(l > 0)) throw new GeometryError('PARAMS', 'Up has no direction.')
  const [x, y, z] = up.map((v) => v / l) as [number, number, number]
  const angle = Math.acos(Math.max(-1, Math.min(1, z)))
  if (angle < LEVEL_ENOUGH) return null
  const across = Math.hypot(x, y)
  // Upside down any level axis will do.
  return rotationMotion(across > 1e-9 ? [y / across, -x / across, 0] : [1, 0, 0], angle)
}
