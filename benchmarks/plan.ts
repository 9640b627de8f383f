/**
 * The plan engine: npx tsx benchmarks/plan.ts
 * Coverage of 20,000 samples from 100 views, a change of one take, and the slower part (look-alikes, next take), for
 * four stand-ins. One core.
 */
import { OIL_LAMP, polygonise, quietContext, simplifyMesh } from '@holosoma/core'
import { EMPTY_BRIEF } from '../core/src/brief/brief'
import { CoverageScene } from '../core/src/plan/coverage'
import { DEVICE_CLASSES } from '../core/src/plan/devices'
import { cutFacets } from '../core/src/plan/facets'
import { firstPlan, type Plan } from '../core/src/plan/plan'
import { Planner } from '../core/src/plan/planner'
import { buildStandIn } from '../core/src/plan/stand-in'
import { NEW_TAKE } from '../core/src/plan/takes'

const RUNS = 9
const median = (values: number[]): number => values.sort((a, b) => a - b)[values.length >> 1]
const timed = (run: (i: number) => void): number =>
  median(
    Array.from({ length: RUNS }, (_, i) => {
      const t = performance.now()
      run(i)
      return performance.now() - t
    }),
  )
const device = DEVICE_CLASSES[1]
const lamp = simplifyMesh(
  polygonise(OIL_LAMP.field, OIL_LAMP.bounds, 2.2, quietContext()),
  { faces: 5000 },
  quietContext(),
)
for (const [name, mesh] of [
  ['box', buildStandIn({ kind: 'box' }, [140, 140, 60])],
  ['slab with relief', buildStandIn({ kind: 'box', bevelMm: 2, reliefMm: 3, reliefBelow: true }, [140, 140, 18])],
  [
    'turned',
    buildStandIn(
      {
        kind: 'lathe',
        profile: [
          [20, 0],
          [9, 48],
          [20, 96],
        ],
      },
      [40, 40, 96],
    ),
  ],
  ['lamp, a quick scan', lamp.mesh],
] as const) {
  const scene = new CoverageScene(mesh, cutFacets(mesh))
  const views = timed(() => void scene.cover({ ...NEW_TAKE, steps: 100 }, device, 0.4))
  const planner = new Planner(mesh)
  const brief = { ...EMPTY_BRIEF, lengthMm: 140, widthMm: 140, heightMm: 60 }
  const plan = firstPlan(device)
  planner.evaluate(plan, brief)
  const moved = (i: number): Plan => ({
    ...plan,
    takes: plan.takes.map((t, k) => (k === 1 ? { ...t, elevationDeg: 36 + i } : t)),
  })
  const change = timed((i) => void planner.evaluate(moved(i), brief))
  const t = performance.now()
  planner.details(plan, brief, planner.evaluate(plan, brief), quietContext())
  process.stdout.write(
    `${name.padEnd(20)} ${String(mesh.indices.length / 3).padStart(6)} faces ` +
      `${String(scene.facets.count).padStart(6)} samples | 100 views ${(views / 1000).toFixed(2)} ` +
      `s | one take changed ${change.toFixed(0)} ms | look-alikes, next take ` +
      `${((performance.now() - t) / 1000).toFixed(1)} s\n`,
  )
}
