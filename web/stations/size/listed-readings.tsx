'use client'
import { Check, Crosshair } from 'lucide-react'
import type { CalliperReading } from '@holosoma/core/brief'
import { Group } from '@/components/ui'
import { useDesk } from '@/lib/store'

/** The calliper list of the brief: each distance is picked on the piece, and its reading is there already. */
export function ListedReadings({ listed }: { listed: readonly CalliperReading[] }) {
  const readings = useDesk((d) => d.readings)
  const sizing = useDesk((d) => d.sizing)
  const sizeFor = useDesk((d) => d.sizeFor)
  const points = useDesk((d) => d.sizePoints)
  const set = useDesk((d) => d.set)
  if (listed.length === 0) return null
  return (
    <Group title="Calliper list of the brief" open>
      <ul className="grid gap-1" aria-label="Calliper list of the brief">
        {listed.map((c, i) => {
          const taken = readings.some((r) => r.name === c.name)
          const picking = sizing && sizeFor === c.name
          return (
            <li key={`${c.name}${i}`}>
              <button
                type="button"
                aria-pressed={picking}
                onClick={() => set({ sizing: !picking, sizeFor: picking ? null : c.name, sizePoints: [] })}
                className={`flex min-h-9 w-full items-center gap-2 rounded-md border px-2.5 text-left text-[13px] ${picking ? 'border-woad text-woad' : 'border-hair hover:border-graphite'}`}
              >
                {taken ? <Check size={15} aria-hidden="true" /> : <Crosshair size={15} aria-hidden="true" />}
                <span className="min-w-0 flex-1">
                  <b className="font-semibold">{c.name}</b>{' '}
                  <span className="text-graphite">
                    {[c.from, c.to].filter(Boolean).join(' to ')}
                    {picking && ` · click point ${points.length + 1}`}
                  </span>
                </span>
                <span className="figure text-[12.5px]">
                  {c.readingMm === null ? 'not read' : `${c.readingMm.toFixed(2)} mm`}
                </span>
                <span className="sr-only">{taken ? 'picked' : 'not picked yet'}</span>
              </button>
            </li>
          )
        })}
      </ul>
    </Group>
  )
}
