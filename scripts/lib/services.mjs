import { spawn } from 'node:child_process'
import { join } from 'node:path'
import { capture, findPort, keepRunning, portAnswers, sleep, stopChild } from './processes.mjs'
import { Stop } from './say.mjs'

/** Migrates and seeds; wants the account that may change tables. */
export function prepareDatabase(root, url, extra = {}) {
  const result = capture(process.execPath, ['--enable-source-maps', join(root, 'engine', 'dist', 'setup.mjs')], {
    env: { ...process.env, HOLOSOMA_DATABASE_URL: url, ...extra },
  })
  if (result.code === 0) return result.out
  const text = result.err.trim()
  const where = new URL(url)
  if (/ECONNREFUSED|ETIMEDOUT|ENOTFOUND/.test(text))
    throw new Stop(`The database at ${where.host} does not answer. Is it running, and is HOLOSOMA_DATABASE_URL right?`)
  if (/ER_ACCESS_DENIED|ER_DBACCESS_DENIED/.test(text))
    throw new Stop(
      `The database at ${where.host} refuses the account "${where.username}". Check user, password and rights in HOLOSOMA_DATABASE_URL.`,
    )
  if (/ER_BAD_DB/.test(text))
    throw new Stop(
      `The database "${where.pathname.slice(1)}" does not exist at ${where.host}. Create it, or leave HOLOSOMA_DATABASE_URL unset.`,
    )
  throw new Stop(`The database could not be prepared: ${text.split('\n')[0]}`)
}

/**
 * Web server and compute worker, each started again whenever it ends. `stop` ends both.
 * @param database its address for the application, and the folder its data lie in where that is known
 */
export async function startServices(root, { url, dataDir }, wantedPort, onProcesses = () => undefined) {
  const port = await findPort(wantedPort)
  if (port === null) throw new Stop(`No free port was found from ${wantedPort} on. Set HOLOSOMA_PORT to a free one.`)
  const env = {
    ...process.env,
    HOLOSOMA_DATABASE_URL: url,
    HOLOSOMA_PORT: String(port),
    NEXT_TELEMETRY_DISABLED: '1',
    NODE_ENV: 'production',
    HOLOSOMA_READER: join(root, 'engine', 'dist', 'foreign-process.mjs'),
    ...(dataDir && { HOLOSOMA_DATA_DIR: dataDir }),
  }
  const kept = []
  const pids = () => onProcesses(kept[1]?.child?.pid, kept[0]?.child?.pid)
  const start = (script, cwd) => () => {
    const child = spawn(process.execPath, ['--enable-source-maps', script], {
      cwd,
      env,
      detached: true,
      stdio: ['ignore', 'ignore', 'inherit'],
    })
    child.once('spawn', () => setTimeout(pids))
    return child
  }
  const stop = async () => {
    for (const service of kept) service.letGo()
    await Promise.all(kept.map((service, i) => stopChild(service.child, i === 0 ? 8000 : 5000)))
  }
  kept.push(await keepRunning('The compute worker', start(join(root, 'engine', 'dist', 'worker.mjs'), root)))
  kept.push(await keepRunning('The web server', start(join(root, 'web', 'dist', 'serve.mjs'), join(root, 'web'))))
  pids()
  for (const until = Date.now() + 180000; !(await portAnswers(port)); await sleep(100)) {
    if (Date.now() > until) {
      await stop()
      throw new Stop('The web server did not start; what is wrong stands above.')
    }
  }
  return { port, address: `http://127.0.0.1:${port}`, web: () => kept[1].child, worker: () => kept[0].child, stop }
}
