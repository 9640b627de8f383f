'use client'
import { OneTake } from '@/components/one-take'
import { useDesk } from '@/lib/store'
import { JoinedStage } from '@/stations/join/joined-stage'

/** What the skin will be made of: the joined takes, or the only one. */
export function BeforeSkin() {
  const state = useDesk((d) => d.state)
  return state.join ? <JoinedStage takes={state.takes.filter((t) => state.goesIn.includes(t.id))} /> : <OneTake />
}
