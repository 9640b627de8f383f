import type { StationCommand } from '../station-view'

export const colourCommands: readonly StationCommand[] = [
  { name: 'Colour the skin from photos', terms: 'texture bake project photo uv unwrap albedo' },
]
