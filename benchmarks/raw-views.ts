/**
 * Single views that nobody prepared, joined by shape alone: normals of 3° with each, seen by a camera and a projector,
 * with dropouts, holes and outliers, and no word of where they were taken from. How many sets have every view right, what
 * is called sound, how long it takes.
 *   npx tsx benchmarks/raw-views.ts MESH.off … [--views=16] [--seeds=1] [--from=1] [--moved]
 * `--moved` turns each view anywhere, so that its own zero point says nothing; otherwise it is the device's.
 * Meshes: Debian's libcgal-demo.
 */
import { basename } from 'node:path'
import { quietContext, type PointCloud, type RunContext } from '@holosoma/core'
import { joinTakes } from '../core/src/operations/join'
import { runOperation } from '../core/src/operations/operation'
import type { Motions } from '../core/src/operations/artefacts'
import { isGeometryError } from '../core/src/errors'
import { meanPoint } from '../core/src/linear/mean-point'
import { compose, invertRigid, rotationAngle, transformPoint, type Motion } from '../core/src/linear/rigid'
import { SPOILS } from '../core/src/testing/spoiled-view'
import { standardSize, viewsOf, VIEW_DEFAULTS, type View } from '../core/src/testing/views'
import { readOff, twoThreads } from './lib'

const files = process.argv.slice(2).filter((a) => !a.startsWith('--'))
const flag = (name: string, otherwise: number): number =>
  Number(process.argv.find((a) => a.startsWith(`--${name}=`))?.split('=')[1] ?? otherwise)
const count = flag('views', 16),
  seeds = flag('seeds', 1),
  from = flag('from', 1)
const moved = process.argv.includes('--moved')
const pool = await twoThreads()
const context: RunContext = { ...quietContext(), parallel: pool }
const SIGMA_MM = VIEW_DEFAULTS.noiseShare * 100
const tally = { sets: 0, allRight: 0, rightSound: 0, wrongSound: 0, refused: 0, seconds: 0 }
for (const file of files)
  for (let seed = from; seed < from + seeds; seed++) {
    const views = viewsOf(standardSize(readOff(file)), seed, {
      perPose: count / 2,
      spoils: SPOILS,
      apart: moved ? true : 'device',
    })
    const takes = views.map(({ cloud }): PointCloud => {
      const { frame: _, frameOrigins: __, ...bare } = cloud
      return bare
    })
    const names = views.map((_, i) => `view ${i + 1}`)
    const began = performance.now()
    let line: string
    tally.sets++
    try {
      const { outputs, figures, findings } = await runOperation(
        joinTakes,
        { takes },
        { names, fixed: names[0] } as never,
        context,
      )
      const took = (performance.now() - began) / 1000
      tally.seconds += took
      const { motions } = outputs.motions as Motions
      const off = views.map((_, i) => offOf(views, i, motions[names[i]] ?? null))
      const right = off.filter((o) => o && o.deg < 1 && o.mm < 1).length
      const all = right === views.length
      if (all) tally.allRight++
      if (all && figures.verdict === 'sound') tally.rightSound++
      if (!all && figures.verdict === 'sound') tally.wrongSound++
      const good = off.filter((o): o is Off => o !== null && o.deg < 1 && o.mm < 1)
      line =
        `${right} of ${views.length} right, worst ${Math.max(...good.map((o) => o.deg)).toFixed(4)}°, mean ` +
        `${(good.reduce((s, o) => s + o.mm, 0) / good.length / SIGMA_MM).toFixed(3)} σ, ${String(figures.verdict)}, ` +
        `${took.toFixed(1)} s; ` +
        (all
          ? ''
          : `wrong: ${off
              .map((o, i) =>
                o === null ? `${i + 1} left out` : o.deg < 1 && o.mm < 1 ? '' : `${i + 1} by ${o.deg.toFixed(0)}°`,
              )
              .filter(Boolean)
              .join(', ')}; `) +
        findings
          .filter((f) => f.verdict !== 'sound')
          .map((f) => f.text.slice(0, 90))
          .join(' | ')
          .slice(0, 300)
    } catch (error) {
      if (!isGeometryError(error)) throw error
      tally.refused++
      line = `refused: ${error.message}`
    }
    const sizes = takes.map((t) => t.positions.length / 3)
    process.stdout.write(`${basename(file)} ${seed} (${Math.min(...sizes)} to ${Math.max(...sizes)} points): ${line}\n`)
  }
process.stdout.write(`${JSON.stringify(tally)}\n`)
await pool.close()

interface Off {
  readonly deg: number
  readonly mm: number
}
/** How far a view lies from where it belongs to the first, there where its points are. */
function offOf(views: readonly View[], i: number, found: Motion | null): Off | null {
  if (!found) return null
  const truth = compose(invertRigid(views[0].truth), views[i].truth)
  const off = compose(invertRigid(truth), found)
  const middle = meanPoint(views[i].cloud.positions)
  const at = transformPoint(off, ...middle)
  return { deg: (rotationAngle(off) * 180) / Math.PI, mm: Math.hypot(...at.map((v, c) => v - middle[c])) }
}
