/**
 * Acts on meshes, on the lamp: what a skin comes to against its forecast, a mesh sampled as points, and fewer triangles.
 *   npx tsx benchmarks/mesh-acts.ts [forecast|sample|simplify]
 */
import { OIL_LAMP, quietContext, ROAD_SPACING_MM } from '@holosoma/core'
import { forecastSkin } from '../core/src/fuse/predict'
import { trialSkin } from '../core/src/fuse/trial'
import { makeSkin } from '../core/src/fuse/skin'
import { checkHealth } from '../core/src/mesh/health'
import { sampleSurface, samplingSpacing } from '../core/src/mesh/sample-surface'
import { simplifyMesh } from '../core/src/mesh/simplify'
import { joinedByTruth } from './lib'

const wanted = process.argv[2]
const context = quietContext(1)
const say = (text: string): void => void process.stdout.write(`${text}\n`)
const takes = joinedByTruth(OIL_LAMP, ROAD_SPACING_MM)
const skin = (spacingMm: number) => makeSkin(takes, { spacingMm }, context).mesh

if (!wanted || wanted === 'forecast') {
  const ground = trialSkin(takes)
  say(`area ${ground.areaMm2.toFixed(0)} mm² by a trial`)
  for (const h of [0.35, 0.5, 0.8, 1.2, 2]) {
    const f = forecastSkin(ground, h)
    const began = performance.now()
    const faces = skin(h).indices.length / 3
    const seconds = (performance.now() - began) / 1000
    say(
      `${h} mm: ${faces} faces came, ${f.faces.toFixed(0)} told (${((f.faces / faces - 1) * 100).toFixed(0)} %); ` +
        `${seconds.toFixed(2)} s, ${f.work.toFixed(2)} units (${(seconds / f.work).toFixed(2)} s a unit)`,
    )
  }
}
if (!wanted || wanted === 'sample') {
  const mesh = skin(0.8)
  const spacing = samplingSpacing(mesh)
  const began = performance.now()
  const points = sampleSurface(mesh, spacing).positions.length / 3
  say(`${points} points, ${spacing.toFixed(2)} mm apart, in ${((performance.now() - began) / 1000).toFixed(2)} s`)
}
if (!wanted || wanted === 'simplify') {
  const mesh = skin(0.35)
  for (const faces of [100_000, 400_000]) {
    const began = performance.now()
    const r = await simplifyMesh(mesh, { faces }, context)
    const seconds = (performance.now() - began) / 1000
    const h = checkHealth(r.mesh, context)
    say(
      `${mesh.indices.length / 3} → ${r.mesh.indices.length / 3} in ${seconds.toFixed(1)} s; ` +
        `closed ${h.closed}, crossings ${h.crossings}, deviation ${r.deviationMm.toFixed(4)} mm`,
    )
  }
}
