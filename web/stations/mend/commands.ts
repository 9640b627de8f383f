import type { StationCommand } from '../station-view'
import { attempt, submit } from '@/lib/store'

export const mendCommands: readonly StationCommand[] = [
  {
    name: 'Check the skin’s health',
    terms: 'inspect mesh manifold self-intersections watertight errors diagnose genus handle tunnel topology',
    run: () => void attempt(() => submit({ operation: 'mend.health' })),
  },
  {
    name: 'Cure what is safe',
    terms: 'repair heal fix manifold self-intersections duplicate flipped normals degenerate clean',
    run: () => void attempt(() => submit({ operation: 'mend.heal' })),
  },
  { name: 'Close holes', terms: 'fill hole gap patch watertight repair', opens: 'Holes up to a rim' },
  {
    name: 'A part of it: cut out, lay flat, smooth',
    terms: 'delete remove faces erase defect spike lasso brush select spot',
    opens: 'A part of it',
  },
  {
    name: 'Brushes',
    terms: 'sculpt smooth fill flatten pull retouch hand wax knife',
    opens: 'Brushes',
  },
  {
    name: 'Splice with another result',
    terms: 'stitch merge blend combine seam overlap',
    opens: 'Cut along a plane',
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
    name: 'Noise of the whole',
    terms: 'smooth denoise filter bilateral relax flatten fair',
    opens: 'Noise of the whole',
  },
  {
    name: 'Other triangles',
    terms: 'remesh isotropic even uniform subdivide refine edge length density',
    opens: 'Other triangles',
  },
  {
    name: 'Fewer triangles',
    terms: 'simplify decimate reduce polygons retopology remesh',
    opens: 'Fewer triangles',
  },
]
