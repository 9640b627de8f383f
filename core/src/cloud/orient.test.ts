import bunny from 'bunny'
import { describe, expect, test } from 'vitest'
import { quietContext } from '../context'
import { seededRandom } from '../linear/random'
import { rotationMotion, transformPoints } from '../linear/rigid'
import { spherePoints } from '../testing/solids'
import { standardSize, viewsOf } from '../testing/views'
import { estimateFeatures } from './normals'
import { estimateFeaturesSparsely } from './sparse-features'

/* Which side of bare points is the outer one: nobody says from where they were taken, nor which way is up. */

const mesh = standardSize({
  kind: 'mesh',
  positions: Float32Array.from(bunny.positions.flat()),
  indices: Uint32Array.from(bunny.cells.flat()),
})

describe('normals of bare points', () => {
  test('face the device in single looks at an open scan (Stanford bunny) that lie anywhere', () => {
    for (const seed of [12, 13])
      for (const { cloud } of viewsOf(mesh, seed, { points: 4000, perPose: 6 })) {
        const { positions, frameOrigins: o } = cloud
        const { normals } = estimateFeaturesSparsely({ kind: 'cloud', positions }, quietContext())
        let facing = 0
        for (let i = 0; i < positions.length; i += 3)
          if ([0, 1, 2].reduce((s, c) => s + normals[i + c] * (o![c] - positions[i + c]), 0) > 0) facing++
        expect(facing / (positions.length / 3)).toBeGreaterThan(0.99)
      }
  })
  test('face outward on two balls beside each other, and up on a flat sheet', () => {
    const turn = rotationMotion([1, 2, 3], 2.4)
    const ball = spherePoints(10, 1500).positions
    const both = transformPoints(turn, Float32Array.from([...ball, ...ball.map((v, i) => (i % 3 === 0 ? v + 60 : v))]))
    const { normals } = estimateFeatures({ kind: 'cloud', positions: both }, quietContext())
    const middles = transformPoints(turn, Float32Array.of(0, 0, 0, 60, 0, 0))
    for (let i = 0; i < both.length; i += 3) {
      const k = i < both.length / 2 ? 0 : 3
      expect([0, 1, 2].reduce((s, c) => s + normals[i + c] * (both[i + c] - middles[k + c]), 0)).toBeGreaterThan(0)
    }
    const random = seededRandom(1)
    const sheet = Float32Array.from({ length: 3 * 900 }, (_, i) =>
      i % 3 === 2 ? 0.01 * random.gaussian() : i % 3 === 0 ? Math.floor(i / 3) % 30 : Math.floor(i / 90),
    )
    const flat = estimateFeatures({ kind: 'cloud', positions: sheet }, quietContext()).normals
    for (let i = 2; i < flat.length; i += 3) expect(flat[i]).toBeGreaterThan(0.9)
  })
})
