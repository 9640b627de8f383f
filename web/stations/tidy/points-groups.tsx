'use client'
import { useState } from 'react'
import type { TidyStep } from '@holosoma/core/plan'
import type { TakeState } from '@holosoma/engine'
import { Choice, Group, NumberField, Plain, positiveNumber } from '@/components/ui'
import { takesUnderHand } from '@/lib/choosing'
import { attempt, submit, useBusy, useDesk } from '@/lib/store'
import { useLooking } from './use-looking'

/** Noise, glancing points, single strays, and thinning. */
export function PointsGroups({ take }: { take: TakeState }) {
  const set = useDesk((d) => d.set)
  const busy = useBusy()
  const { looking, look } = useLooking()
  const [angle, setAngle] = useState('78')
  const [sigma, setSigma] = useState('3')
  const [loss, setLoss] = useState('0.02')
  const [spacing, setSpacing] = useState('')
  const [by, setBy] = useState<'spacing' | 'count'>('spacing')
  const [cap, setCap] = useState('')
  const off = looking !== null || take.locked
  const act = (
    operation: string,
    params: (v: number) => TidyStep['params'],
    v: number | null,
    fits = true,
  ): TidyStep | null => (v !== null && fits ? { operation, params: params(v) } : null)
  const done = (operation: string, params: object): Promise<void> =>
    attempt(async () => {
      await submit(...takesUnderHand().map((t) => ({ operation, params, takeId: t.id })))
      set({ previews: [] })
    })
  const smooth = (): Promise<void> => {
    const v = positiveNumber(cap)
    if (v === null && cap.trim() !== '')
      return attempt(() => Promise.reject(new Error('Give the cap in mm, as a number, or leave it empty.')))
    return done('tidy.smooth', { capMm: v })
  }
  const thin = (): Promise<void> => {
    const v = positiveNumber(spacing)
    if (v === null)
      return attempt(() =>
        Promise.reject(
          new Error(
            by === 'spacing'
              ? 'Give the spacing in mm, as a number.'
              : 'Give how many points are to stay, as a number.',
          ),
        ),
      )
    return done('tidy.thin', by === 'spacing' ? { spacingMm: v } : { count: Math.round(v) })
  }
  const steep = positiveNumber(angle),
    factor = positiveNumber(sigma)
  return (
    <Group title="Noise and thinning">
      <NumberField
        label="No point moves more than"
        unit="mm"
        placeholder="auto"
        value={cap}
        onChange={(e) => setCap(e.target.value)}
      />
      <Plain disabled={busy || take.locked} onClick={smooth}>
        Take the noise off “{take.name}”
      </Plain>
      <NumberField label="Lonelier than usual by" unit="σ" value={sigma} onChange={(e) => setSigma(e.target.value)} />
      <Plain
        disabled={off}
        onClick={() =>
          look(
            act(
              'tidy.removeStrays',
              (v) => ({ gapMm: 1000, minShare: 0, outlierNeighbours: 20, outlierSigma: v }),
              factor,
            ),
            'Give the factor as a number.',
          )
        }
      >
        {looking === 'tidy.removeStrays' ? 'Looking…' : 'Show lonely points'}
      </Plain>
      <NumberField label="Seen flatter than" unit="°" value={angle} onChange={(e) => setAngle(e.target.value)} />
      <Plain
        disabled={off}
        onClick={() =>
          look(
            act('tidy.removeGrazing', (v) => ({ angleDeg: v }), steep, steep !== null && steep >= 30 && steep <= 90),
            'Give the angle as a number from 30 to 90.',
          )
        }
      >
        {looking === 'tidy.removeGrazing' ? 'Looking…' : 'Show the glancing points'}
      </Plain>
      <NumberField label="The surface may lose" unit="mm" value={loss} onChange={(e) => setLoss(e.target.value)} />
      <Plain
        disabled={off}
        onClick={() =>
          look(
            act('tidy.thinCurved', (v) => ({ lossMm: v }), positiveNumber(loss)),
            'Give what may be lost in mm, as a number.',
          )
        }
      >
        {looking === 'tidy.thinCurved' ? 'Looking…' : 'Show what would be thinned'}
      </Plain>
      <div className="flex items-center gap-2 text-[13px]">
        <Choice
          label="Thin evenly to"
          value={by}
          options={
            [
              ['spacing', 'one point every'],
              ['count', 'about so many points'],
            ] as const
          }
          onChange={(v) => setBy(v)}
          className="flex-1"
        />
        <input
          aria-label={by === 'spacing' ? 'Spacing' : 'Number of points'}
          inputMode="decimal"
          value={spacing}
          onChange={(e) => setSpacing(e.target.value)}
          className="figure h-8 w-24 rounded-md border border-hair bg-field px-2 text-right"
        />
        <span className="w-7 text-graphite">{by === 'spacing' ? 'mm' : ''}</span>
      </div>
      <Plain disabled={busy || take.locked} onClick={thin}>
        Thin “{take.name}” evenly
      </Plain>
    </Group>
  )
}
