import { invertRigid, rotateVectors } from '../linear/rigid'
import type { Camera } from '../view/camera'
import type { Turn } from './turn'

/** Leanings of an axis towards the camera, degrees: cameras stand from a little below to far above a table. */
const LEANS = [-10, 0, 10, 20, 30, 40, 50, 60, 75]

/** A table's axis before the piece. */
export interface TableAxis {
  readonly at: readonly [number, number, number]
  readonly direction: readonly [number, number, number]
}

/**
 * Ways a table may have turned before a camera: about the axis that is told, or about one through the middle of the
 * piece that stands upright in the picture and leans towards the camera; in both senses.
 */
export function turnsToTry(camera: Camera, axis: TableAxis | null, middle: readonly [number, number, number]): Turn[] {
  const axes = axis
    ? [{ at: axis.at, direction: unit(axis.direction) }]
    : LEANS.map((lean) => ({ at: middle, direction: leaning(camera, lean) }))
  return axes.flatMap(({ at, direction }) =>
    [1, -1].map((stretch): Turn => ({ camera, axisAt: at, axis: direction, stretch })),
  )
}

/** Up in the picture, leaning towards the camera, in the piece's coordinates. */
function leaning(camera: Camera, degrees: number): [number, number, number] {
  const a = (degrees * Math.PI) / 180
  const inCamera = Float32Array.of(0, -Math.cos(a), -Math.sin(a))
  const back = rotateVectors(invertRigid(camera.motion), inCamera)
  return [back[0], back[1], back[2]]
}

function unit(v: readonly [number, number, number]): [number, number, number] {
  const l = Math.hypot(...v)
  return [v[0] / l, v[1] / l, v[2] / l]
}
