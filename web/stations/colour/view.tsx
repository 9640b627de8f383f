'use client'
import { OneTake } from '@/components/one-take'
import type { StationView } from '../station-view'
import { ColourPanel } from './colour-panel'
import { colourCommands } from './commands'

export const colourView: StationView = {
  Panel: ColourPanel,
  Stage: OneTake,
  showsSkin: true,
  commands: colourCommands,
}
