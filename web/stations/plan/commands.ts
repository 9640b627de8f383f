import type { StationCommand } from '../station-view'

export const planCommands: readonly StationCommand[] = [
  { name: 'Choose the device', terms: 'scanner camera profile', opens: 'Device' },
  { name: 'Shape the stand-in', terms: 'proxy model dummy earlier scan', opens: 'Stand-in' },
  { name: 'Mark areas', terms: 'regions paint must hold priority', opens: 'Areas' },
  { name: 'Lay out dots', terms: 'markers targets coded fiducial print', opens: 'Dots' },
  {
    name: 'Takes against each other',
    terms: 'overlap coverage pairs symmetry slippage',
    opens: 'Takes against each other',
  },
  { name: 'Exposures and coat', terms: 'hdr brightness spray shiny dark', opens: 'Exposures and coat' },
  { name: 'Photos for colour', terms: 'texture photogrammetry camera', opens: 'Photos for colour' },
  { name: 'Data, tolerance, weight', terms: 'memory file size budget mass', opens: 'Data, tolerance, weight' },
]
