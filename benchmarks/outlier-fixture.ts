/*
 * Makes the fixture of core/src/cloud/outliers.test.ts: which points of a made-up scan a general-purpose C++ library
 * calls outliers.
 *   npx tsx benchmarks/outlier-fixture.ts
 */
import { mkdtempSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { tableCase } from '../core/src/testing/table-cases'
import { reference } from './lib'

const SEED = 7,
  NEIGHBOURS = 20,
  SIGMA = 0.1
const path = join(mkdtempSync(join(tmpdir(), 'holosoma-bench-')), 'cloud.bin')
const { positions } = tableCase(SEED).cloud
writeFileSync(path, Buffer.from(positions.buffer, positions.byteOffset, positions.byteLength))
const found = reference('tidy.py', [path, String(NEIGHBOURS), String(SIGMA), '1', '--list']) as unknown as {
  version: string
  outliers: number[]
} | null
if (found) {
  writeFileSync(
    'core/src/testing/fixtures/outliers.json',
    `${JSON.stringify({ command: 'npx tsx benchmarks/outlier-fixture.ts', library: `Open3D ${found.version}`, seed: SEED, neighbours: NEIGHBOURS, sigma: SIGMA, points: positions.length / 3, outliers: found.outliers })}\n`,
  )
  process.stdout.write(`${found.outliers.length} outliers of ${positions.length / 3}\n`)
}
