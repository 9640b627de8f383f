import { parentPort, workerData } from 'node:worker_threads'
import { isGeometryError } from '@holosoma/core'
import { ASKED, type FromThread } from './asked'
import { computeJob } from './compute'
import { runRecipe } from './recipe'
import { closeDatabase, openDatabase } from './database'
import type { JobRecord } from './jobs'
import { Lanes } from './lanes'

/** One job in a thread of its own, so that heartbeats go on while it computes. `flag[0]` says what is asked of it. */
const { job, flag } = workerData as { job: JobRecord; flag: Int32Array }
const port = parentPort!
const lanes = new Lanes(new URL('./kernel-thread.mjs', import.meta.url))
let last = 0
try {
  const db = openDatabase()
  const host = {
    parallel: lanes,
    expected: (seconds: number) => port.postMessage({ type: 'expected', seconds } satisfies FromThread),
    cancelled: () => {
      // Asked at every checkpoint, so this is where a paused job waits.
      while (Atomics.load(flag, 0) === ASKED.pause) Atomics.wait(flag, 0, ASKED.pause, 1000)
      return Atomics.load(flag, 0) === ASKED.cancel
    },
    endEarly: () => Atomics.load(flag, 0) === ASKED.stop,
    progress: (fraction: number, note: string) => {
      const now = performance.now()
      if (now - last < 100) return
      last = now
      port.postMessage({ type: 'progress', fraction, note } satisfies FromThread)
    },
  }
  const steps = job.request.kind === 'recipe' ? await runRecipe(db, job.request, host) : [await computeJob(db, job, host)]
  port.postMessage({ type: 'done', steps } satisfies FromThread)
} catch (error) {
  const known = isGeometryError(error)
  if (!known) process.stderr.write(`job ${job.id}: ${(error as Error).stack ?? String(error)}\n`)
  port.postMessage({
    type: 'failed', code: known ? error.code : 'UNEXPECTED',
    message: known ? error.message : /Array buffer allocation|heap out of memory|Invalid typed array length/.test(String(error)) ? 'There was not enough memory for this. Try a coarser spacing.' : 'Something went wrong inside Holosoma; the details are in the terminal it was started from. Nothing was changed.',
  } satisfies FromThread)
} finally {
  await lanes.close()
  await closeDatabase()
}
