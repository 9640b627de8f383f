import type { StationCommand } from '../station-view'

export const briefCommands: readonly StationCommand[] = [
  { name: 'What will be handed over', terms: 'deliverables formats export output', opens: 'What will be handed over' },
  {
    name: 'What later stations will be held to',
    terms: 'requirements tolerance resolution spacing',
    opens: 'What later stations will be held to',
  },
  {
    name: 'Where the trade is of two minds',
    terms: 'schools choices workflow',
    run: () => document.querySelector('[aria-label="Where the trade is of two minds"]')?.scrollIntoView(),
  },
]
