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
    name: 'Cut a part out',
    terms: 'delete remove faces erase defect spike lasso brush select spot',
    opens: 'Cut a part out',
  },
  {
    name: 'Cut along a plane',
    terms: 'trim clip slice section base flatten bottom',
    opens: 'Cut along a plane',
  },
  { name: 'Areas of the brief', terms: 'region zone paint brush mask keep protect', opens: 'Areas of the brief' },
  {
    name: 'As on another piece',
    terms: 'recipe batch macro repeat copy series apply',
    opens: 'As on another piece',
  },
  {
    name: 'Fewer triangles',
    terms: 'simplify decimate reduce polygons retopology remesh',
    opens: 'Fewer triangles',
  },
]
