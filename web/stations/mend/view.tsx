'use client'
import { OneTake } from '@/components/one-take'
import { useDesk } from '@/lib/store'
import type { StationView } from '../station-view'
import { mendCommands } from './commands'
import { FRESH_MEND } from './desk'
import { MendPanel } from './mend-panel'
import { MendTools } from './mend-tools'

export const mendView: StationView = {
  Panel: MendPanel,
  Stage: OneTake,
  showsSkin: true,
  Engine: MendTools,
  keys: [['Click', 'Say what is to be cut out, after “Say where”']],
  onKey: (key) => {
    const { spotting, spots, meshPlane, areaBrush, set } = useDesk.getState()
    if (key !== 'Escape' || (!spotting && spots.length === 0 && !meshPlane && !areaBrush)) return false
    set(FRESH_MEND)
    return true
  },
  commands: mendCommands,
}
