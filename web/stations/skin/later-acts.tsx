'use client'
import { useState } from 'react'
import { Plain, Tick } from '@/components/ui'
import { api } from '@/lib/api'
import { attempt, useBusy, useDesk } from '@/lib/store'

/** What was done on the skin before this one: done again as it is ticked, in order. */
export function LaterActs() {
  const mesh = useDesk((d) => d.state.mesh)
  const [leave, setLeave] = useState<readonly number[]>([])
  const busy = useBusy()
  if (!mesh?.later) return null
  const { acts } = mesh.later
  const wanted = acts.filter((a) => !leave.includes(a.step)).length
  return (
    <section aria-label="Later acts" className="my-3 grid gap-1.5 rounded-md border border-hair p-2.5">
      <p className="text-[13.5px] font-medium">Done on the skin before this one</p>
      <ol className="grid">
        {acts.map(({ step, description }) => (
          <li key={step}>
            <Tick
              checked={!leave.includes(step)}
              onChange={(on) => setLeave(on ? leave.filter((s) => s !== step) : [...leave, step])}
            >
              {description}
            </Tick>
          </li>
        ))}
      </ol>
      <Plain disabled={busy || wanted === 0} onClick={() => attempt(() => api.doAgain(mesh.id, leave))}>
        Do {wanted === 1 ? 'this' : `these ${wanted}`} again
      </Plain>
      <p className="text-[12.5px] text-graphite">
        Each is looked for where it was. What does not fit any more changes nothing, and is told.
      </p>
    </section>
  )
}
