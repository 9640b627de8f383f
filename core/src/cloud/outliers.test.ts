import { describe, expect, test } from 'vitest'
import { quietContext, type Parallel } from '../context'
import { kernelNamed } from '../kernels'
import fixture from '../testing/fixtures/outliers.json'
import { tableCase } from '../testing/table-cases'
import { pickPoints, type PointCloud } from '../shapes'
import { estimateFeatures, estimateFeaturesShared } from './normals'
import { statisticalInliers, statisticalInliersShared } from './outliers'

// What a general-purpose C++ library calls outliers of the same points; the fixture names library, version and the
// command that made it.
test('statistical outliers are those of a general-purpose library', () => {
  const { cloud } = tableCase(fixture.seed)
  expect(cloud.positions.length / 3).toBe(fixture.points)
  // The library counts a point among its own neighbours, at distance 0: its means are ours times 19/20, and the
  // verdicts the same.
  const keep = statisticalInliers(cloud, fixture.neighbours - 1, fixture.sigma, quietContext())
  const gone = Array.from(keep.keys()).filter((i) => keep[i] === 0)
  expect(fixture.outliers.length).toBeGreaterThan(50)
  expect(gone).toEqual(fixture.outliers)
})

const same = (a: Uint8Array | Float32Array, b: Uint8Array | Float32Array): boolean =>
  a.length === b.length && a.every((v, i) => Object.is(v, b[i]))

describe('shared out over threads', () => {
  /** Threads that take turns on this thread. */
  const threads = (n: number): Parallel => ({
    threads: n,
    run: (kernel, input) => {
      for (let index = 0; index < n; index++) kernelNamed(kernel)(input, { index, of: n }, () => undefined)
      return Promise.resolve()
    },
  })
  // Laid beside itself until it is large enough to be shared out.
  const one = tableCase(3).cloud
  const copies = Math.ceil(150_000 / (one.positions.length / 3))
  const positions = new Float32Array(one.positions.length * copies)
  for (let c = 0; c < copies; c++)
    positions.set(
      one.positions.map((v, i) => (i % 3 === 0 ? v + 300 * c : v)),
      c * one.positions.length,
    )
  const cloud: PointCloud = { kind: 'cloud', positions }

  test('the bytes are the same on one, three or eight', async () => {
    const keep = statisticalInliers(cloud, 20, 2, quietContext())
    const features = estimateFeatures(cloud, quietContext())
    for (const n of [3, 8]) {
      const context = { ...quietContext(), parallel: threads(n) }
      expect(same(await statisticalInliersShared(cloud, 20, 2, context), keep)).toBe(true)
      const shared = await estimateFeaturesShared(cloud, context)
      expect(same(shared.normals, features.normals)).toBe(true)
      expect(same(shared.boundary, features.boundary)).toBe(true)
      expect([shared.spacingMm, shared.noiseMm]).toEqual([features.spacingMm, features.noiseMm])
      // Results are nobody else's.
      expect(shared.normals.buffer).toBeInstanceOf(ArrayBuffer)
    }
  })
  test('small clouds stay on this thread, and a kernel that is none is refused', async () => {
    const small = pickPoints(
      cloud,
      Int32Array.from({ length: 500 }, (_, i) => i),
    )
    const refusing: Parallel = { threads: 2, run: () => Promise.reject(new Error('never')) }
    expect(await statisticalInliersShared(small, 20, 2, { ...quietContext(), parallel: refusing })).toEqual(
      statisticalInliers(small, 20, 2, quietContext()),
    )
    expect(() => kernelNamed('nothing')).toThrow('no kernel')
  })
})
