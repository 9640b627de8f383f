import type { StationCommand } from '../station-view'

export const skinCommands: readonly StationCommand[] = [
  {
    name: 'Make the skin',
    terms: 'mesh fuse fusion merge surface reconstruct triangulate wrap watertight',
  },
  { name: 'What the marks mean', terms: 'evidence legend measured invented', opens: 'What the marks mean' },
]
