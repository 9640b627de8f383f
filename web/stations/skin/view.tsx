'use client'
import type { StationView } from '../station-view'
import { SkinPanel } from './skin-panel'
import { BeforeSkin } from './before-skin'

export const skinView: StationView = { Panel: SkinPanel, Stage: BeforeSkin, showsSkin: true }
