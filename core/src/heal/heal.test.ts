import Module from 'manifold-3d'
import { beforeAll, describe, expect, test } from 'vitest'
import { quietContext } from '../context'
import { checkHealth } from '../mesh/health'
import { changedAreaMm2 } from '../mesh/changed-area'
import { cutApart } from '../mesh/cut-apart'
import { EVIDENCE, type TriangleMesh } from '../shapes'
import { solidsWith } from '../solids'
import { cube, icosahedron, torus, withoutFaces } from '../testing/solids'
import { merged, shifted, turnedOver } from '../testing/altered'
import { faceOutward } from './outward'
import { healMesh, type HealAct } from './heal'
import { orientAlike, surfaceTwins } from './surface-twins'
import { dropDoubles, dropFins, splitCaps } from './tidy-faces'
import { windingNumber } from './winding'

const context = () => quietContext()
const health = (m: TriangleMesh) => checkHealth(m, context())
const solids = solidsWith(() => Module())
const heal = (m: TriangleMesh, crumbs = 0.02) => healMesh(m, { crumbs }, { ...context(), solids })
const withFaces = (m: TriangleMesh, corners: readonly number[], faces: readonly number[]): TriangleMesh => ({
  kind: 'mesh',
  positions: Float32Array.from([...m.positions, ...corners]),
  indices: Uint32Array.from([...m.indices, ...faces]),
})

/** An independent judge: it takes only what is closed and consistently oriented. @returns volume and genus */
let judge: (m: TriangleMesh) => { volume: number; genus: number }
let union: (a: TriangleMesh, b: TriangleMesh) => number
beforeAll(async () => {
  const lib = await Module()
  lib.setup()
  const { Manifold, Mesh } = lib
  const solid = (m: TriangleMesh) =>
    new Manifold(new Mesh({ numProp: 3, vertProperties: m.positions, triVerts: m.indices }))
  union = (a, b) => Manifold.union(solid(a), solid(b)).volume()
  judge = (m) => {
    const body = solid(m)
    return { volume: body.volume(), genus: body.genus() }
  }
})

const ring = torus(20, 6, 60, 30)

