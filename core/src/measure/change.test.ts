import { expect, test } from 'vitest'
import { quietContext } from '../context'
import { ballMesh } from '../testing/altered'
import { torus, withoutFaces } from '../testing/solids'
import { changeMm } from './change'

test('what stays is 0, what moved is told by how far, what was cut away by how far it was from the rest', () => {
  const ball = ballMesh(10, 4)
  expect(changeMm(ball, ball, quietContext())).toEqual({ mean: 0, max: 0 })
  const larger = { ...ball, positions: ball.positions.map((v) => v * 1.01) }
  const { mean, max } = changeMm(ball, larger, quietContext())
  // From inside the facets of the larger one lie a little nearer than its points.
  expect(mean).toBeGreaterThan(0.09)
  expect(max).toBeLessThanOrEqual(0.1001)
  const ring = torus(20, 5, 60, 30)
  const holed = withoutFaces(ring, [0, 1])
  expect(changeMm(holed, ring, quietContext())).toEqual({ mean: 0, max: 0 })
  const upper = withoutFaces(
    ball,
    Array.from({ length: ball.indices.length / 3 }, (_, f) => f).filter(
      (f) => Math.max(...[0, 1, 2].map((c) => ball.positions[ball.indices[f * 3 + c] * 3 + 2])) < 0,
    ),
  )
  // The lower pole is a quarter round from the rim: √2 r away.
  expect(changeMm(ball, upper, quietContext()).max).toBeGreaterThan(0.9 * Math.SQRT2 * 10)
})
