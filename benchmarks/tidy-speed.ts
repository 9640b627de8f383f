/*
 * Statistical outliers, normals and even thinning beside a general-purpose C++ library (Debian's python3-open3d), same
 * points, same machine, two threads each.
 *   npx tsx benchmarks/tidy-speed.ts [rounds]
 */
import { mkdtempSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { estimateFeatures, estimateFeaturesShared } from '../core/src/cloud/normals'
import { statisticalInliers, statisticalInliersShared } from '../core/src/cloud/outliers'
import { thinEvenly } from '../core/src/cloud/thin'
import { quietContext, type PointCloud, type RunContext } from '@holosoma/core'
import { bumpyBall, reference, twoThreads } from './lib'

const POINTS = 1_000_000,
  NEIGHBOURS = 20,
  SIGMA = 2,
  CELL_MM = 0.5
const rounds = Number(process.argv[2] ?? 3)

async function main(): Promise<void> {
  const positions = new Float32Array(new SharedArrayBuffer(POINTS * 12))
  positions.set(bumpyBall(POINTS, 1).positions)
  const folder = mkdtempSync(join(tmpdir(), 'holosoma-bench-'))
  writeFileSync(join(folder, 'cloud.bin'), Buffer.from(positions.slice().buffer))
  const pool = await twoThreads()
  const context: RunContext = { ...quietContext(), parallel: pool }
  const seen: PointCloud = {
    kind: 'cloud',
    positions,
    frame: new Uint16Array(POINTS),
    frameOrigins: Float64Array.of(0, 0, 500),
  }
  const time = async (what: string, run: () => unknown): Promise<void> => {
    const from = performance.now()
    const found = await run()
    process.stdout.write(`${what}: ${((performance.now() - from) / 1000).toFixed(2)} s (${String(found)})\n`)
  }
  const kept = (mask: Uint8Array): number => mask.reduce((s, v) => s + v, 0)
  for (let round = 0; round < rounds; round++) {
    await time('outliers, one thread', () => kept(statisticalInliers(seen, NEIGHBOURS, SIGMA, quietContext())))
    await time('outliers, two threads', async () =>
      kept(await statisticalInliersShared(seen, NEIGHBOURS, SIGMA, context)),
    )
    await time(
      'normals towards known origins, with rims, one thread',
      () => estimateFeatures(seen, quietContext()).spacingMm,
    )
    await time(
      'normals towards known origins, with rims, two threads',
      async () => (await estimateFeaturesShared(seen, context)).spacingMm,
    )
    await time(
      'normals oriented by propagation, two threads',
      async () => (await estimateFeaturesShared({ kind: 'cloud', positions }, context)).spacingMm,
    )
    await time('even thinning to 0.5 mm', () => thinEvenly(seen, CELL_MM).length)
    process.stdout.write(
      'library: ' +
        `${JSON.stringify(reference('tidy.py', [join(folder, 'cloud.bin'), String(NEIGHBOURS), String(SIGMA), String(CELL_MM)]))}\n`,
    )
  }
  await pool.close()
}

void main()
