import { describe, expect, test } from 'vitest'
import { massProperties } from '../mesh/health'
import { seededRandom } from '../linear/random'
import { cpuSecondsOf } from '../testing/cpu'
import type { TriangleMesh } from '../shapes'
import { bytesSource, readShape } from './index'
import { triangulatePolygon } from './polygon'

const read = async (text: string, name: string): Promise<TriangleMesh> =>
  (await readShape(bytesSource(new TextEncoder().encode(text)), name)) as TriangleMesh
/** By the shoelace formula. */
const shoelace = (xy: readonly number[]): number => {
  let twice = 0
  for (let i = 0; i < xy.length; i += 2) {
    const j = (i + 2) % xy.length
    twice += xy[i] * xy[j + 1] - xy[j] * xy[i + 1]
  }
  return twice / 2
}

describe('polygons that bend inward', () => {
  // A square of 4 with a notch from one side to near the middle: area 16 − 6.
  const arrow = [0, 0, 4, 0, 4, 4, 2, 1, 0, 4]
  const off = (xy: readonly number[], z: (x: number, y: number) => number, order: readonly number[]): string =>
    `OFF\n${xy.length / 2} 1 0\n${[...Array(xy.length / 2).keys()].map((i) => `${xy[i * 2]} ${xy[i * 2 + 1]} ${z(xy[i * 2], xy[i * 2 + 1])}`).join('\n')}\n${order.length} ${order.join(' ')}\n`
  test.each([0, 1, 2, 3, 4])('keep their area, whichever corner comes first (%s)', async (first) => {
    const order = [0, 1, 2, 3, 4].map((i) => (i + first) % 5)
    const mesh = await read(
      off(arrow, () => 0, order),
      'a.off',
    )
    expect(mesh.indices.length / 3).toBe(3)
    expect(massProperties(mesh).areaMm2).toBeCloseTo(shoelace(arrow), 5)
  })
  test.each<[string, (x: number, y: number) => number, number]>([
    ['on a slope', (x, y) => 2 * x - y, Math.sqrt(1 + 4 + 1)],
    ['on a steep slope', (x) => 50 * x, Math.sqrt(1 + 2500)],
  ])('%s too, and face the way the polygon runs', async (_what, z, stretch) => {
    for (const order of [
      [0, 1, 2, 3, 4],
      [4, 3, 2, 1, 0],
    ]) {
      const mesh = await read(off(arrow, z, order), 'a.off')
      expect(massProperties(mesh).areaMm2 / (shoelace(arrow) * stretch)).toBeCloseTo(1, 5)
      const p = mesh.positions
      const up = Array.from({ length: mesh.indices.length / 3 }, (_, t) =>
        Math.sign(
          shoelace([0, 1, 2].flatMap((c) => [p[mesh.indices[t * 3 + c] * 3], p[mesh.indices[t * 3 + c] * 3 + 1]])),
        ),
      )
      expect(new Set(up)).toEqual(new Set([order[0] === 0 ? 1 : -1]))
    }
  })
  test('also where they come before their points', async () => {
    const points = [0, 1, 2, 3, 4].map((i) => `v ${arrow[i * 2]} ${arrow[i * 2 + 1]} 0`).join('\n')
    const mesh = await read(`f 1 2 3 4 5\n${points}\n`, 'a.obj')
    expect(massProperties(mesh).areaMm2).toBeCloseTo(10, 5)
  })
})

test('a convex polygon is the fan it was; one that crosses itself or has no area is a fan as well', () => {
  const square = [0, 0, 0, 1, 0, 0, 1, 1, 0, 0, 1, 0]
  expect(triangulatePolygon(square, [0, 1, 2, 3])).toEqual([0, 1, 2, 0, 2, 3])
  expect(triangulatePolygon(square, [0, 2, 1, 3]).length).toBe(6)
  expect(triangulatePolygon([0, 0, 0, 1, 0, 0, 2, 0, 0, 3, 0, 0], [0, 1, 2, 3])).toEqual([0, 1, 2, 0, 2, 3])
})

test('a tangle of many corners is refused, one of as many as may be ends', async () => {
  const random = seededRandom(3)
  const tangle = (n: number): (() => Promise<number[]>) => {
    const p = Float32Array.from({ length: n * 3 }, (_, i) => (i % 3 === 2 ? 0 : random.next()))
    return () =>
      Promise.resolve(
        triangulatePolygon(
          p,
          Array.from({ length: n }, (_, i) => i),
        ),
      )
  }
  // Left to itself the first would take minutes.
  expect(tangle(65_536)).toThrow(/65,536 corners bends inward; up to 4,096/)
  const { result, cpuSeconds } = await cpuSecondsOf(tangle(4096))
  expect(result.length).toBe(3 * 4094)
  expect(cpuSeconds).toBeLessThan(15)
})
