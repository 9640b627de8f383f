import type { StationCommand } from '../station-view'
import { useDesk } from '@/lib/store'

export const sizeCommands: readonly StationCommand[] = [
  {
    name: 'Pick two points to measure',
    terms: 'scale distance length calliper caliper dimension',
    run: () => useDesk.getState().set({ sizing: true, sizeFor: null, sizePoints: [] }),
  },
  { name: 'A wrong unit', terms: 'inches metres scale convert', opens: 'A wrong unit' },
]
