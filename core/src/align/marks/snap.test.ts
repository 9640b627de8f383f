import { describe, expect, test } from 'vitest'
import { KdTree } from '../../spatial/kd-tree'
import { seededRandom } from '../../linear/random'
import { snapOnCloud, snapToFeature } from './snap'

/** A block's corner at the origin: three faces of 20 mm, with a little noise. */
function corner(noise: number): Float32Array {
  const random = seededRandom(3),
    out: number[] = []
  for (let i = 0; i < 9000; i++) {
    const p = [-20 * random.next(), -20 * random.next(), -20 * random.next()]
    p[i % 3] = 0
    out.push(...p.map((v) => v + noise * random.gaussian()))
  }
  return Float32Array.from(out)
}

describe('snapping a pick to a feature', () => {
  const points = corner(0.05),
    tree = new KdTree(points)
  test('a click near the corner lands on it, one near an edge on the edge', () => {
    const at = (i: number | null): number[] => [0, 1, 2].map((k) => points[i! * 3 + k])
    expect(Math.hypot(...at(snapToFeature(tree, points, [-1.4, -1.2, 0], 3)))).toBeLessThan(0.9)
    expect(Math.hypot(...snapOnCloud(points, [-1.4, -1.2, 0], 3))).toBeLessThan(0.9)
    const [x, y, z] = at(snapToFeature(tree, points, [-10, -1.3, 0], 3))
    expect(Math.hypot(y, z)).toBeLessThan(0.7)
    expect(Math.abs(x + 10)).toBeLessThan(3)
  })
  test('in the middle of a face there is nothing to snap to; nor where hardly a point lies', () => {
    expect(snapToFeature(tree, points, [-10, -10, 0], 3)).toBeNull()
    expect(snapToFeature(tree, points, [30, 30, 30], 3)).toBeNull()
    expect(snapOnCloud(points, [-10, -10, 0], 3)).toEqual([-10, -10, 0])
  })
})
