'use client'
import type { StationView } from '../station-view'
import { planCommands } from './commands'
import { usePlan, usePlanEngine } from '@/lib/plan-desk'
import { PlanPanel, PlanSheet } from './plan-panel'
import { PlanStage } from './plan-stage'

/** Works the plan out while its station is open. */
function PlanEngine() {
  usePlanEngine()
  return null
}

export const planView: StationView = {
  Panel: PlanPanel,
  Stage: PlanStage,
  Sheet: PlanSheet,
  Engine: PlanEngine,
  keys: [
    ['Click', 'Paint, while an area is being painted'],
    ['Arrows', 'Move a slider that has the focus'],
  ],
  onKey: (key) => {
    if (key !== 'Escape' || usePlan.getState().painting === null) return false
    usePlan.setState({ painting: null })
    return true
  },
  commands: planCommands,
}
