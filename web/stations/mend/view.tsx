'use client'
import type { StationView } from '../station-view'
import { mendCommands } from './commands'
import { OneTake } from '@/components/one-take'
import { MendPanel } from './mend-panel'

export const mendView: StationView = { Panel: MendPanel, Stage: OneTake, showsSkin: true, commands: mendCommands }
