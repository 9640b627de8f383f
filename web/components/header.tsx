'use client'
import Link from 'next/link'
import { CircleHelp, LoaderCircle, Pause, Play, Redo2, Square, Undo2, X } from 'lucide-react'
import { useEffect, useState } from 'react'
import type { JobRecord } from '@holosoma/engine'
import { api } from '@/lib/api'
import { clock } from '@/lib/format'
import { attempt, useDesk } from '@/lib/store'
import { cancelJobs } from './cancel-jobs'
import { IconButton, ProgressBar } from './ui'

/** Top bar of a piece: where we are, what is computing, back and forth, commands, keys. */
export function Header({ onPalette, onKeys }: { onPalette: () => void; onKeys: () => void }) {
  const state = useDesk((d) => d.state)
  const open = state.jobs.filter((j) => j.state === 'running' || j.state === 'queued')
  const busy = open.find((j) => j.state === 'running') ?? open[0]
  return (
    <header className="flex h-11 items-center gap-2 border-b border-hair px-4">
      <Link href="/" className="font-caption text-[17px] font-semibold text-verdigris">
        Holosoma
      </Link>
      <span className="text-hair">/</span>
      <Link href="/" className="text-graphite hover:text-ink">
        Shelf
      </Link>
      <span className="text-hair">/</span>
      <h1 className="min-w-0 truncate font-semibold" title={state.piece.name}>
        {state.piece.name} <span className="figure font-normal text-graphite">{state.piece.number}</span>
      </h1>
      {state.piece.sample && (
        <span className="shrink-0 rounded border border-hair px-1.5 text-[12px] whitespace-nowrap text-graphite">
          sample data
        </span>
      )}
      <span className="flex-1" />
      {busy && <Busy key={busy.id} job={busy} all={open} />}
      <IconButton
        name="Undo"
        hint="Ctrl Z"
        disabled={!state.canUndo}
        onClick={() => attempt(() => api.history(state.piece.id, 'undo'))}
      >
        <Undo2 size={17} />
      </IconButton>
      <IconButton
        name="Redo"
        hint="Ctrl Shift Z"
        disabled={!state.canRedo}
        onClick={() => attempt(() => api.history(state.piece.id, 'redo'))}
      >
        <Redo2 size={17} />
      </IconButton>
      <button
        type="button"
        onClick={onPalette}
        className="h-8 shrink-0 rounded-md border border-hair bg-card px-2.5 whitespace-nowrap text-graphite hover:border-graphite"
      >
        Find a command <kbd className="figure ml-1.5 rounded border border-hair px-1 text-[12px]">Ctrl K</kbd>
      </button>
      <IconButton name="Keys and settings" hint="?" onClick={onKeys}>
        <CircleHelp size={18} />
      </IconButton>
    </header>
  )
}

/** A take can wait and end early; everything else is done or not. */
const canHold = (job: JobRecord): boolean =>
  job.request.kind === 'operation' && job.request.operation === 'take.simulate'

function Busy({ job, all }: { job: JobRecord; all: readonly JobRecord[] }) {
  const [now, setNow] = useState(() => Date.now())
  useEffect(() => {
    const timer = setInterval(() => setNow(Date.now()), 500)
    return () => clearInterval(timer)
  }, [])
  const elapsed = job.startedAt ? (now - Date.parse(job.startedAt)) / 1000 : 0
  // Early progress says little; until then the operation's own estimate does.
  const left =
    job.progress > 0.25
      ? (elapsed / job.progress) * (1 - job.progress)
      : job.expectedSeconds !== null
        ? Math.max(1, job.expectedSeconds - elapsed)
        : null
  return (
    <div className="mr-1 flex items-center gap-2 text-[13px] text-graphite" role="status" data-testid="busy">
      <LoaderCircle size={16} className="animate-spin text-verdigris" aria-hidden="true" />
      <span className="max-w-64 truncate">
        {job.state === 'queued' ? 'Waiting: ' : job.hold === 'pause' ? 'Paused: ' : ''}
        {job.note || job.title}
      </span>
      <ProgressBar label={job.title} share={job.progress} className="w-20" />
      <span className="figure w-32 whitespace-nowrap">
        {clock(elapsed)}
        {left !== null && ` · ${clock(left)} left`}
      </span>
      {canHold(job) && (
        <>
          {job.hold === 'pause' ? (
            <IconButton name="Go on with the take" onClick={() => attempt(() => api.holdJob(job.id, 'none'))}>
              <Play size={16} />
            </IconButton>
          ) : (
            <IconButton name="Pause the take" onClick={() => attempt(() => api.holdJob(job.id, 'pause'))}>
              <Pause size={16} />
            </IconButton>
          )}
          <IconButton
            name="End the take with the frames it has"
            onClick={() => attempt(() => api.holdJob(job.id, 'stop'))}
          >
            <Square size={15} />
          </IconButton>
        </>
      )}
      <IconButton
        name={all.length > 1 ? `Cancel all ${all.length} jobs` : 'Cancel'}
        hint="Esc"
        onClick={() => void cancelJobs(all)}
      >
        <X size={16} />
      </IconButton>
    </div>
  )
}
