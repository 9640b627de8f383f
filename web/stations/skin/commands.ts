import type { StationCommand } from '../station-view'

export const skinCommands: readonly StationCommand[] = [
  {
    name: 'Make the skin',
    terms: 'mesh fuse fusion merge surface reconstruct triangulate wrap watertight',
  },
  {
    name: 'Edges of made things',
    terms: 'crease feature sharp corner chamfer edge detect',
    opens: 'Edges of made things',
  },
  { name: 'What the marks mean', terms: 'evidence legend measured invented', opens: 'What the marks mean' },
]
