#!/usr/bin/env node
// All checks: lint, types, unit tests, browser tests on the production build with a database of their own.
// With --all also those that a change need not wait for (`nightTest`, tests tagged @night).
import { mkdirSync, rmSync } from 'node:fs'
import { dirname, join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { endRunning, run } from './lib/processes.mjs'
import { fetchOpenData, installDebianPackage, installNodePackages } from './lib/packages.mjs'
import { guarded, say, Stop } from './lib/say.mjs'

const root = dirname(dirname(fileURLToPath(import.meta.url)))
const stateDir = join(root, '.holosoma')
const testDir = join(stateDir, 'test')
/**
 * Browser tests run in houses of their own, side by side: what one writes, no other sees. The first database is the
 * unit tests' as well.
 */
const HOUSES = ['holosoma', 'holosoma_next_door']

await guarded(async () => {
  mkdirSync(testDir, { recursive: true })
  await installNodePackages(root, stateDir)
  const { startDatabase } = await import('./lib/database.mjs')
  const { buildAll, buildEngine } = await import('./lib/build.mjs')
  const { prepareDatabase, startServices } = await import('./lib/services.mjs')
  const step = async (name, command, args, env = {}) => {
    say(`\n== ${name}`)
    if ((await run(command, args, { cwd: root, detached: true, env: { ...process.env, ...env } })) !== 0)
      throw new Stop(`${name}: failed; what is wrong stands above.`)
  }
  const only = process.argv.slice(2).filter((a) => a !== '--all')
  if (process.argv.includes('--all')) process.env.HOLOSOMA_NIGHT = '1'
  const wanted = (name) => only.length === 0 || only.includes(name)
  // While the sources are looked at, browser and database are brought in.
  const house = (async () => {
    await installDebianPackage('chromium', 'chromium', 'The browser for the tests')
    const database = await startDatabase(testDir, 33406, HOUSES)
    return Object.assign(database, { openData: await fetchOpenData(stateDir) })
  })()
  house.catch(() => undefined)
  const services = []
  const stop = async () => {
    await Promise.all(services.map((s) => s.stop()))
    await house.then(
      (d) => d.stop(),
      () => undefined,
    )
    rmSync(join(testDir, 'database.json'), { force: true })
    rmSync(join(testDir, 'mariadb'), { recursive: true, force: true })
  }
  for (const signal of ['SIGINT', 'SIGTERM', 'SIGHUP'])
    process.on(signal, () => {
      endRunning()
      void stop().then(() => process.exit(130))
    })
  try {
    const checks = []
    if (wanted('lint')) {
      checks.push(
        (async () => {
          await step('Format', 'npx', ['prettier', '--check', '--log-level', 'warn', '.'])
          await step('Lint', 'npx', ['eslint', '.', '--max-warnings', '0'])
        })(),
      )
    }
    if (wanted('types')) {
      checks.push(
        (async () => {
          await step('Types', 'npx', ['tsc', '-p', 'tsconfig.json'])
          await step('Types of the web', 'npx', ['tsc', '-p', 'web/tsconfig.json', '--noEmit'])
        })(),
      )
    }
    for (const done of await Promise.allSettled(checks)) if (done.status === 'rejected') throw done.reason
    const database = await house
    await buildEngine(root)
    if (wanted('unit'))
      await step('Unit tests', 'npx', ['vitest', 'run'], {
        HOLOSOMA_TEST_DATABASE_URL: database.keeperUrl,
        HOLOSOMA_OPEN_DATA: database.openData,
      })
    if (wanted('browser')) {
      await buildAll(root, stateDir, wanted('types'))
      for (const name of HOUSES) {
        prepareDatabase(root, database.keeperUrlOf(name))
        services.push(
          await startServices(
            root,
            { url: database.urlOf(name), dataDir: database.dataDir },
            3400 + services.length * 20,
          ),
        )
      }
      await step('Browser tests', 'npx', ['playwright', 'test'], {
        HOLOSOMA_ADDRESSES: services.map((s) => s.address).join(' '),
      })
    }
    say('\nAll checks passed.')
  } finally {
    await stop()
  }
})
process.exit()
