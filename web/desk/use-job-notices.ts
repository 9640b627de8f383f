'use client'
import { useEffect, useRef } from 'react'
import type { JobRecord } from '@holosoma/engine'
import { clock } from '@/lib/format'
import { notify } from '@/components/ui'
import { STATION_NAMES, type Station } from '@/lib/station-names'
import { goToStation, useDesk } from '@/lib/store'
import { judge } from '@/stations/road'

/** Stations the whole road goes by. */
const WALKED: readonly Station[] = ['tidy', 'join', 'skin', 'mend']

/** Shorter work is seen on the stage before anyone looked away. */
const LONG_SECONDS = 5

/** Tells when long work has ended, and what was cancelled; what failed is told on the card, where it stays. */
export function useJobNotices(pieceId: number): void {
  const jobs = useDesk((d) => (d.state as { jobs: readonly JobRecord[] } | null)?.jobs)
  const seen = useRef<{ piece: number; states: Map<number, JobRecord['state']> } | null>(null)
  useEffect(() => {
    if (!jobs) return
    const before = seen.current?.piece === pieceId ? seen.current.states : null
    seen.current = { piece: pieceId, states: new Map(jobs.map((j) => [j.id, j.state])) }
    if (before) for (const job of jobs) if (before.get(job.id) !== job.state) tell(job)
  }, [jobs, pieceId])
}

function tell(job: JobRecord): void {
  if (job.state === 'cancelled') notify(`Cancelled: ${job.title}. Nothing was changed.`)
  if (job.state === 'done' && job.request.kind === 'road') openWhereItStopped()
  if (job.state !== 'done' || !job.startedAt || !job.endedAt) return
  const seconds = (Date.parse(job.endedAt) - Date.parse(job.startedAt)) / 1000
  if (seconds >= LONG_SECONDS) notify(`Done: ${job.title}, in ${clock(seconds)}.`)
}

/** After the whole road: the first station that is not sound, with its finding; all sound, the last one. */
function openWhereItStopped(): void {
  const { state } = useDesk.getState()
  const open = WALKED.find((s) => (judge(state, s).verdict ?? 'sound') !== 'sound')
  goToStation(open ?? 'release')
  notify(
    open ? `Stopped at ${STATION_NAMES[open]}: look at what it found.` : 'All the way, and nothing stood against it.',
  )
}
