#!/usr/bin/env node
// Starts Holosoma with its demo: installs what is missing, database, build, web server, compute worker.
import { mkdirSync, rmSync } from 'node:fs'
import { dirname, join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { identityOf, isRunning, portOf, stopProcess } from './lib/processes.mjs'
import { installNodePackages } from './lib/packages.mjs'
import { guarded, say, Stop } from './lib/say.mjs'
import { readState, writeState } from './lib/state-files.mjs'

const root = dirname(dirname(fileURLToPath(import.meta.url)))
const stateDir = join(root, '.holosoma')
const processesFile = join(stateDir, 'processes.json')

await guarded(async () => {
  if (Number(process.versions.node.split('.')[0]) < 20)
    throw new Stop(`Holosoma needs Node 20 or newer; this is ${process.version}.`)
  const port = portOf(process.env.HOLOSOMA_PORT, 'HOLOSOMA_PORT', 3000)
  const databasePort = portOf(process.env.HOLOSOMA_DATABASE_PORT, 'HOLOSOMA_DATABASE_PORT', 33306)
  mkdirSync(stateDir, { recursive: true })
  await clearLeftovers()
  await installNodePackages(root, stateDir)
  const { startDatabase } = await import('./lib/database.mjs')
  const { buildAll } = await import('./lib/build.mjs')
  const { prepareDatabase, startServices } = await import('./lib/services.mjs')
  const given = process.env.HOLOSOMA_DATABASE_URL
  const database = given
    ? { url: given, keeperUrl: process.env.HOLOSOMA_KEEPER_URL ?? given, stop: async () => undefined }
    : await startDatabase(stateDir, databasePort)
  let services
  let ending
  const end = (code) =>
    (ending ??= (async () => {
      say('\nStopping…')
      await services?.stop()
      await database.stop()
      rmSync(processesFile, { force: true })
      process.exit(code)
    })())
  for (const signal of ['SIGINT', 'SIGTERM', 'SIGHUP']) process.on(signal, () => void end(0))
  try {
    await buildAll(root, stateDir)
    say('Preparing the database (the first time with the demo, about half a minute)…')
    if (/seeded/.test(prepareDatabase(root, database.keeperUrl)))
      say(
        'Laid in the demo of Harrow Quay Net Loft (sample data): an oil lamp to work on, and one that has been all the way.',
      )
    services = await startServices(root, database, port, (web, worker) =>
      writeState(processesFile, {
        self: identityOf(process.pid, 'start.mjs'),
        web: identityOf(web, 'serve.mjs'),
        worker: identityOf(worker, 'worker.mjs'),
      }),
    )
  } catch (error) {
    await services?.stop()
    await database.stop()
    throw error
  }
  say(`Holosoma is at ${services.address}  (Ctrl+C stops it)`)
})

/**
 * After a crash of this script its web server and worker may still run; they are ours to end, if they are still who
 * they were.
 */
async function clearLeftovers() {
  const old = readState(processesFile, (v) => 'self' in v)
  if (!old) return
  if (isRunning(old.self) && old.self.pid !== process.pid)
    throw new Stop(
      `Holosoma is already running here (process ${old.self.pid}). Stop it with Ctrl+C in its terminal first.`,
    )
  await stopProcess(old.web, 5000)
  await stopProcess(old.worker, 5000)
  rmSync(processesFile, { force: true })
}