describe('meshes of others', () => {
  const fine = health(ring).volumeMm3
  test.each<[string, TriangleMesh, HealAct[]]>([
    ['faces turned against their neighbours', turnedOver(ring, [0, 5, 17, 300, 301]), ['turned']],
    ['all faces inward', turnedOver(ring), ['outward']],
    ['faces there twice', withFaces(ring, [], [...ring.indices.slice(0, 30)]), ['doubles']],
    [
      'a leaf back to back',
      withFaces(ring, [], [...ring.indices.slice(0, 3), ring.indices[0], ring.indices[2], ring.indices[1]]),
      ['doubles'],
    ],
    [
      'a fin that hangs on an edge',
      withFaces(ring, [40, 0, 9], [ring.indices[0], ring.indices[1], ring.positions.length / 3]),
      ['fins'],
    ],
    ['a crumb beside it', merged(ring, shifted({ ...cube(0.2) }, 30)), ['crumbs']],
    ['a block inside it', merged(ring, shifted(cube(2), 19, -1, -1)), ['inside']],
    ['holes', withoutFaces(ring, [4, 5, 6, 90, 91, 400]), ['holes']],
  ])('%s: cured, closed, of the volume it should have', async (_what, mesh, acts) => {
    const healed = await heal(mesh)
    expect(healed.health).toMatchObject({ closed: true, manifold: true, crossings: 0, components: 1, genus: 1 })
    expect(Math.abs(healed.health.volumeMm3 / fine - 1)).toBeLessThan(2e-3)
    expect([...healed.acts.keys()]).toEqual(acts)
    expect(judge(healed.mesh).genus).toBe(1)
  })
  test('a sound mesh comes back byte for byte', async () => {
    const healed = await heal(ring)
    expect(healed.mesh).toBe(ring)
    expect(healed.acts.size).toBe(0)
  })
  test('two rings through each other become one body: the union’s volume as the judge says', async () => {
    const other = shifted(torus(20, 6, 60, 30), 22, 3)
    const healed = await heal({ ...merged(ring, other), originMm: [500, 0, 7] })
    expect(healed.health).toMatchObject({ closed: true, manifold: true, crossings: 0, components: 1 })
    expect([...healed.acts]).toEqual([['united', 2]])
    expect(judge(healed.mesh).volume).toBeCloseTo(healed.health.volumeMm3, 0)
    expect(healed.health.volumeMm3 / union(ring, other)).toBeCloseTo(1, 5)
    expect(healed.mesh.originMm).toEqual([500, 0, 7])
    // Without the library they are cut free of each other, and closed for themselves.
    const plain = await healMesh(merged(ring, other), { crumbs: 0 }, context())
    expect(plain.health).toMatchObject({ closed: true, crossings: 0 })
    expect(plain.acts.has('crossings')).toBe(true)
  })
  test('a body that crosses itself beside one that crosses another: both are cured', async () => {
    // Two faces of the block pushed through its other side.
    const block = cube(6)
    const positions = block.positions.slice()
    positions[2] = 9
    const healed = await heal(merged(ring, shifted({ ...block, positions }, 18, -3, -3)))
    expect(healed.health.crossings).toBe(0)
  })
  test('what was laid anew is invented, what stayed is as it was', async () => {
    const evidence = new Uint8Array(ring.positions.length / 3)
    const { mesh } = await heal({ ...withoutFaces(ring, [4, 5, 6, 90, 91, 400]), evidence })
    expect(mesh.evidence!.length).toBe(mesh.positions.length / 3)
    expect(mesh.evidence!.slice(0, 100).every((e) => e === EVIDENCE.measured)).toBe(true)
  })
  test('blocks that share an edge are drawn apart by a hair', async () => {
    const pair = merged(cube(5), shifted(cube(5), 5, 5))
    expect(health(pair).nonManifoldEdges).toBe(1)
    const healed = await heal(pair)
    expect(healed.health).toMatchObject({ closed: true, manifold: true, crossings: 0, components: 2 })
    expect(healed.health.volumeMm3).toBeCloseTo(250, 1)
    expect(healed.acts.get('cut')).toBeGreaterThan(0)
  })
  test.each<[string, TriangleMesh]>([
    [
      'one triangle',
      { kind: 'mesh', positions: Float32Array.of(0, 0, 0, 1, 0, 0, 0, 1, 0), indices: Uint32Array.of(0, 1, 2) },
    ],
    ['a flat sheet', withoutFaces(cube(4), [2, 3, 4, 5, 6, 7, 8, 9, 10, 11])],
  ])('%s holds no body: it stays open, and nothing is made up', async (_what, sheet) => {
    const healed = await heal(sheet)
    expect(healed.health.closed).toBe(false)
    expect(healed.mesh.indices.length).toBe(sheet.indices.length)
  })
  test('a hollow stays a hollow, whichever way it came', async () => {
    const jar = merged(cube(10), turnedOver(shifted(cube(4), 3, 3, 3)))
    expect((await heal(jar)).health.volumeMm3).toBeCloseTo(1000 - 64, 3)
    const wrong = merged(turnedOver(cube(10)), shifted(cube(4), 3, 3, 3))
    expect((await heal(wrong)).health.volumeMm3).toBeCloseTo(1000 - 64, 3)
  })
})

