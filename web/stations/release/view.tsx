'use client'
import type { StationView } from '../station-view'
import { releaseCommands } from './commands'
import { OneTake } from '@/components/one-take'
import { ReleasePanel } from './release-panel'

export const releaseView: StationView = {
  Panel: ReleasePanel,
  Stage: OneTake,
  showsSkin: true,
  commands: releaseCommands,
}
