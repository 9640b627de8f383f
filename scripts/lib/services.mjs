import { spawn } from 'node:child_process'
import { join } from 'node:path'
import { capture, findPort, portAnswers, sleep, stopPid } from './processes.mjs'
import { Stop } from './say.mjs'

/** Migrates and seeds. */
export function prepareDatabase(root, url, extra = {}) {
  const result = capture(process.execPath, ['--enable-source-maps', join(root, 'engine', 'dist', 'setup.mjs')], { env: { ...process.env, HOLOSOMA_DATABASE_URL: url, ...extra } })
  if (result.code === 0) return result.out
  const text = result.err.trim()
  const where = new URL(url)
  if (/ECONNREFUSED|ETIMEDOUT|ENOTFOUND/.test(text)) throw new Stop(`The database at ${where.host} does not answer. Is it running, and is HOLOSOMA_DATABASE_URL right?`)
  if (/ER_ACCESS_DENIED|ER_DBACCESS_DENIED/.test(text)) throw new Stop(`The database at ${where.host} refuses the account "${where.username}". Check user, password and rights in HOLOSOMA_DATABASE_URL.`)
  if (/ER_BAD_DB/.test(text)) throw new Stop(`The database "${where.pathname.slice(1)}" does not exist at ${where.host}. Create it, or leave HOLOSOMA_DATABASE_URL unset.`)
  throw new Stop(`The database could not be prepared: ${text.split('\n')[0]}`)
}

/** Web server and compute worker; the worker is started again whenever it dies. `stop` ends both. */
export async function startServices(root, url, wantedPort, onProcesses = () => undefined) {
  const port = await findPort(wantedPort)
  if (port === null) throw new Stop(`No free port was found from ${wantedPort} on. Set HOLOSOMA_PORT to a free one.`)
  const env = { ...process.env, HOLOSOMA_DATABASE_URL: url, NEXT_TELEMETRY_DISABLED: '1', NODE_ENV: 'production' }
  let stopping = false
  const state = { worker: null, web: null }
  const startWorker = () => {
    state.worker = spawn(process.execPath, ['--enable-source-maps', join(root, 'engine', 'dist', 'worker.mjs')], { env, detached: true, stdio: ['ignore', 'ignore', 'inherit'] })
    if (state.web) onProcesses(state.web.pid, state.worker.pid)
    state.worker.once('exit', () => {
      if (!stopping) setTimeout(startWorker, 300)
    })
  }
  startWorker()
  const web = spawn(process.execPath, [join(root, 'node_modules', 'next', 'dist', 'bin', 'next'), 'start', '-p', String(port), '-H', '127.0.0.1'], {
    cwd: join(root, 'web'), env, detached: true, stdio: ['ignore', 'ignore', 'inherit'],
  })
  state.web = web
  onProcesses(web.pid, state.worker.pid)
  const stop = async () => {
    stopping = true
    await Promise.all([stopPid(web.pid, 5000), stopPid(state.worker?.pid, 8000)])
  }
  for (const until = Date.now() + 180000; !(await portAnswers(port)); await sleep(100)) {
    if (web.exitCode !== null || Date.now() > until) {
      await stop()
      throw new Stop('The web server did not start; what is wrong stands above.')
    }
  }
  return { port, address: `http://127.0.0.1:${port}`, web, worker: () => state.worker, stop }
}
