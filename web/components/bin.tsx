'use client'
import { Trash2 } from 'lucide-react'
import { api } from '@/lib/api'
import { megabytes } from '@/lib/format'
import { attempt, useDesk } from '@/lib/store'
import { confirmed, Menu, Plain } from './ui'

/** What was put away: taken out again, or removed for good. */
export function Bin() {
  const { takes, results } = useDesk((d) => d.state.bin)
  const count = takes.length + results.length
  if (count === 0) return null
  const remove = (what: 'take' | 'result', { id, name }: { id: number; name: string }): Promise<void> =>
    attempt(async () => {
      const { bytes } = await api.bytesOf(what, id)
      const sure = await confirmed({
        title: `Remove “${name}” for good?`,
        text:
          `It cannot be had back. ${megabytes(bytes)} are kept for it alone and go when the house is next tidied; ` +
          'its steps stay in the ledger, to be read.',
        yes: 'Remove it for good',
        no: 'Leave it in the bin',
      })
      if (sure) await api.removeForGood(what, id)
    })
  return (
    <Menu
      items={[
        ...takes.flatMap((t) => [
          {
            name: `Take “${t.name}” out`,
            run: () => void attempt(() => api.updateTake(t.id, { binned: false })),
          },
          { name: `Remove “${t.name}” for good…`, run: () => void remove('take', t) },
        ]),
        ...results.flatMap((r) => [
          {
            name: `Take “${r.name}” out`,
            run: () => void attempt(() => api.updateResult(r.id, { binned: false })),
          },
          { name: `Remove “${r.name}” for good…`, run: () => void remove('result', r) },
        ]),
      ]}
    >
      <Plain className="flex shrink-0 items-center gap-1.5">
        <Trash2 size={14} aria-hidden="true" /> Bin: {count}
      </Plain>
    </Menu>
  )
}
