import { join } from 'node:path'
import { tmpdir } from 'node:os'
import { mkdtempSync } from 'node:fs'
import { build } from 'esbuild'
import { afterAll, beforeAll, expect, test } from 'vitest'
import { nightTest } from '@holosoma/core/testing/night'
import {
  captureTake,
  LAMP_TAKES,
  OIL_LAMP,
  quietContext,
  TABLETOP_DEVICE,
  type PointCloud,
  type RunContext,
} from '@holosoma/core'
import { coarseVoxelMm, featuresOfTakes, matchPairs, freeMoves, matchJointly, prepareTakes } from '@holosoma/core/align'
import { estimateFeatures, estimateFeaturesShared } from '@holosoma/core/cloud'
import { rotationMotion } from '@holosoma/core/linear'
import { pickPoints } from '@holosoma/core/shapes'
import { KernelThreads } from './kernel-threads'

let pool: KernelThreads
beforeAll(async () => {
  const file = join(mkdtempSync(join(tmpdir(), 'holosoma-threads-')), 'kernel-thread.mjs')
  await build({
    entryPoints: [join(import.meta.dirname, '..', 'kernel-thread.ts')],
    outfile: file,
    bundle: true,
    platform: 'node',
    format: 'esm',
    logLevel: 'error',
  })
  pool = new KernelThreads(new URL(`file://${file}`), 3)
})
afterAll(() => pool.close())

// Large enough to be shared out.
const { cloud } = captureTake(OIL_LAMP, LAMP_TAKES[0], TABLETOP_DEVICE, 3, quietContext(), {
  pitchMm: 1.4,
  spacingMm: 1,
})
const many = 9
const positions = new Float32Array(cloud.positions.length * many)
for (let c = 0; c < many; c++)
  positions.set(
    cloud.positions.map((v, i) => (i % 3 === 0 ? v + 200 * c : v)),
    c * cloud.positions.length,
  )
const wide: PointCloud = { kind: 'cloud', positions }

test('true threads give the bytes of one, again and again, and a cancel reaches them', async () => {
  expect(positions.length / 3).toBeGreaterThan(150_000)
  const alone = estimateFeatures(wide, quietContext())
  let heard = 0
  for (let round = 0; round < 2; round++) {
    const shared = await estimateFeaturesShared(wide, {
      ...quietContext(),
      parallel: pool,
      progress: (f) => (heard = Math.max(heard, f)),
    })
    expect(shared.normals.every((v, i) => Object.is(v, alone.normals[i]))).toBe(true)
    expect(shared.spacingMm).toBe(alone.spacingMm)
  }
  expect(heard).toBeGreaterThan(0)
  await expect(
    estimateFeaturesShared(wide, { ...quietContext(), parallel: pool, cancelled: () => true }),
  ).rejects.toThrow('Stopped at your request')
  // The threads are fit for more afterwards.
  expect((await estimateFeaturesShared(wide, { ...quietContext(), parallel: pool })).noiseMm).toBe(alone.noiseMm)
})

nightTest(
  'a join on several threads: what is read, described, compared and matched is the same as on one',
  async () => {
    const n = cloud.positions.length / 3
    // Nine takes, so that they are enough to share out: thirds of the lamp, each in a turn of its own.
    const takes = Array.from({ length: many }, (_, t): PointCloud => {
      const part = pickPoints(
        cloud,
        Array.from({ length: n }, (_, i) => i).filter((i) => (i * 7 + t) % 10 > 0),
      )
      return { ...part, ...(t === 4 && { normals: undefined, frame: undefined, frameOrigins: undefined }) }
    })
    const run = async (context: RunContext) => {
      const ready = await prepareTakes(takes, context)
      const described = await featuresOfTakes(ready, takes, coarseVoxelMm(ready), context)
      const pairs = await matchPairs(
        described,
        [
          [0, 1],
          [2, 1],
          [3, 4],
          [5, 8],
        ],
        context,
      )
      const joint = await matchJointly(
        ready.slice(0, 4).map((c, b) => ({
          cloud: c,
          start: rotationMotion([0, 0, 1], 0.01 * b, [0.2 * b, 0, 0]),
          moves: freeMoves(6 * b),
        })),
        { reachMm: 2, unknowns: 24 },
        context,
      )
      return { ready, described, pairs, joint }
    }
    const heard = new Set<string>()
    const one = await run(quietContext()),
      several = await run({ ...quietContext(), parallel: pool, progress: (_, note) => heard.add(note) })
    expect([...heard]).toEqual(expect.arrayContaining(['Reading the surface', 'Matching 4 together']))
    one.ready.forEach((t, i) => {
      const other = several.ready[i]
      expect(other.features.normals.every((v, k) => Object.is(v, t.features.normals[k]))).toBe(true)
      expect(other.features.boundary.every((v, k) => v === t.features.boundary[k])).toBe(true)
      expect([other.features.spacingMm, other.features.noiseMm, other.sizeMm]).toEqual([
        t.features.spacingMm,
        t.features.noiseMm,
        t.sizeMm,
      ])
      expect(other.tree.nearest(1, 2, 3)).toBe(t.tree.nearest(1, 2, 3))
    })
    one.described.forEach((d, i) =>
      expect(several.described[i].features.every((v, k) => v === d.features[k])).toBe(true),
    )
    expect(several.pairs.map((list) => list.map((c) => ({ ...c, motion: Array.from(c.motion) })))).toEqual(
      one.pairs.map((list) => list.map((c) => ({ ...c, motion: Array.from(c.motion) }))),
    )
    expect(several.joint.motions.map((m) => Array.from(m))).toEqual(one.joint.motions.map((m) => Array.from(m)))
    expect(several.joint.rounds).toBe(one.joint.rounds)
    await expect(run({ ...quietContext(), parallel: pool, cancelled: () => true })).rejects.toThrow(
      'Stopped at your request',
    )
  },
)
