'use client'
import { Scissors } from 'lucide-react'
import { useState } from 'react'
import { Choice, Group, NumberField, Plain, positiveNumber, Tick } from '@/components/ui'
import { attempt, submit, useBusy, useDesk } from '@/lib/store'
import { planeAt } from './planes'
import { SplicePart } from './splice-part'

const AXES = {
  below: ['what lies below', [0, 0, 1]],
  above: ['what lies above', [0, 0, -1]],
  left: ['what lies to the left', [1, 0, 0]],
  right: ['what lies to the right', [-1, 0, 0]],
  front: ['what lies in front', [0, 1, 0]],
  behind: ['what lies behind', [0, -1, 0]],
} as const
type Axis = keyof typeof AXES

/** Cuts the skin along a plane, flat: a base to stand on. */
export function PlaneCutGroup() {
  const bounds = useDesk((d) => d.state.mesh?.shape.bounds)
  const plane = useDesk((d) => d.meshPlane)
  const set = useDesk((d) => d.set)
  const [axis, setAxis] = useState<Axis>('below')
  const [depth, setDepth] = useState('1')
  const [cap, setCap] = useState(true)
  const [both, setBoth] = useState(false)
  const busy = useBusy()
  if (!bounds) return null
  const show = (of: Axis, text: string): void => {
    setAxis(of)
    setDepth(text)
    const depthMm = positiveNumber(text)
    if (depthMm !== null) set({ meshPlane: planeAt(bounds, AXES[of][1], depthMm) })
  }
  return (
    <Group title="Cut along a plane">
      <div className="flex items-center justify-between gap-2 text-[13px]">
        <span>Cut off</span>
        <Choice
          label="Cut off"
          value={axis}
          options={(Object.keys(AXES) as Axis[]).map((a) => [a, AXES[a][0]] as const)}
          onChange={(a) => show(a, depth)}
        />
      </div>
      <NumberField label="How deep" unit="mm" value={depth} onChange={(e) => show(axis, e.target.value)} />
      <Tick checked={cap} onChange={setCap}>
        Close the cut flat
      </Tick>
      <Tick checked={both} onChange={setBoth}>
        Keep the other side, too, as a result of its own
      </Tick>
      <div className="grid grid-cols-2 gap-2">
        <Plain onClick={() => (plane ? set({ meshPlane: null }) : show(axis, depth))}>
          {plane ? 'Take the plane away' : 'Show the plane'}
        </Plain>
        <Plain
          disabled={busy || !plane}
          className="flex items-center justify-center gap-1.5"
          onClick={() =>
            attempt(async () => {
              await submit({
                operation: 'mend.cutPlane',
                params: { normal: [...plane!.normal], offsetMm: plane!.offsetMm, cap },
                ...(both && { beside: true }),
              })
              set({ meshPlane: null })
            })
          }
        >
          <Scissors size={14} aria-hidden="true" /> Cut here
        </Plain>
      </div>
      <SplicePart />
      <p className="text-[13px] text-graphite">
        Move and tilt the plane by its handles on the stage. A flat cut was never measured, and counts as invented.
      </p>
    </Group>
  )
}
