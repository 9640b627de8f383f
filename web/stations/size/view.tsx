'use client'
import type { StationView } from '../station-view'
import { sizeCommands } from './commands'
import { OneTake } from '@/components/one-take'
import { useDesk } from '@/lib/store'
import { SizePanel } from './size-panel'
import { SizeTools } from './size-tools'

export const sizeView: StationView = {
  Panel: SizePanel,
  Stage: OneTake,
  showsSkin: true,
  Engine: SizeTools,
  keys: [['Click', 'Pick a point after “Pick two points”']],
  onKey: (key) => {
    const { sizing, set } = useDesk.getState()
    if (key !== 'Escape' || !sizing) return false
    set({ sizing: false, sizeFor: null, sizePoints: [] })
    return true
  },
  commands: sizeCommands,
}
