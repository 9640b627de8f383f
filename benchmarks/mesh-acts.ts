/**
 * Acts on meshes, on the lamp: what a skin comes to against its forecast, a mesh sampled as points, and fewer triangles.
 *   npx tsx benchmarks/mesh-acts.ts [forecast|sample|simplify]
 */
import { mkdtempSync, readFileSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import {
  bytesSource,
  OIL_LAMP,
  quietContext,
  readShape,
  ROAD_SPACING_MM,
  writeShape,
  type TriangleMesh,
} from '@holosoma/core'
import { forecastSkin } from '../core/src/fuse/predict'
import { trialSkin } from '../core/src/fuse/trial'
import { makeSkin } from '../core/src/fuse/skin'
import { checkHealth } from '../core/src/mesh/health'
import { sampleSurface, samplingSpacing } from '../core/src/mesh/sample-surface'
import { simplifyMesh } from '../core/src/simplify/simplify'
import { weldVertices } from '../core/src/mesh/weld'
import { boundsOf, diagonal } from '../core/src/shapes'
import { TriangleBvh } from '../core/src/spatial/triangle-bvh'
import { joinedByTruth, reference } from './lib'

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
  const mesh = weldVertices(makeSkin(takes, { spacingMm: 0.35, dense: true }, context).mesh)
  const size = diagonal(boundsOf(mesh.positions))
  const folder = mkdtempSync(join(tmpdir(), 'simplify-'))
  const given = join(folder, 'in.ply')
  writeFileSync(given, Buffer.concat([...writeShape(mesh, 'ply')]))
  const tell = (what: string, outcome: TriangleMesh, seconds: number): void => {
    const h = checkHealth(outcome, context)
    const bvh = new TriangleBvh(outcome)
    let sum = 0,
      most = 0,
      asked = 0
    for (let i = 0; i < mesh.positions.length; i += 9, asked++) {
      bvh.closest(mesh.positions[i], mesh.positions[i + 1], mesh.positions[i + 2])
      const d = Math.sqrt(bvh.result.distance2)
      sum += d
      most = Math.max(most, d)
    }
    say(
      `${what}: ${mesh.indices.length / 3} → ${h.faces} in ${seconds.toFixed(1)} s; closed ${h.closed}, ` +
        `genus ${h.genus}, crossings ${h.crossings}; off ${(sum / asked / size).toExponential(2)} of the diagonal ` +
        `in the mean, ${most.toFixed(4)} mm at most`,
    )
  }
  for (const faces of [100_000, 400_000]) {
    const began = performance.now()
    const ours = simplifyMesh(mesh, { faces }, context).mesh
    tell('ours', ours, (performance.now() - began) / 1000)
    const left = join(folder, `${faces}.ply`)
    const run = reference('simplify.py', [given, String(faces), left])
    if (!run) continue
    const theirs = (await readShape(bytesSource(readFileSync(left)), 'left.ply')) as TriangleMesh
    tell('library', theirs, run.seconds)
  }
}
