import type { JobRecord } from '@holosoma/engine'
import { api } from '@/lib/api'
import { attempt } from '@/lib/store'
import { confirmed } from './ui'

/** Work that has run this long is asked about before it is thrown away. */
const ASKED_AFTER_SECONDS = 3

/** Ends jobs that wait or run: all that were asked for together. What has run for a while is asked about first. */
export async function cancelJobs(jobs: readonly JobRecord[]): Promise<void> {
  if (jobs.length === 0) return
  const long = jobs.some((j) => j.startedAt && Date.now() - Date.parse(j.startedAt) > ASKED_AFTER_SECONDS * 1000)
  const sure =
    !long ||
    (await confirmed({
      title: jobs.length === 1 ? `Cancel “${jobs[0].title}”?` : `Cancel ${jobs.length} jobs?`,
      text: 'What has been computed so far is thrown away; the piece stays as it was before.',
      yes: 'Cancel it',
      no: 'Go on computing',
    }))
  if (sure) await attempt(() => Promise.all(jobs.map((j) => api.cancelJob(j.id))))
}
