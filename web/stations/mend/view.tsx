'use client'
import { OneTake } from '@/components/one-take'
import { attempt, useDesk } from '@/lib/store'
import type { StationView } from '../station-view'
import { mendCommands } from './commands'
import { FRESH_MEND } from './desk'
import { strokeBack } from './hands'
import { MendPanel } from './mend-panel'
import { MendTools } from './mend-tools'

export const mendView: StationView = {
  Panel: MendPanel,
  Stage: OneTake,
  showsSkin: true,
  Engine: MendTools,
  keys: [
    ['Click, drag', 'Point at what is to be cut out, or brush, with the tool that is held'],
    ['Backspace', 'Take the last stroke of a brush back'],
  ],
  onKey: (key) => {
    const { partTool, spots, drawn, meshPlane, areaBrush, handBrush, handStrokes, set } = useDesk.getState()
    if (key === 'Backspace' && handStrokes.length > 0) {
      void attempt(strokeBack)
      return true
    }
    if (key !== 'Escape') return false
    // The tool first, then what was pointed at with it.
    if (handBrush) set({ handBrush: null })
    else if (partTool) set({ partTool: null })
    else if (spots.length > 0 || drawn || meshPlane || areaBrush) set(FRESH_MEND)
    else return false
    return true
  },
  commands: mendCommands,
}
