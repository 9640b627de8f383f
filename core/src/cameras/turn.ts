import { across } from '../linear/across'
import { compose, rotationMotion, twistMotion, type Motion } from '../linear/rigid'
import type { Camera } from '../view/camera'

/**
 * One camera that stands still while a table turns: where it stood at the first angle, the axis before the piece, its
 * lens. One sense of turning is positive.
 */
export interface Turn {
  /** At an angle of naught. */
  readonly camera: Camera
  /** A place of the axis and its direction, in the piece's coordinates. */
  readonly axisAt: readonly [number, number, number]
  readonly axis: readonly [number, number, number]
  /** What every step is multiplied by; its sign is the sense. */
  readonly stretch: number
}

/** Six of the first camera about the middle of the piece, two and two of the axis, focal length, bending, steps. */
export const TURN_UNKNOWNS = 13
export const FOCAL = 10
export const BENT = 11
export const STEPS = 12

/** The camera before the piece once the table has gone on by an angle, radians. */
export function turnCamera({ camera, axisAt, axis, stretch }: Turn, angle: number): Camera {
  return { ...camera, motion: compose(camera.motion, aboutAxis(axisAt, axis, angle * stretch)) }
}

/** Round an axis that does not go through the origin. */
export function aboutAxis(at: readonly number[], axis: readonly number[], angle: number): Motion {
  const m = rotationMotion(axis, angle)
  return about(m, at)
}

/** A rotation made about a place instead of the origin, in place. */
function about(m: Motion, at: readonly number[]): Motion {
  for (let r = 0; r < 3; r++) m[r * 4 + 3] = at[r] - (m[r * 4] * at[0] + m[r * 4 + 1] * at[1] + m[r * 4 + 2] * at[2])
  return m
}

/** A motion of the piece by small turns about its middle, and shifts in shares of its size. */
export function nudge(d: ArrayLike<number>, middle: readonly number[], size: number): Motion {
  const m = about(twistMotion([d[0], d[1], d[2], 0, 0, 0]), middle)
  for (let r = 0; r < 3; r++) m[r * 4 + 3] += d[3 + r] * size
  return m
}

/** The turn changed by small amounts; lengths are shares of the size. */
export function movedTurn(turn: Turn, d: ArrayLike<number>, middle: readonly number[], size: number): Turn {
  const { camera, axis, axisAt } = turn
  const sides = new Float64Array(6)
  across(axis[0], axis[1], axis[2], sides)
  const tilted = [0, 1, 2].map((c) => axis[c] + d[6] * sides[c] + d[7] * sides[3 + c])
  const l = Math.hypot(...tilted)
  const [k1, k2, p1, p2, k3] = camera.distortion
  return {
    camera: {
      ...camera,
      motion: compose(camera.motion, nudge(d, middle, size)),
      focalPx: camera.focalPx * Math.exp(d[FOCAL]),
      distortion: [k1 + d[BENT], k2, p1, p2, k3],
    },
    axis: tilted.map((v) => v / l) as [number, number, number],
    axisAt: [0, 1, 2].map((c) => axisAt[c] + size * (d[8] * sides[c] + d[9] * sides[3 + c])) as [
      number,
      number,
      number,
    ],
    stretch: turn.stretch * Math.exp(d[STEPS]),
  }
}
