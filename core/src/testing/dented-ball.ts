import { seededRandom } from '../linear/random'
import { transformPoint, type Motion } from '../linear/rigid'
import type { PointCloud } from '../shapes'

/** Radius of the ball without its dents, how high its middle lies over the table, points of a frame. */
export const BALL = { radiusMm: 30, heightMm: 40, pointsPerFrame: 4000 } as const

/** Table angles of so many frames once round, radians. */
export const ring = (frames: number): number[] => Array.from({ length: frames }, (_, f) => (2 * Math.PI * f) / frames)

const surface = (a: number, z: number): number => BALL.radiusMm + 2 * Math.sin(3 * a) * Math.cos(2 * z)

/** How far a point lies outside the ball, along its radius, mm. */
export function outsideBall(x: number, y: number, z: number): number {
  const h = z - BALL.heightMm,
    r = Math.hypot(x, y, h)
  return r - surface(Math.atan2(y, x), h / r)
}

/**
 * A dented ball on the table's axis, seen by frames from some angles, each moved by its own motion: what a matcher must
 * find is known exactly.
 */
export function dentedBall(angles: readonly number[], moved: (f: number) => Motion, noiseMm = 0, seed = 3): PointCloud {
  const random = seededRandom(seed)
  const frames = angles.length,
    each = BALL.pointsPerFrame
  const positions = new Float32Array(frames * each * 3),
    frame = new Uint16Array(frames * each),
    frameOrigins = new Float64Array(frames * 3)
  angles.forEach((phi, f) => {
    const m = moved(f)
    frameOrigins.set(transformPoint(m, 200 * Math.cos(phi), 200 * Math.sin(phi), 60), f * 3)
    for (let k = 0; k < each; k++) {
      const a = phi + (random.next() - 0.5) * 2.2,
        z = 2 * random.next() - 1
      const r = surface(a, z) + noiseMm * random.gaussian()
      const s = Math.sqrt(1 - z * z)
      positions.set(
        transformPoint(m, r * s * Math.cos(a), r * s * Math.sin(a), r * z + BALL.heightMm),
        (f * each + k) * 3,
      )
      frame[f * each + k] = f
    }
  })
  return { kind: 'cloud', positions, frame, frameOrigins }
}
