'use client'
import type { StationView } from '../station-view'
import { skinCommands } from './commands'
import { SkinPanel } from './skin-panel'
import { BeforeSkin } from './before-skin'

export const skinView: StationView = { Panel: SkinPanel, Stage: BeforeSkin, showsSkin: true, commands: skinCommands }
