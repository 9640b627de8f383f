import { readFileSync } from 'node:fs'
import { join } from 'node:path'
import Module from 'manifold-3d'
import { expect, test } from 'vitest'
import { quietContext } from '../context'
import { bytesSource, readShape } from '../formats'
import { fillHoles } from '../holes/fill-holes'
import { checkHealth } from '../mesh/health'
import { weldVertices } from '../mesh/weld'
import type { TriangleMesh } from '../shapes'
import { solidsWith } from '../solids'
import { healMesh } from './heal'

/*
 * Meshes of others, as they came: test data of CGAL 5.5.1, data/meshes in Debian's libcgal-demo; the test command
 * fetches them.
 */
const folder = process.env.HOLOSOMA_OPEN_DATA
if (!folder) throw new Error('HOLOSOMA_OPEN_DATA is not set: run this with "npm test".')
const meshOf = async (name: string): Promise<TriangleMesh> =>
  weldVertices((await readShape(bytesSource(readFileSync(join(folder, name))), name)) as TriangleMesh)
const context = () => ({ ...quietContext(), solids: solidsWith(() => Module()) })

test('171 rims, many with a corner in common: all are closed, nothing crosses', async () => {
  const open = await meshOf('elephant-with-holes.off')
  const before = checkHealth(open, context())
  expect([before.loops.length, before.nonManifoldVertices, before.crossings]).toEqual([171, 65, 0])
  const { mesh, refused } = fillHoles(open, { perimeterMm: Infinity }, context())
  expect(refused).toHaveLength(0)
  expect(checkHealth(mesh, context())).toMatchObject({ closed: true, manifold: true, crossings: 0 })
})

test.each([
  ['lion.off', 0, 5, 1],
  ['camel.off', 20, 0, 1],
  ['mannequin-devil.off', 1643, 1, 1],
  ['bones.off', 366, 0, 10],
])('%s: %s crossings and %s holes are cured, %s parts are left', async (name, crossings, holes, parts) => {
  const mesh = await meshOf(name)
  const before = checkHealth(mesh, context())
  expect([before.crossings, before.loops.length]).toEqual([crossings, holes])
  const { mesh: healed, health } = await healMesh(mesh, { crumbs: 0.02 }, context())
  expect(health).toMatchObject({ closed: true, manifold: true, crossings: 0, components: parts })
  // The library takes only what is closed and consistently oriented.
  const { Manifold, Mesh } = await Module().then((lib) => (lib.setup(), lib))
  const judge = new Manifold(new Mesh({ numProp: 3, vertProperties: healed.positions, triVerts: healed.indices }))
  expect(judge.volume() / health.volumeMm3).toBeCloseTo(1, 4)
})

test('a flat sheet holds no body and stays as it is', async () => {
  const sheet = await meshOf('plane.off')
  const { mesh, health } = await healMesh(sheet, { crumbs: 0.02 }, context())
  expect([health.closed, mesh.indices.length]).toEqual([false, sheet.indices.length])
})
