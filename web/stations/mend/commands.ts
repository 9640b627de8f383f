import type { StationCommand } from '../station-view'
import { attempt, submit } from '@/lib/store'

export const mendCommands: readonly StationCommand[] = [
  {
    name: 'Check the skin’s health',
    terms: 'inspect mesh manifold self-intersections watertight errors diagnose',
    run: () => void attempt(() => submit({ operation: 'mend.health' })),
  },
  { name: 'Close holes', terms: 'fill hole gap patch watertight repair', opens: 'Holes up to a rim' },
  {
    name: 'Fewer triangles',
    terms: 'simplify decimate reduce polygons retopology remesh',
    opens: 'Fewer triangles',
  },
]
