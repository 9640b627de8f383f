import { spawn, spawnSync } from 'node:child_process'
import { createServer, connect } from 'node:net'
import { readFileSync } from 'node:fs'
import { say, Stop } from './say.mjs'

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

/** When a process began, in ticks since the machine started; null when there is none of that number. */
function beganAt(pid) {
  try {
    // The name stands in brackets and may hold anything; the start is the 20th field after it (proc(5), field 22).
    const text = readFileSync(`/proc/${pid}/stat`, 'utf8')
    return Number(text.slice(text.lastIndexOf(')') + 2).split(' ')[19])
  } catch {
    return null
  }
}

const bootId = () => {
  try {
    return readFileSync('/proc/sys/kernel/random/boot_id', 'utf8').trim()
  } catch {
    return ''
  }
}

/**
 * Who a process is, beyond its number, which the system gives to another one later: when it began, and a word of its
 * command line.
 * Null when it is not running, or its command line lacks the word.
 */
export function identityOf(pid, mark) {
  if (!Number.isInteger(pid) || pid < 2) return null
  const began = beganAt(pid)
  if (began === null || !commandOf(pid).includes(mark)) return null
  return { pid, began, boot: bootId(), mark }
}

function commandOf(pid) {
  try {
    return readFileSync(`/proc/${pid}/cmdline`, 'utf8').replaceAll('\0', ' ')
  } catch {
    return ''
  }
}

/** Whether that very process still runs. */
export function isRunning(identity) {
  if (!identity || !alive(identity.pid)) return false
  return (
    beganAt(identity.pid) === identity.began &&
    bootId() === identity.boot &&
    commandOf(identity.pid).includes(identity.mark)
  )
}

/**
 * Asks that very process to end and waits; ends it hard when it does not. Another one that has its number now is left
 * alone.
 */
export async function stopProcess(identity, ms = 15000) {
  const signal = (name) => {
    if (!isRunning(identity)) return false
    try {
      process.kill(identity.pid, name)
      return true
    } catch {
      // Gone in between.
      return false
    }
  }
  if (!signal('SIGTERM')) return
  for (const until = Date.now() + ms; Date.now() < until; await sleep(50)) if (!isRunning(identity)) return
  signal('SIGKILL')
}

/** Ends a process this one started and still holds: its number cannot have gone to another. */
export async function stopChild(child, ms = 15000) {
  const ended = () => !child || child.exitCode !== null || child.signalCode !== null || child.pid === undefined
  if (ended()) return
  child.kill('SIGTERM')
  for (const until = Date.now() + ms; Date.now() < until; await sleep(50)) if (ended()) return
  child.kill('SIGKILL')
}

/**
 * A process that ended as soon as it began waits this long before it is started again, and twice as long each time
 * after, ms.
 */
const FIRST_WAIT_MS = 300
const LONGEST_WAIT_MS = 30_000
/** After so long a run, an end counts as a new trouble, ms. */
const CALM_MS = 60_000

/**
 * Starts a service and keeps it running: whenever it ends by itself it is started again, later each time, and that is
 * said.
 * @param name what the person reads
 * @param start starts it, and returns the child process
 * @returns the running process as `child`, and what ends the keeping (not the process)
 * @throws what the first start throws
 */
export async function keepRunning(name, start, told = say) {
  let waitMs = FIRST_WAIT_MS
  let timer
  const state = {
    child: null,
    kept: true,
    letGo() {
      state.kept = false
      clearTimeout(timer)
    },
  }
  const watch = (child, began) => {
    state.child = child
    const ended = () => {
      if (!state.kept) return
      if (Date.now() - began > CALM_MS) waitMs = FIRST_WAIT_MS
      told(
        `${name} ended unexpectedly; it is started again in ${(waitMs / 1000).toFixed(1)} s. What was saved is safe.`,
      )
      later()
    }
    if (child.exitCode !== null || child.signalCode !== null) ended()
    else child.once('exit', ended)
  }
  const later = () => {
    timer = setTimeout(() => void again(), waitMs)
    waitMs = Math.min(LONGEST_WAIT_MS, waitMs * 2)
  }
  const again = async () => {
    const began = Date.now()
    try {
      const child = await start()
      if (state.kept) watch(child, began)
      else await stopChild(child)
    } catch (error) {
      if (!state.kept) return
      told(`${name} could not be started: ${error.message} The next try is in ${(waitMs / 1000).toFixed(1)} s.`)
      later()
    }
  }
  const began = Date.now()
  watch(await start(), began)
  return state
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
  for (let port = wanted; port < Math.min(65536, wanted + tries); port++) if (await portFree(port)) return port
  return null
}

/** A port number from a setting. @throws Stop when it is none */
export function portOf(text, name, usual) {
  if (text === undefined || text === '') return usual
  const port = Number(text)
  if (!Number.isInteger(port) || port < 1 || port > 65535)
    throw new Stop(`${name} is “${text}”; a port is a whole number from 1 to 65535.`)
  return port
}
