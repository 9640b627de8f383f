/**
 * Skins of the demo's pieces laid true: onto how many planes and cylinders, of what radius, in how long; and how long it
 * takes to look for thin spots.
 *   npx tsx benchmarks/noise.ts [piece …]
 */
import { DEMO_PIECES, quietContext, ROAD_SPACING_MM } from '@holosoma/core'
import { denoise } from '@holosoma/core/denoise'
import { makeSkin } from '../core/src/fuse/skin'
import { thinSpots } from '../core/src/mesh/thin-spots'
import { weldVertices } from '../core/src/mesh/weld'
import { joinedByTruth } from './lib'

const names = process.argv.length > 2 ? process.argv.slice(2) : ['bobbin', 'cleat', 'lamp', 'gull', 'jug']
const timed = <T>(run: () => T): [T, string] => {
  const began = performance.now()
  const out = run()
  return [out, `${((performance.now() - began) / 1000).toFixed(1)} s`]
}
for (const name of names) {
  const takes = joinedByTruth(DEMO_PIECES[name], ROAD_SPACING_MM)
  const mesh = weldVertices(makeSkin(takes, { spacingMm: 0.8 }, quietContext()).mesh)
  const [laid, took] = timed(() => denoise(mesh, { capMm: 0.1, edges: 'true' }, quietContext()))
  const [thin, looked] = timed(() => thinSpots(mesh, 1, quietContext()))
  const radii = laid.radiiMm.map((r) => r.toFixed(3)).join(', ')
  process.stdout.write(
    `${name}, ${mesh.indices.length / 3} faces: ${laid.sigmaMm.toFixed(4)} mm of noise, ${laid.leftMm.toFixed(4)} left; ` +
      `${laid.planes} planes, ${laid.cylinders} cylinders${radii && ` of ${radii} mm`}, ` +
      `${(laid.laidShare * 100).toFixed(0)} % laid, ${took}; ${thin.spots.length} thin spots under 1 mm, ${looked}\n`,
  )
}
