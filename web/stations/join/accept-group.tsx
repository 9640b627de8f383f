'use client'
import { useState } from 'react'
import { Plain } from '@/components/ui'
import { attempt, submit, useBusy } from '@/lib/store'

/** For a person who knows better: the join is kept, and why is written into the ledger. */
export function AcceptGroup() {
  const [reason, setReason] = useState('')
  const busy = useBusy()
  return (
    <form
      className="grid gap-2"
      onSubmit={(e) => {
        e.preventDefault()
        void attempt(() => submit({ operation: 'join.accept', params: { reason } }))
      }}
    >
      <label className="grid gap-1 text-[13px]">
        Why it may be trusted all the same
        <input
          value={reason}
          onChange={(e) => setReason(e.target.value)}
          maxLength={400}
          placeholder="The glaze run meets across the seam"
          className="h-8 rounded-md border border-hair bg-field px-2"
        />
      </label>
      <Plain type="submit" disabled={busy || reason.trim().length < 3}>
        Accept against advice
      </Plain>
    </form>
  )
}
