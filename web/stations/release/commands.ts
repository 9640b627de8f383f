import type { StationCommand } from '../station-view'

export const releaseCommands: readonly StationCommand[] = [
  {
    name: 'Release the files',
    terms: 'export save download stl ply obj glb print deliver',
  },
]
