'use client'
import type { StationView } from '../station-view'
import { takeCommands } from './commands'
import { TakePanel } from './take-panel'
import { TakeStage } from './take-stage'

export const takeView: StationView = { Panel: TakePanel, Stage: TakeStage, commands: takeCommands }
