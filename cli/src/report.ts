import { freemem } from 'node:os'
import { isGeometryError, quietContext, solidsWith, type RunContext } from '@holosoma/core'

/** The library comes only where bodies are united. */
const solids = solidsWith(async () => (await import('manifold-3d')).default())

/** Progress on stderr, at most five lines a second; Ctrl+C stops at the next checkpoint. */
export function terminalContext(seed: number, quiet: boolean): RunContext {
  const base = quietContext(seed)
  let stopped = false
  let last = 0
  process.once('SIGINT', () => {
    stopped = true
  })
  return {
    ...base,
    memoryBytes: freemem() * 0.7,
    solids,
    cancelled: () => stopped,
    progress: (fraction, note) => {
      const now = Date.now()
      if (quiet || now - last < 200) return
      last = now
      process.stderr.write(`\r\x1b[K${String(Math.round(fraction * 100)).padStart(3)} % ${note}`)
    },
  }
}

/** One JSON object on stdout with --json, otherwise the same as readable lines. */
export function print(result: Record<string, unknown>, json: boolean): void {
  if (process.stderr.isTTY) process.stderr.write('\r\x1b[K')
  if (json) {
    process.stdout.write(`${JSON.stringify(result)}\n`)
    return
  }
  for (const [key, value] of Object.entries(result)) {
    process.stdout.write(`${key}: ${typeof value === 'object' ? JSON.stringify(value) : String(value)}\n`)
  }
}

/** Exit 2 with one line for bad input, 1 with a line for a fault of ours. */
export function fail(error: unknown): never {
  const bad = isGeometryError(error)
  process.stderr.write(`\n${bad ? error.message : `A fault in Holosoma: ${(error as Error).stack ?? String(error)}`}\n`)
  process.exit(bad ? 2 : 1)
}
