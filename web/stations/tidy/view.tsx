'use client'
import type { StationView } from '../station-view'
import { tidyCommands } from './commands'
import { useDesk } from '@/lib/store'
import { TidyPanel } from './tidy-panel'
import { TidyStage } from './tidy-stage'

export const tidyView: StationView = {
  Panel: TidyPanel,
  Stage: TidyStage,
  keys: [
    ['Drag', 'Draw with the tool that is held; the wheel still zooms'],
    ['Tab, Enter', 'Choose below a height or by sureness without the pointer'],
  ],
  onKey: (key) => {
    const { tool, planePoints, plane, previews, set } = useDesk.getState()
    if (key !== 'Escape') return false
    if (tool !== null || planePoints !== null) set({ tool: null, planePoints: null })
    else if (plane !== null) set({ plane: null, previews: [] })
    else if (previews.length > 0) set({ previews: [] })
    else return false
    return true
  },
  commands: tidyCommands,
}
