'use client'
import { settleConflict } from '@/lib/documents'
import { useDesk } from '@/lib/store'
import { Plain } from './ui'

const NAMES = { brief: 'brief', plan: 'plan' } as const

/** Someone else wrote the same document meanwhile: nothing is written over before this page's writer has chosen. */
export function ConflictNote({ kind }: { kind: keyof typeof NAMES }) {
  const conflict = useDesk((d) => d.conflicts[kind])
  if (!conflict) return null
  return (
    <div
      role="alert"
      data-testid="conflict"
      className="mb-3 rounded-md border border-ochre/60 bg-card px-3 py-2 text-[13.5px]"
    >
      <p>
        The {NAMES[kind]} was changed meanwhile, on another page or by someone else. What you wrote stands here and is
        not saved.
      </p>
      <div className="mt-2 flex gap-2">
        <Plain onClick={() => settleConflict(kind, false)}>Take theirs</Plain>
        <Plain onClick={() => settleConflict(kind, true)}>Write mine over it</Plain>
      </div>
    </div>
  )
}
