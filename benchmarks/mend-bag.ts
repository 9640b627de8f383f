/**
 * Meshes of others, as they come: holes closed, and all cured that is safe; what is left of faults.
 *   npx tsx benchmarks/mend-bag.ts FOLDER
 */
import { readdirSync, readFileSync, statSync } from 'node:fs'
import { join } from 'node:path'
import { bytesSource, checkHealth, quietContext, readShape, solidsWith, type TriangleMesh } from '@holosoma/core'
import { healMesh } from '../core/src/heal/heal'
import { fillHoles } from '../core/src/holes/fill-holes'
import type { MeshHealth } from '../core/src/mesh/health'
import { weldVertices } from '../core/src/mesh/weld'

const MAX_BYTES = 1.7e6
const context = { ...quietContext(), solids: solidsWith(async () => (await import('manifold-3d')).default()) }
const say = (text: string): void => void process.stdout.write(`${text}\n`)
const isClean = (h: MeshHealth): boolean => h.closed && h.manifold && h.crossings === 0 && h.volumeMm3 > 0
const seconds = (since: number): string => `${((performance.now() - since) / 1000).toFixed(2)} s`

function* filesOf(folder: string): Generator<string> {
  for (const entry of readdirSync(folder, { withFileTypes: true })) {
    const path = join(folder, entry.name)
    if (entry.isDirectory()) yield* filesOf(path)
    else if (/\.(off|ply|stl|obj)$/i.test(entry.name) && statSync(path).size < MAX_BYTES) yield path
  }
}

let holed = 0,
  worse = 0,
  faulty = 0,
  cured = 0
for (const path of [...filesOf(process.argv[2])].sort()) {
  let mesh: TriangleMesh
  try {
    const shape = await readShape(bytesSource(readFileSync(path)), path)
    if (shape.kind !== 'mesh' || shape.indices.length === 0) continue
    mesh = weldVertices(shape)
  } catch {
    continue
  }
  const before = checkHealth(mesh, context)
  const name = path.split('/').at(-1)
  if (before.loops.length > 0) {
    holed++
    const began = performance.now()
    const filled = fillHoles(mesh, { perimeterMm: Infinity }, context)
    const took = seconds(began)
    const after = checkHealth(filled.mesh, context)
    if (after.crossings > before.crossings || after.nonManifoldEdges > before.nonManifoldEdges) worse++
    say(
      `${name}: ${before.loops.length} rims, ${filled.closedHoles} closed, ${filled.refused.length} refused, ` +
        `${filled.flatter} flatter; crossings ${before.crossings} → ${after.crossings}; ${took}`,
    )
  }
  if (isClean(before)) continue
  faulty++
  const began = performance.now()
  const { health, acts } = await healMesh(mesh, { crumbs: 0.02 }, context)
  if (isClean(health)) cured++
  say(
    `${name}: ${isClean(health) ? 'cured' : 'NOT cured'}; faces ${before.faces} → ${health.faces}, open edges ` +
      `${before.borderEdges} → ${health.borderEdges}, crossings ${before.crossings} → ${health.crossings}, parts ` +
      `${before.components} → ${health.components}; ${[...acts].map(([a, n]) => `${a} ${n}`).join(', ')}; ${seconds(began)}`,
  )
}
say(`holes: ${holed} meshes, ${worse} with new crossings; cures: ${cured} of ${faulty}`)
