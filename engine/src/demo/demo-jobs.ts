import { computeJob } from '../jobs/compute'
import { claimJob, completeJob, submitJob, type JobRequest } from '../jobs/jobs'
import type { Track } from '../ledger/ledger'
import type { Database } from '../store/database'

/** One operation on a piece of the demo, by the same way as the worker would go. */
export async function runDemoJob(
  db: Database,
  pieceId: number,
  track: Track,
  title: string,
  asked: {
    readonly operation: string
    readonly params?: Record<string, unknown>
    readonly inputs: Record<string, string | string[]>
    readonly output?: string
  },
): Promise<void> {
  const request: JobRequest = { kind: 'operation', params: {}, ...asked }
  const id = await submitJob(db, pieceId, track, title, request)
  const job = await claimJob(db, 'demo')
  if (job?.id !== id) throw new Error('Another worker took the demo’s job.')
  const started = performance.now()
  const step = await computeJob(db, job, { progress: () => undefined, cancelled: () => false })
  await completeJob(db, job, { ...step, track, durationMs: performance.now() - started })
}
