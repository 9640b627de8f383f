import type { StationCommand } from '../station-view'
import { attempt, submit } from '@/lib/store'

export const takeCommands: readonly StationCommand[] = [
  {
    name: 'Look what is missing',
    terms: 'coverage gaps holes completeness unseen',
    run: () => void attempt(() => submit({ operation: 'take.complete' })),
  },
  { name: 'Frames of the take', terms: 'views shots sweep drift match register', opens: 'Frames of' },
  { name: 'Photos', terms: 'pictures texture camera', opens: 'Photos' },
  { name: 'The session’s log', terms: 'calibration warm up operator environment', opens: 'Session' },
]
