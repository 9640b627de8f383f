'use client'
import type { StationView } from '../station-view'
import { joinCommands } from './commands'
import { useDesk } from '@/lib/store'
import { JoinPanel } from './join-panel'
import { JoinStage } from './join-stage'

export const joinView: StationView = {
  Panel: JoinPanel,
  Stage: JoinStage,
  keys: [
    ['Click', 'Pick a spot; then the same spot on the other take'],
    ['Backspace', 'Take the last pick back'],
  ],
  onKey: (key) => {
    const { pairs, picking, set } = useDesk.getState()
    const last = pairs.at(-1)
    if (key === 'Backspace' && last)
      set({ pairs: last.a && last.b ? [...pairs.slice(0, -1), { a: last.a, b: null }] : pairs.slice(0, -1) })
    else if (key === 'Escape' && picking) set({ picking: false })
    else return false
    return true
  },
  commands: joinCommands,
}
