import { describe, expect, test } from 'vitest'
import { quietContext } from '../context'
import { seededRandom } from '../linear/random'
import { identityMotion as identity } from '../linear/rigid'
import type { PointCloud } from '../shapes'
import { ballMesh } from '../testing/altered'
import { distanceFromTakes, noiseOfTakes } from './from-takes'

const ball = ballMesh(20, 4)
/** Points of the ball, rough by so much above its middle and by so much below, shifted outwards as a whole. */
function take(above: number, below: number, outMm = 0): PointCloud {
  const random = seededRandom(4)
  const n = 30_000
  const positions = new Float32Array(n * 3),
    normals = new Float32Array(n * 3)
  for (let i = 0; i < n; i++) {
    const z = 1 - (2 * (i + 0.5)) / n,
      turn = i * Math.PI * (3 - Math.sqrt(5))
    const at = [Math.sqrt(1 - z * z) * Math.cos(turn), Math.sqrt(1 - z * z) * Math.sin(turn), z]
    const r = 20 + outMm + (z > 0 ? above : below) * random.gaussian()
    normals.set(at, i * 3)
    positions.set(
      at.map((v) => v * r),
      i * 3,
    )
  }
  return { kind: 'cloud', positions, normals }
}
const mean = (values: Float32Array, is: (z: number) => boolean): number => {
  const some = values.filter((d, v) => !Number.isNaN(d) && is(ball.positions[v * 3 + 2]))
  return some.reduce((s, d) => s + d, 0) / some.length
}

describe('a skin and its takes', () => {
  test('noise is told place by place, and takes that lie apart are none', () => {
    const one = noiseOfTakes(ball, { takes: [take(0.02, 0.08)] }, { names: ['a'], up: null }, quietContext())
    expect(mean(one, (z) => z > 4) / 0.02).toBeGreaterThan(0.9)
    expect(mean(one, (z) => z > 4) / 0.02).toBeLessThan(1.15)
    expect(mean(one, (z) => z < -4) / 0.08).toBeGreaterThan(0.9)
    expect(mean(one, (z) => z < -4) / 0.08).toBeLessThan(1.1)
    const motions = { kind: 'motions' as const, motions: { a: identity(), b: identity() } }
    const two = noiseOfTakes(
      ball,
      { takes: [take(0.02, 0.02), take(0.02, 0.02, 0.2)], motions },
      { names: ['a', 'b'], up: null },
      quietContext(),
    )
    expect(mean(two, () => true)).toBeLessThan(0.03)
  })
  test('a take that lies outside the skin by so much is told to', () => {
    const off = distanceFromTakes(ball, { takes: [take(0.02, 0.02, 0.3)] }, { names: ['a'], up: null }, quietContext())
    expect(mean(off, () => true)).toBeLessThan(-0.27)
    expect(mean(off, () => true)).toBeGreaterThan(-0.33)
  })
})
