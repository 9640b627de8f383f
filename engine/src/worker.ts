import { hostname } from 'node:os'
import { collectUnused, noRoom } from './blobs/space'
import { closeDatabase, openDatabase, whileAway, type Database } from './store/database'
import { ComputeThreads } from './jobs/compute-threads'
import { claimJob, completeJob, failJob, heartbeat, type JobRecord } from './jobs/jobs'
import { ASKED } from './jobs/worker-protocol'

const POLL_MS = 250
const BEAT_MS = 400
const COLLECT_MS = 6 * 3600 * 1000
/** Written by a usual job, bytes: asked for before one begins. */
const JOB_BYTES = 200e6

/** The compute worker: claims jobs one after another until told to stop. Any number may run against one database. */
const name = `${hostname()}:${process.pid}`
const parent = process.ppid
let stopping = false
for (const signal of ['SIGTERM', 'SIGINT'] as const)
  process.once(signal, () => {
    stopping = true
  })

const threads = new ComputeThreads(new URL('./compute-thread.mjs', import.meta.url))

/** Jobs at work that do not wait: while one is paused, others get their turn. */
let atWork = 0
const held = new Set<number>()

async function runJob(db: Database, job: JobRecord): Promise<void> {
  atWork++
  held.add(job.id)
  let paused = false
  let ended = false
  const pause = (now: boolean): void => {
    // A heartbeat's answer may come after the end.
    if (!ended && now !== paused) atWork += now ? -1 : 1
    paused = now
  }
  const flag = new Int32Array(new SharedArrayBuffer(4))
  let progress = 0
  let note = ''
  let expected: number | null = null
  const started = performance.now()
  const beat = setInterval(() => {
    heartbeat(db, job, progress, note, expected).then(
      (asked) => {
        pause(asked === 'pause' && !stopping)
        Atomics.store(flag, 0, stopping ? ASKED.cancel : ASKED[asked])
        Atomics.notify(flag, 0)
      },
      () => undefined,
    )
  }, BEAT_MS)
  try {
    const full = noRoom(JOB_BYTES, 'this')
    const end = full
      ? ({ type: 'failed', code: 'MEMORY', message: full } as const)
      : await threads.run({ job, flag }, (m) => {
          if (m.type === 'expected') expected = m.seconds
          else {
            progress = m.fraction
            note = m.note
          }
        })
    // What was computed is not lost to a database that is away for a moment.
    if (end.type === 'done')
      await whileAway(() =>
        completeJob(
          db,
          job,
          ...end.steps.map((step) => ({
            ...step,
            track: step.track ?? job.track,
            durationMs: step.durationMs ?? performance.now() - started,
          })),
        ),
      )
    // Stopped because we are going down, not because anybody asked: the job waits for the next worker.
    else if (end.code === 'CANCELLED' && stopping)
      await whileAway(
        () =>
          db('jobs')
            .where({ id: job.id, attempt: job.attempt })
            .update({ state: 'queued', attempt: job.attempt - 1 }),
        5,
      )
    else
      await whileAway(() =>
        failJob(
          db,
          job,
          end.code === 'CANCELLED' ? 'cancelled' : 'failed',
          end.code === 'CANCELLED' ? null : end.message,
        ),
      )
  } finally {
    clearInterval(beat)
    pause(false)
    ended = true
    atWork--
    held.delete(job.id)
  }
}

const db = openDatabase()
const running = new Set<Promise<void>>()
const complain = (error: unknown): void => void process.stderr.write(`worker: ${(error as Error).message}\n`)
let collected = -Infinity
// Whoever started us is gone: nobody would stop us either.
while (!stopping && process.ppid === parent) {
  try {
    const job = atWork === 0 ? await claimJob(db, name, [...held]) : null
    if (job) {
      const run = runJob(db, job)
        .catch(complain)
        .finally(() => running.delete(run))
      running.add(run)
    }
    if (!job && atWork === 0 && performance.now() - collected > COLLECT_MS) {
      collected = performance.now()
      await collectUnused(db)
    }
  } catch (error) {
    complain(error)
    await new Promise((resolve) => setTimeout(resolve, 1000))
  }
  await Promise.race([new Promise((resolve) => setTimeout(resolve, POLL_MS)), ...running])
}
await Promise.all(running)
await threads.close()
await closeDatabase()
