import { createHash } from 'node:crypto'
import { existsSync, mkdirSync, readdirSync, readFileSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { collect } from './processes.mjs'
import { say, Stop } from './say.mjs'

function digestTree(hash, folder) {
  for (const entry of readdirSync(folder, { withFileTypes: true }).sort((a, b) => (a.name < b.name ? -1 : 1))) {
    if (
      entry.name === 'node_modules' ||
      entry.name === '.next' ||
      entry.name === 'dist' ||
      entry.name.endsWith('.tsbuildinfo') ||
      entry.name.includes('.test.')
    )
      continue
    const path = join(folder, entry.name)
    if (entry.isDirectory()) digestTree(hash, path)
    else hash.update(entry.name).update(readFileSync(path))
  }
}

/**
 * Builds the web application and the worker when their sources have changed since the last build.
 * @param typesChecked the types of these very sources have been found right just now
 */
export async function buildAll(root, stateDir, typesChecked = false) {
  const hash = createHash('sha256').update(readFileSync(join(root, 'package-lock.json')))
  for (const folder of ['core/src', 'engine/src', 'web']) digestTree(hash, join(root, folder))
  const digest = hash.digest('hex')
  const mark = join(stateDir, 'build.hash')
  const outputs = [
    ['web', '.next', 'BUILD_ID'],
    ['web', 'dist', 'serve.mjs'],
    ['engine', 'dist', 'worker.mjs'],
    ['engine', 'dist', 'foreign-process.mjs'],
  ]
  const built = outputs.every((path) => existsSync(join(root, ...path)))
  if (built && existsSync(mark) && readFileSync(mark, 'utf8') === digest) return
  say('Building (about a minute)…')
  await buildEngine(root)
  const result = await collect('npx', ['next', 'build'], {
    cwd: join(root, 'web'),
    env: { ...process.env, NEXT_TELEMETRY_DISABLED: '1', HOLOSOMA_TYPES_CHECKED: typesChecked ? '1' : '' },
  })
  if (result.code !== 0)
    throw new Stop(`${result.text.trim()}\n\nThe web application could not be built; what is wrong stands above.`)
  await bundle(root, join(root, 'web', 'server'), ['serve'], join(root, 'web', 'dist'), ['next'])
  mkdirSync(stateDir, { recursive: true })
  writeFileSync(mark, digest)
}

export function buildEngine(root) {
  const names = ['worker', 'compute-thread', 'kernel-thread', 'foreign-process', 'setup']
  return bundle(root, join(root, 'engine', 'src'), names, join(root, 'engine', 'dist'), [
    'knex',
    'mysql2',
    'joi',
    'manifold-3d',
    'meshoptimizer',
    'draco3dgltf',
    'ml-matrix',
    'robust-predicates',
    'sharp',
    'exifr',
  ])
}

async function bundle(root, from, names, outdir, external) {
  const { build } = await import('esbuild')
  await build({
    entryPoints: names.map((n) => join(from, `${n}.ts`)),
    outdir,
    outExtension: { '.js': '.mjs' },
    bundle: true,
    platform: 'node',
    format: 'esm',
    target: 'node20',
    logLevel: 'error',
    sourcemap: true,
    external,
  })
}
