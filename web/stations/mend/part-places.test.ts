import { expect, test } from 'vitest'
import { facesOfRegion, indicesOf } from '@holosoma/core/select'
import { ballMesh } from '@holosoma/core/testing/altered'
import { keptRegion, placesOfArea } from './part-places'

const ball = ballMesh(20, 5)
const upper = Int16Array.from({ length: ball.positions.length / 3 }, (_, v) => (ball.positions[v * 3 + 2] > 0 ? 1 : 0))

test('an area of the brief is the same part of the skin, to an edge of its grid', () => {
  const region = placesOfArea(ball.positions, upper, 1)!
  const faces = indicesOf(facesOfRegion(ball, region))
  const share = faces.length / (ball.indices.length / 3)
  expect(share).toBeGreaterThan(0.5)
  expect(share).toBeLessThan(0.53)
  expect(placesOfArea(ball.positions, upper, 2)).toBeNull()
})
test('a kept part grows with the skin', () => {
  const region = placesOfArea(ball.positions, upper, 1)!
  const now = keptRegion({ name: 'upper half', region, scale: 1 }, 2)
  const twice = { ...ball, positions: ball.positions.map((v) => v * 2) }
  expect(facesOfRegion(twice, now)).toEqual(facesOfRegion(ball, region))
})
