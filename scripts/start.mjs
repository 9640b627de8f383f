#!/usr/bin/env node
// Starts Holosoma with its demo: installs what is missing, database, build, web server, compute worker.
import { mkdirSync, readFileSync, rmSync, writeFileSync, existsSync } from 'node:fs'
import { dirname, join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { alive, stopPid } from './lib/processes.mjs'
import { installNodePackages } from './lib/packages.mjs'
import { guarded, say, Stop } from './lib/say.mjs'

const root = dirname(dirname(fileURLToPath(import.meta.url)))
const stateDir = join(root, '.holosoma')
const processesFile = join(stateDir, 'processes.json')

await guarded(async () => {
  if (Number(process.versions.node.split('.')[0]) < 20) throw new Stop(`Holosoma needs Node 20 or newer; this is ${process.version}.`)
  mkdirSync(stateDir, { recursive: true })
  await clearLeftovers()
  await installNodePackages(root, stateDir)
  const { startDatabase } = await import('./lib/database.mjs')
  const { buildAll } = await import('./lib/build.mjs')
  const { prepareDatabase, startServices } = await import('./lib/services.mjs')
  const given = process.env.HOLOSOMA_DATABASE_URL
  const database = given ? { url: given, stop: async () => undefined } : await startDatabase(stateDir, Number(process.env.HOLOSOMA_DATABASE_PORT ?? 33306))
  let services
  let ending
  const end = (code) => (ending ??= (async () => {
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
    if (/seeded/.test(prepareDatabase(root, database.url))) say('Laid in the demo of Harrow Quay Net Loft (sample data): an oil lamp to work on, and one that has been all the way.')
    services = await startServices(root, database.url, Number(process.env.HOLOSOMA_PORT ?? 3000), (web, worker) => writeFileSync(processesFile, JSON.stringify({ self: process.pid, web, worker })))
  } catch (error) {
    await services?.stop()
    await database.stop()
    throw error
  }
  services.web.once('exit', () => void end(1))
  say(`Holosoma is at ${services.address}  (Ctrl+C stops it)`)
})

/** After a crash of this script its web server and worker may still run; they are ours to end, by number. */
async function clearLeftovers() {
  if (!existsSync(processesFile)) return
  const old = JSON.parse(readFileSync(processesFile, 'utf8'))
  if (alive(old.self) && old.self !== process.pid && isOurs(old.self, 'start.mjs')) throw new Stop(`Holosoma is already running here (process ${old.self}). Stop it with Ctrl+C in its terminal first.`)
  if (isOurs(old.web, 'next')) await stopPid(old.web, 5000)
  if (isOurs(old.worker, 'worker.mjs')) await stopPid(old.worker, 5000)
  rmSync(processesFile, { force: true })
}

/** A number may have been given to another program since. */
function isOurs(pid, mark) {
  try {
    return alive(pid) && readFileSync(`/proc/${pid}/cmdline`, 'utf8').includes(mark)
  } catch {
    return false
  }
}
