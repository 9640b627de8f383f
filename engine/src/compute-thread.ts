import { parentPort } from 'node:worker_threads'
import { isGeometryError } from '@holosoma/core'
import { ASKED, type FromThread } from './jobs/worker-protocol'
import { computeJob } from './jobs/compute'
import type { ThreadTask } from './jobs/compute-threads'
import { runAgain } from './jobs/again'
import { runRecipe } from './jobs/recipe'
import { runRoad } from './jobs/road'
import { isAway, openDatabase, whileAway } from './store/database'
import { KernelThreads } from './jobs/kernel-threads'
import { runSettle } from './jobs/settle'

/* Jobs, one after another, in a thread of their own, so that heartbeats go on while one computes. */

const MAX_TRIES = 4

const port = parentPort!
const say = (message: FromThread): void => port.postMessage(message)
port.on('message', (task: ThreadTask) => void work(task))

async function work({ job, flag }: ThreadTask): Promise<void> {
  const pool = new KernelThreads(new URL('./kernel-thread.mjs', import.meta.url))
  let last = 0
  let end: FromThread
  try {
    const db = openDatabase()
    const host = {
      parallel: pool,
      reader: (pid: number) => say({ type: 'reader', pid }),
      expected: (seconds: number) => say({ type: 'expected', seconds }),
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
        say({ type: 'progress', fraction, note })
      },
    }
    const { request } = job
    end = {
      type: 'done',
      steps: await again(async () =>
        request.kind === 'recipe'
          ? runRecipe(db, request, host)
          : request.kind === 'settle'
            ? runSettle(db, request, host)
            : request.kind === 'again'
              ? runAgain(db, request, host)
              : request.kind === 'road'
                ? runRoad(db, request, host)
                : [await computeJob(db, job, host)],
      ),
    }
  } catch (error) {
    const known = isGeometryError(error)
    if (!known) process.stderr.write(`job ${job.id}: ${(error as Error).stack ?? String(error)}\n`)
    end = { type: 'failed', code: known ? error.code : 'UNEXPECTED', message: known ? error.message : messageOf(error) }
  }
  // Told last, so that nothing of this job is left when the next may come.
  await pool.close()
  say(end)
}

/**
 * A job is computed anew when the database went away in the middle of it: it is pure, and nothing of it was written.
 */
async function again<T>(work: () => Promise<T>): Promise<T> {
  for (let tries = 1; ; tries++) {
    try {
      return await work()
    } catch (error) {
      if (!isAway(error) || tries === MAX_TRIES) throw error
      await whileAway(async () => void (await openDatabase().raw('SELECT 1')))
    }
  }
}

function messageOf(error: unknown): string {
  if (/Array buffer allocation|heap out of memory|Invalid typed array length/.test(String(error)))
    return 'There was not enough memory for this. Try a coarser spacing.'
  if (isAway(error)) return 'The database was away for too long; nothing was changed. Ask for it again when it is back.'
  return (
    'Something went wrong inside Holosoma; the details are in the terminal it was started from. ' +
    'Nothing was changed.'
  )
}
