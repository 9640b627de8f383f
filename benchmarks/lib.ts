import { spawnSync } from 'node:child_process'
import { mkdtempSync, readFileSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { dirname, join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { build } from 'esbuild'
import {
  captureTake,
  LAMP_TAKES,
  OIL_LAMP,
  quietContext,
  rangeNoiseMm,
  seededRandom,
  TABLETOP_DEVICE,
  writeShape,
  type Motion,
  type PointCloud,
  type Shape,
  type TriangleMesh,
} from '@holosoma/core'
import type { DeviceProfile } from '../core/src/plan/device-profile'
import type { DemoPiece } from '../core/src/bench/pieces'
import { estimateFeatures } from '../core/src/cloud/normals'
import { NO_FAULTS } from '../core/src/bench/settings'
import { compose, invertRigid } from '../core/src/linear/rigid'
import { pickPoints } from '../core/src/shapes'
import { KernelThreads } from '../engine/src/jobs/kernel-threads'

const here = dirname(fileURLToPath(import.meta.url))

/** The two takes of the lamp without noise and without table, and the true motion second → first. */
export function cleanTakes(
  fusedSpacingMm: number,
  seed = 1,
): { takes: PointCloud[]; truth: Motion; device: DeviceProfile } {
  const captured = LAMP_TAKES.map((plan, i) =>
    captureTake(OIL_LAMP, plan, TABLETOP_DEVICE, seed * 1000 + i, quietContext(), {
      spacingMm: fusedSpacingMm,
      pitchMm: 0.72,
      faults: NO_FAULTS,
    }),
  )
  const takes = captured.map(({ cloud }) => {
    const keep: number[] = []
    for (let i = 0; i < cloud.positions.length / 3; i++) if (cloud.positions[i * 3 + 2] > 0.6) keep.push(i)
    return pickPoints(cloud, keep)
  })
  return { takes, truth: compose(captured[0].truth, invertRigid(captured[1].truth)), device: TABLETOP_DEVICE }
}

/** A piece's two usual takes as they are tidied and joined by the truth: off the table, each with its normals. */
export function joinedByTruth(piece: DemoPiece, spacingMm: number): { cloud: PointCloud; motion: Motion }[] {
  const captured = LAMP_TAKES.map((plan, i) =>
    captureTake(piece, plan, TABLETOP_DEVICE, 1000 + i, quietContext(), { spacingMm }),
  )
  return captured.map(({ cloud, truth }) => {
    const keep: number[] = []
    for (let i = 0; i < cloud.positions.length / 3; i++) if (cloud.positions[i * 3 + 2] > 0.6) keep.push(i)
    const bare = pickPoints(cloud, keep)
    return {
      cloud: { ...bare, normals: estimateFeatures(bare, quietContext()).normals },
      motion: compose(captured[0].truth, invertRigid(truth)),
    }
  })
}

/**
 * The same points with range noise along their rays, as the device makes it; normals are left out, so that they must be
 * estimated.
 */
export function withNoise(clean: PointCloud, device: DeviceProfile, seed: number, keepNormals = false): PointCloud {
  const random = seededRandom(seed)
  const positions = clean.positions.slice()
  for (let i = 0; i < positions.length / 3; i++) {
    const o = clean.frame![i] * 3
    const d = [0, 1, 2].map((c) => positions[i * 3 + c] - clean.frameOrigins![o + c])
    const range = Math.hypot(d[0], d[1], d[2])
    const s = (rangeNoiseMm(device, range) * random.gaussian()) / range
    for (let c = 0; c < 3; c++) positions[i * 3 + c] += d[c] * s
  }
  const { normals, ...rest } = clean
  return { ...rest, positions, ...(keepNormals && normals && { normals }) }
}

export function quantile(values: readonly number[], q: number): number {
  const sorted = [...values].sort((a, b) => a - b)
  return sorted[Math.min(sorted.length - 1, Math.floor(sorted.length * q))]
}

export function save(shape: Shape, name: string, folder = mkdtempSync(join(tmpdir(), 'holosoma-bench-'))): string {
  const path = join(folder, name)
  writeFileSync(path, Buffer.concat([...writeShape(shape, name.split('.').at(-1) as 'ply')]))
  return path
}

/** Runs a reference script with Debian's Python, or null where the library is not installed. */
export function reference(script: string, args: readonly string[]): Record<string, number> | null {
  const run = spawnSync('/usr/bin/python3', [join(here, 'reference', script), ...args], {
    encoding: 'utf8',
    env: { ...process.env, OPENBLAS_CORETYPE: undefined },
  })
  if (run.status !== 0) {
    process.stderr.write(`reference ${script}: ${run.stderr.trim().split('\n').at(-1) ?? run.error}\n`)
    return null
  }
  return JSON.parse(run.stdout.trim().split('\n').at(-1)!) as Record<string, number>
}

export function seconds(work: () => void): number {
  const started = performance.now()
  work()
  return (performance.now() - started) / 1000
}

/**
 * A bumpy ball of 50 mm, row after row as a device gives it, with normals: for timings of what looks at every point.
 */
export function bumpyBall(points: number, seed: number): { positions: Float32Array; normals: Float32Array } {
  const random = seededRandom(seed)
  const positions = new Float32Array(points * 3),
    normals = new Float32Array(points * 3)
  for (let i = 0; i < points; i++) {
    const a = 2 * Math.PI * ((i % 1000) / 1000) + 0.002 * random.next(),
      z = (2 * Math.floor(i / 1000)) / (points / 1000) - 1 + 0.001 * random.next()
    const s = Math.sqrt(Math.max(0, 1 - z * z)),
      r = 50 + Math.sin(7 * a) * Math.cos(5 * z) + 0.02 * random.gaussian()
    positions.set([r * s * Math.cos(a), r * s * Math.sin(a), r * z], i * 3)
    normals.set([s * Math.cos(a), s * Math.sin(a), z], i * 3)
  }
  return { positions, normals }
}

/** Two threads beside this one, as the engine has them. */
export async function twoThreads(): Promise<KernelThreads> {
  const outfile = join(mkdtempSync(join(tmpdir(), 'holosoma-bench-')), 'kernel-thread.mjs')
  await build({
    entryPoints: [join(here, '../engine/src/kernel-thread.ts')],
    outfile,
    bundle: true,
    platform: 'node',
    format: 'esm',
    logLevel: 'error',
    external: ['joi'],
  })
  return new KernelThreads(new URL(`file://${outfile}`), 2)
}

/** A mesh from an OFF file of a package; faces become fans. */
export function readOff(path: string): TriangleMesh {
  const words = readFileSync(path, 'utf8')
    .split('\n')
    .map((l) => l.replace(/#.*/, ''))
    .join(' ')
    .split(/\s+/)
    .filter((w) => w !== '')
  const [vertices, faces] = [Number(words[1]), Number(words[2])]
  const positions = Float32Array.from({ length: vertices * 3 }, (_, i) => Number(words[4 + i]))
  const indices: number[] = []
  let at = 4 + vertices * 3
  for (let f = 0; f < faces; f++) {
    const n = Number(words[at++])
    for (let k = 2; k < n; k++) indices.push(Number(words[at]), Number(words[at + k - 1]), Number(words[at + k]))
    at += n
  }
  return { kind: 'mesh', positions, indices: Uint32Array.from(indices) }
}
