'use client'
import { OneTake } from '@/components/one-take'
import { useDesk } from '@/lib/store'
import { JoinedStage } from './joined-stage'
import { PickStages } from './pick-stages'

/** Two takes to pick on, all as they are joined, or the only one. */
export function JoinStage() {
  const state = useDesk((d) => d.state)
  const picking = useDesk((d) => d.picking)
  const takes = state.takes.filter((t) => t.shape)
  if (takes.length >= 2 && (picking || !state.join)) return <PickStages takes={takes} />
  return state.join ? <JoinedStage takes={takes} /> : <OneTake />
}
