import { spawn, spawnSync } from 'node:child_process'
import { createServer, connect } from 'node:net'
import { existsSync, readFileSync } from 'node:fs'

/** Commands under way in groups of their own (`detached`): npx starts others, and all must end together. */
const running = new Set()

/** Runs to the end with output shown; returns the exit code. */
export function run(command, args, options = {}) {
  return new Promise((resolve, reject) => {
    const child = spawn(command, args, { stdio: ['ignore', 'inherit', 'inherit'], ...options })
    if (options.detached) running.add(child)
    child.on('error', reject)
    child.on('exit', (code, signal) => {
      running.delete(child)
      resolve(signal ? 128 : code)
    })
  })
}

/** Ends what `run` has under way, with all they started. */
export function endRunning() {
  for (const child of running) {
    try {
      process.kill(-child.pid, 'SIGTERM')
    } catch {
      // Gone in between.
    }
  }
}

/** Runs to the end and keeps what it prints, for the case that it fails. */
export function collect(command, args, options = {}) {
  return new Promise((resolve, reject) => {
    const child = spawn(command, args, { stdio: ['ignore', 'pipe', 'pipe'], ...options })
    let text = ''
    for (const stream of [child.stdout, child.stderr]) stream.on('data', (part) => (text += part))
    child.on('error', reject)
    child.on('close', (code, signal) => resolve({ code: signal ? 128 : code, text }))
  })
}

export function capture(command, args, options = {}) {
  const r = spawnSync(command, args, { encoding: 'utf8', ...options })
  return { code: r.error ? 127 : r.status, out: r.stdout ?? '', err: r.stderr ?? '' }
}

export const has = (command) => capture('sh', ['-c', `command -v ${command}`]).code === 0

export const sleep = (ms) => new Promise((resolve) => setTimeout(resolve, ms))

export function alive(pid) {
  try {
    process.kill(pid, 0)
    return true
  } catch (error) {
    return error.code === 'EPERM'
  }
}

export function pidFrom(file) {
  if (!existsSync(file)) return null
  const pid = Number(readFileSync(file, 'utf8'))
  return Number.isInteger(pid) && pid > 1 && alive(pid) ? pid : null
}

/** Asks a process to end and waits; ends it hard when it does not. */
export async function stopPid(pid, ms = 15000) {
  if (!pid || !alive(pid)) return
  process.kill(pid, 'SIGTERM')
  for (const until = Date.now() + ms; Date.now() < until; await sleep(50)) if (!alive(pid)) return
  try {
    process.kill(pid, 'SIGKILL')
  } catch {
    // Gone in between.
  }
}

export function portFree(port) {
  return new Promise((resolve) => {
    const server = createServer()
    server.once('error', () => resolve(false))
    server.listen(port, '127.0.0.1', () => server.close(() => resolve(true)))
  })
}

export function portAnswers(port) {
  return new Promise((resolve) => {
    const socket = connect({ port, host: '127.0.0.1' })
    socket.once('connect', () => (socket.destroy(), resolve(true)))
    socket.once('error', () => resolve(false))
  })
}

/** The first free port from `wanted` on. */
export async function findPort(wanted, tries = 40) {
  for (let port = wanted; port < wanted + tries; port++) if (await portFree(port)) return port
  return null
}
