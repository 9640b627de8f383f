'use client'
import type { StationView } from '../station-view'
import { briefCommands } from './commands'
import { BriefForm } from './brief-form'
import { BriefPanel } from './brief-panel'

export const briefView: StationView = { Panel: BriefPanel, Stage: BriefForm, commands: briefCommands }
