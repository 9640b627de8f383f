#!/usr/bin/env node
// Bundles the command line when its sources are newer than the bundle, then runs it.
import { existsSync, mkdirSync, readdirSync, statSync } from 'node:fs'
import { dirname, join } from 'node:path'
import { fileURLToPath } from 'node:url'

const here = dirname(dirname(fileURLToPath(import.meta.url)))
const root = dirname(here)
const bundle = join(here, 'dist', 'holosoma.mjs')

function newest(folder) {
  let time = 0
  for (const entry of readdirSync(folder, { withFileTypes: true })) {
    const path = join(folder, entry.name)
    time = Math.max(time, entry.isDirectory() ? newest(path) : statSync(path).mtimeMs)
  }
  return time
}

if (
  !existsSync(bundle) ||
  statSync(bundle).mtimeMs < Math.max(newest(join(root, 'core', 'src')), newest(join(here, 'src')))
) {
  const { build } = await import('esbuild')
  mkdirSync(dirname(bundle), { recursive: true })
  await build({
    entryPoints: [join(here, 'src', 'main.ts')],
    bundle: true,
    platform: 'node',
    format: 'esm',
    target: 'node20',
    outfile: bundle,
    logLevel: 'error',
    external: ['joi', 'commander', 'exifr', 'manifold-3d', 'meshoptimizer', 'ml-matrix', 'robust-predicates', 'sharp'],
    sourcemap: true,
  })
}
await import(bundle)
