import type { StationCommand } from '../station-view'
import { useDesk } from '@/lib/store'
import type { SelectTool } from './desk'

const hold = (tool: SelectTool) => () => useDesk.getState().set({ tool })

export const tidyCommands: readonly StationCommand[] = [
  { name: 'Tidy by itself', terms: 'clean outliers noise stray table segment background remove', opens: 'By itself' },
  { name: 'Choose with the lasso', terms: 'select freehand crop delete', run: hold('lasso') },
  { name: 'Choose with a polygon', terms: 'select crop delete', run: hold('polygon') },
  { name: 'Choose with a frame', terms: 'select rectangle box crop delete', run: hold('box') },
  { name: 'Choose with the brush', terms: 'select paint delete', run: hold('brush') },
  { name: 'Choose a flat patch', terms: 'select plane table floor', run: hold('plane') },
  { name: 'Choose what hangs together', terms: 'select connected component island', run: hold('part') },
  { name: 'Choose by colour', terms: 'select hue', run: hold('colour') },
  { name: 'Cut plane', terms: 'clip crop table ground base', opens: 'Cut plane' },
  {
    name: 'Noise and thinning',
    terms: 'smooth denoise filter decimate subsample downsample simplify reduce',
    opens: 'Noise and thinning',
  },
  { name: 'Do the same to other takes', terms: 'recipe batch repeat', opens: 'Do the same' },
  { name: 'Rename, copy or colour this take', terms: 'duplicate rename name pigment', opens: 'This take' },
]