describe('the steps by themselves', () => {
  test('a face without area is split into the one beside it, not dropped: no border comes of it', () => {
    // A square of two faces, and a third point in the middle of its diagonal that only one side knows.
    const sheet: TriangleMesh = {
      kind: 'mesh',
      positions: Float32Array.of(0, 0, 0, 2, 0, 0, 2, 2, 0, 0, 2, 0, 1, 1, 0),
      indices: Uint32Array.of(0, 1, 4, 1, 2, 4, 0, 4, 2, 0, 2, 3),
    }
    const { mesh, count } = splitCaps(sheet)
    expect(count).toBe(1)
    const h = health(mesh)
    expect([h.zeroAreaFaces, h.borderEdges, h.faces, h.areaMm2]).toEqual([0, 4, 4, 4])
    expect(splitCaps(ring).mesh).toBe(ring)
  })
  test('doubles: of three alike one stays, of two against each other none', () => {
    const [a, b, c] = [0, 1, 2]
    const of = (...faces: number[]): number =>
      dropDoubles({ kind: 'mesh', positions: ring.positions, indices: Uint32Array.from(faces) }).mesh.indices.length / 3
    expect(of(a, b, c, b, c, a, c, a, b)).toBe(1)
    expect(of(a, b, c, a, c, b)).toBe(0)
    expect(of(a, b, c, a, c, b, c, a, b)).toBe(1)
  })
  test('fins: what hangs goes, what it hangs on stays', () => {
    const fin = withFaces(cube(3), [9, 9, 9], [0, 1, 8])
    expect(health(fin).nonManifoldEdges + health(fin).borderEdges).toBeGreaterThan(0)
    const { mesh, count } = dropFins(fin)
    expect([count, health(mesh).closed]).toEqual([1, true])
  })
  test('turning: the fewer faces turn; a strip with half a twist cannot be turned and stays one surface', async () => {
    const { turned, mesh } = orientAlike(turnedOver(ring, [3, 4, 700]))
    expect(turned).toBe(3)
    expect(mesh.indices).toEqual(ring.indices)
    const n = 40
    const positions: number[] = [],
      indices: number[] = []
    for (let i = 0; i < n; i++) {
      const a = (2 * Math.PI * i) / n
      for (const s of [-2, 2]) {
        const r = 10 + s * Math.cos(a / 2)
        positions.push(r * Math.cos(a), r * Math.sin(a), s * Math.sin(a / 2))
      }
      const [p, q] = [2 * i, 2 * i + 1]
      const [u, v] = i + 1 < n ? [p + 2, q + 2] : [1, 0]
      indices.push(p, u, q, q, u, v)
    }
    const strip: TriangleMesh = {
      kind: 'mesh',
      positions: Float32Array.from(positions),
      indices: Uint32Array.from(indices),
    }
    expect(health(orientAlike(strip).mesh).flippedEdges).toBe(1)
    expect((await heal(strip)).health.crossings).toBe(0)
  })
  test('round an edge of four faces those of one solid belong together', () => {
    const pair = merged(cube(5), shifted(cube(5), 5, 5))
    const joined = { ...pair, indices: pair.indices.slice() }
    const places = new Map<string, number>()
    for (let v = 0; v < pair.positions.length / 3; v++) {
      const key = Array.from(pair.positions.slice(v * 3, v * 3 + 3)).join()
      if (!places.has(key)) places.set(key, v)
    }
    joined.indices.forEach((v, i) => {
      joined.indices[i] = places.get(Array.from(pair.positions.slice(v * 3, v * 3 + 3)).join())!
    })
    const { indices } = cutApart(joined, surfaceTwins(joined))
    const first = new Set(indices.slice(0, 36)),
      second = new Set(indices.slice(36))
    expect([...first].filter((v) => second.has(v))).toEqual([])
  })
  test('winding number: 1 inside, 0 outside, a half on a face, −1 inside what faces inward', () => {
    const box = cube(2)
    expect(windingNumber(box, 1, 1, 1)).toBeCloseTo(1, 12)
    expect(windingNumber(box, 3, 1, 1)).toBeCloseTo(0, 12)
    expect(windingNumber(turnedOver(box), 1, 1, 1)).toBeCloseTo(-1, 12)
    // Seen from its middle each side of a cube fills a sixth of the view.
    expect(windingNumber(withoutFaces(box, [0, 1]), 1, 1, 1)).toBeCloseTo(5 / 6, 12)
    expect(windingNumber(merged(box, icosahedron()), 0.5, 0.5, 0.5)).toBeCloseTo(2, 12)
  })
  test('parts are turned and buried ones taken out; open ones are left alone', () => {
    expect(faceOutward(merged(cube(9), shifted(cube(2), 3, 3, 3)))).toMatchObject({ turned: 0, buried: 1 })
    expect(faceOutward(merged(turnedOver(cube(2)), shifted(turnedOver(cube(2)), 9)))).toMatchObject({
      turned: 2,
      buried: 0,
    })
    const open = turnedOver(withoutFaces(cube(2), [0]))
    expect(faceOutward(open).mesh).toBe(open)
  })
  test('what changed in area: nothing for a mesh in another order, a cube’s side for a side', () => {
    expect(changedAreaMm2(ring, turnedOver(ring))).toEqual({ goneMm2: 0, addedMm2: 0 })
    expect(changedAreaMm2(cube(3), withoutFaces(cube(3), [0, 1]))).toEqual({ goneMm2: 9, addedMm2: 0 })
  })
})
