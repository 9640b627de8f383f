import type { StationCommand } from '../station-view'
import { useDesk } from '@/lib/store'
import { attempt, submit } from '@/lib/store'

export const joinCommands: readonly StationCommand[] = [
  {
    name: 'Match the takes by shape',
    terms: 'align register registration merge fit icp global automatic',
    run: () => void attempt(() => submit({ operation: 'join.match', params: { byShape: true } })),
  },
  {
    name: 'Pick the same spots on two takes',
    terms: 'align register merge point pairs correspondences landmarks manual',
    run: () => useDesk.getState().set({ picking: true }),
  },
  { name: 'Match by dots, colour or shape', terms: 'align register merge targets markers texture', opens: 'Match by' },
  { name: 'Pairs and order', terms: 'graph links overlap sequence', opens: 'Pairs and order' },
  { name: 'Match all frames again', terms: 'global bundle refine optimise drift loop', opens: 'Frames' },
  { name: 'Distances where they meet', terms: 'deviation residual error histogram rms', opens: 'Distances' },
  { name: 'Move a take by hand', terms: 'translate rotate transform nudge align', opens: 'Move by hand' },
  { name: 'Trust the join all the same', terms: 'accept override approve', opens: 'Trust it' },
]
