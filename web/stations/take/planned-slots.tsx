'use client'
import { Check, FileInput } from 'lucide-react'
import { useRef, useState } from 'react'
import { READ_EXTENSIONS } from '@holosoma/core/formats'
import { PLAIN_PRESET } from '@holosoma/core/measure'
import { POSE_WORDS, type PlannedTake } from '@holosoma/core/plan'
import { Plain } from '@/components/ui'
import { api } from '@/lib/api'
import { benchDevice } from '@/lib/bench'
import { attempt, useDesk } from '@/lib/store'

/** A slot for each planned take of a piece of one's own: what was taken at a real bench comes into it as files. */
export function PlannedSlots() {
  const state = useDesk((d) => d.state)
  const preset = useDesk((d) => d.preset)
  const input = useRef<HTMLInputElement>(null)
  const [slot, setSlot] = useState<PlannedTake | null>(null)
  const takes = state.plan?.content.takes ?? []
  if (takes.length === 0) return null
  const fill = (files: FileList): Promise<void> =>
    attempt(async () => {
      const { refused } = await api.importFile(
        state.piece.id,
        files[0],
        preset ?? benchDevice(state).files ?? PLAIN_PRESET,
        slot!.name,
      )
      if (refused.length > 0) throw new Error(refused.join(' '))
    })
  return (
    <section aria-label="Planned takes" className="rounded-md border border-hair p-2.5">
      <h3 className="mb-1 text-[13px] font-medium">Planned takes</h3>
      <ul className="grid gap-1">
        {takes.map((t) => {
          const here = state.takes.find((s) => s.name === t.name)
          return (
            <li
              key={t.name}
              data-testid="slot"
              className="flex min-h-9 items-center gap-2 border-t border-ground text-[13px] first:border-t-0"
            >
              <span className="min-w-0 flex-1 truncate">
                <b className="font-medium">{t.name}</b>{' '}
                {POSE_WORDS[t.pose] !== t.name && <span className="text-graphite">{POSE_WORDS[t.pose]}</span>}
              </span>
              {here?.shape ? (
                <span className="figure flex items-center gap-1 text-graphite">
                  <Check size={15} aria-hidden="true" /> {here.shape.points.toLocaleString('en')} points
                </span>
              ) : (
                <Plain
                  className="flex items-center gap-1.5"
                  aria-label={`Choose the file of “${t.name}”`}
                  onClick={() => {
                    setSlot(t)
                    input.current?.click()
                  }}
                >
                  <FileInput size={14} aria-hidden="true" /> Its file…
                </Plain>
              )}
            </li>
          )
        })}
      </ul>
      <input
        ref={input}
        type="file"
        hidden
        accept={READ_EXTENSIONS.map((e) => `.${e}`).join()}
        data-testid="slot-file"
        onChange={(e) => {
          if (e.target.files?.length) void fill(e.target.files)
          e.target.value = ''
        }}
      />
    </section>
  )
}
