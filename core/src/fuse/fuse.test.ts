import bunny from 'bunny'
import Module from 'manifold-3d'
import { beforeAll, describe, expect, test } from 'vitest'
import { quietContext } from '../context'
import { bytesSource, readShape } from '../formats'
import { compareShapes } from '../measure/compare'
import { cloudOfMesh } from '../mesh/normals'
import { checkHealth } from '../mesh/health'
import { compose, identityMotion, invertRigid, rotationMotion, transformPoints } from '../linear/rigid'
import { EVIDENCE, indicesWhere, pickPoints, type PointCloud, type TriangleMesh } from '../shapes'
import { captureTake, LAMP_TAKES, TABLETOP_DEVICE } from '../bench/capture'
import { OIL_LAMP } from '../bench/pieces'
import { polygonise } from '../bench/polygonise'
import { KdTree } from '../spatial/kd-tree'
import { spherePoints } from '../testing/solids'
import { ALL_INSIDE, BRICK, BRICK_NODES, BrickGrid, gatherHalo } from './brick-grid'
import { contourBricks } from './contour'
import { evidenceShares } from './evidence'
import { solveMembrane } from './membrane'
import { gatherPoints } from './points'
import { forecastSkin, predictFaces } from './predict'
import { trialSkin } from './trial'
import { makeSkin } from './skin'

const context = () => quietContext()
let judge: Awaited<ReturnType<typeof Module>>
beforeAll(async () => {
  judge = await Module()
  judge.setup()
})

/** manifold-3d as an independent judge: it takes only what is closed and consistently oriented. Returns its volume. */
function judged(mesh: TriangleMesh): { status: string; volume: number; genus: number } {
  const solid = new judge.Manifold(
    new judge.Mesh({ numProp: 3, vertProperties: mesh.positions, triVerts: mesh.indices }),
  )
  const out = { status: String(solid.status()), volume: solid.volume(), genus: solid.genus() }
  solid.delete()
  return out
}

function expectSound(mesh: TriangleMesh, genus: number): void {
  const h = checkHealth(mesh, context())
  expect(h).toMatchObject({ closed: true, manifold: true, crossings: 0, zeroAreaFaces: 0, components: 1, genus })
  expect(h.volumeMm3).toBeGreaterThan(0)
  const other = judged(mesh)
  expect(other).toMatchObject({ status: 'NoError', genus })
  expect(other.volume / h.volumeMm3).toBeCloseTo(1, 4)
}

const take = (cloud: PointCloud, motion = identityMotion()) => ({ cloud, motion })

describe('grid and contour', () => {
  test('the halo of a brick holds its neighbours’ nodes; absent bricks give their sign', () => {
    const grid = new BrickGrid([0, 0, 0], 1, [3, 3, 3])
    const a = grid.ensure(grid.brickIndex(1, 1, 1)),
      b = grid.ensure(grid.brickIndex(2, 1, 1))
    grid.table[grid.brickIndex(0, 1, 1)] = ALL_INSIDE
    const values = new Float32Array(2 * BRICK_NODES).map((_, i) => i)
    const edge = BRICK + 2
    const halo = new Float32Array(edge ** 3)
    gatherHalo(grid, values, 1, 1, 1, 1, 1, 9, halo)
    const at = (x: number, y: number, z: number) => halo[((z + 1) * edge + y + 1) * edge + x + 1]
    expect(at(3, 2, 1)).toBe(a * BRICK_NODES + (1 * BRICK + 2) * BRICK + 3)
    expect(at(8, 2, 1)).toBe(b * BRICK_NODES + (1 * BRICK + 2) * BRICK)
    expect(at(-1, 2, 1)).toBe(-9)
    expect(at(3, -1, 1)).toBe(9)
  })
  test('a ball drawn from its exact field: area and volume in the limit, closed, judged so from outside', () => {
    const ball = polygonise(
      (x, y, z) => Math.sqrt(x * x + y * y + z * z) - 10,
      { min: [-10, -10, -10], max: [10, 10, 10] },
      0.5,
      context(),
    )
    expectSound(ball, 0)
    expect(judged(ball).volume / ((4 / 3) * Math.PI * 1000)).toBeCloseTo(1, 2)
  })
  test('noise instead of a surface still gives closed manifold meshes', () => {
    const grid = new BrickGrid([0, 0, 0], 1, [3, 3, 3])
    for (let b = 0; b < 27; b++) if ([1, 13].includes(b) || b === 14) grid.ensure(b)
    const { random } = context()
    const values = new Float32Array(grid.slotCount * BRICK_NODES).map(() => random.gaussian())
    const { positions, indices } = contourBricks(grid, values, 1, context())
    const h = checkHealth({ kind: 'mesh', positions, indices }, context())
    expect(h).toMatchObject({ closed: true, manifold: true, crossings: 0, zeroAreaFaces: 0 })
    expect(h.faces).toBeGreaterThan(3000)
  })
  test('too large a grid is refused', () =>
    expect(() => new BrickGrid([0, 0, 0], 0.001, [2000, 2000, 2000])).toThrow('more than this machine can hold'))
})

test('the membrane is harmonic: between two walls it is a straight ramp', () => {
  const n = 18
  const values = new Float32Array(n ** 3),
    known = new Uint8Array(n ** 3)
  for (let z = 0, i = 0; z < n; z++)
    for (let y = 0; y < n; y++)
      for (let x = 0; x < n; x++, i++) {
        const rim = x === 0 || y === 0 || z === 0 || x === n - 1 || y === n - 1 || z === n - 1
        if (rim) {
          known[i] = 1
          values[i] = x / (n - 1)
        }
      }
  solveMembrane({ size: [n, n, n], values, known }, context())
  let worst = 0
  for (let z = 0, i = 0; z < n; z++)
    for (let y = 0; y < n; y++)
      for (let x = 0; x < n; x++, i++) worst = Math.max(worst, Math.abs(values[i] - x / (n - 1)))
  expect(worst).toBeLessThan(0.01)
})

describe('points on their way into the skin', () => {
  test('weights: square on counts most, nearer counts with the fourth power', () => {
    const cloud: PointCloud = {
      kind: 'cloud',
      positions: Float32Array.of(0, 0, 0, 0, 0, 0, 0, 0, 0),
      normals: Float32Array.of(0, 0, 1, 0, 0.8, 0.6, 0, 0, 1),
      frame: Uint16Array.of(0, 0, 1),
      frameOrigins: Float64Array.of(0, 0, 100, 0, 0, 200),
    }
    const { weights, views } = gatherPoints([take(cloud)])
    expect(weights[0]).toBeCloseTo(1, 5)
    expect(weights[1]).toBeCloseTo(0.6, 5)
    expect(weights[2]).toBeCloseTo(1 / 16, 5)
    expect(views.map((v) => v.points.length / 3)).toEqual([2, 1])
  })
  test('a take without normals is refused', () =>
    expect(() => gatherPoints([take({ kind: 'cloud', positions: new Float32Array(9) })])).toThrow(
      'which way each point faces',
    ))
})

describe('skin', () => {
  test('a noisy ball: closed, sound, and within the noise', () => {
    const sigma = 0.1
    const { mesh } = makeSkin([take(spherePoints(20, 20_000, sigma))], { spacingMm: 0.8 }, context())
    expectSound(mesh, 0)
    const off = Array.from({ length: mesh.positions.length / 3 }, (_, i) =>
      Math.abs(Math.hypot(mesh.positions[i * 3], mesh.positions[i * 3 + 1], mesh.positions[i * 3 + 2]) - 20),
    )
    expect(off.reduce((a, b) => a + b) / off.length).toBeLessThan(0.35 * sigma + 0.05 * 0.8)
    expect(evidenceShares(mesh).measured).toBeGreaterThan(0.99)
    expect(mesh.indices.length / 3 / predictFaces(4 * Math.PI * 400, 0.8)).toBeGreaterThan(0.9)
    expect(mesh.indices.length / 3 / predictFaces(4 * Math.PI * 400, 0.8)).toBeLessThan(1.1)
  })
  test('half a ball is closed smoothly, and what was closed is marked as invented', () => {
    const ball = spherePoints(20, 20_000)
    const half = pickPoints(
      ball,
      indicesWhere(
        Uint8Array.from({ length: 20_000 }, (_, i) => (ball.positions[i * 3 + 2] > 0 ? 1 : 0)),
        1,
      ),
    )
    const { mesh } = makeSkin([take(half)], { spacingMm: 0.8 }, context())
    expectSound(mesh, 0)
    const shares = evidenceShares(mesh)
    expect(shares.invented).toBeGreaterThan(0.2)
    expect(shares.measured).toBeGreaterThan(0.4)
    // The gap is 40 mm wide; what closes it neither sags into the ball nor runs away from it.
    const heights = Array.from(mesh.evidence!).flatMap((e, i) =>
      e === EVIDENCE.invented ? [mesh.positions[i * 3 + 2]] : [],
    )
    expect(Math.max(...heights)).toBeLessThan(2)
    expect(Math.min(...heights)).toBeGreaterThan(-8)
    mesh.evidence!.forEach((e, i) => {
      if (mesh.positions[i * 3 + 2] > 3) expect(e).toBe(EVIDENCE.measured)
    })
    const open = makeSkin([take(half)], { spacingMm: 0.8, closed: false }, context()).mesh
    expect(checkHealth(open, context())).toMatchObject({ closed: false, nonManifoldEdges: 0, flippedEdges: 0 })
    expect(evidenceShares(open).invented).toBe(0)
  })
  test('two parts: the largest stays unless all are asked for', () => {
    const far = (r: number, n: number, x: number): PointCloud => ({
      ...spherePoints(r, n),
      positions: spherePoints(r, n).positions.map((v, i) => (i % 3 === 0 ? v + x : v)),
    })
    const takes = [take(far(10, 6000, 0)), take(far(5, 2000, 40))]
    const one = makeSkin(takes, { spacingMm: 0.8 }, context())
    expect([one.parts.length, one.partsDropped.length]).toEqual([1, 1])
    // A ball of radius 5 in a box of 10 mm: its diagonal.
    expect(one.partsDropped[0].sizeMm).toBeCloseTo(10 * Math.sqrt(3), 0)
    const both = makeSkin(takes, { spacingMm: 0.8, allParts: true }, context())
    expect([both.parts.length, both.partsDropped.length]).toEqual([2, 0])
    expect(checkHealth(both.mesh, context())).toMatchObject({ components: 2, closed: true })
  })
  test('the same input gives the same bytes', () => {
    const run = () => makeSkin([take(spherePoints(10, 5000, 0.05))], { spacingMm: 0.7 }, context()).mesh
    expect(run()).toEqual(run())
  })
  test.each([0, -1, NaN, Infinity])('a spacing of %s is refused', (spacingMm) => {
    expect(() => makeSkin([take(spherePoints(10, 500))], { spacingMm }, context())).toThrow('must be larger than 0 mm')
  })
  test('what does not fit into memory is refused with the smallest spacing that does, and that one fits', () => {
    const takes = [take(spherePoints(30, 20_000))]
    const maxBytes = 40 * 2 ** 20
    let smallest = 0
    try {
      makeSkin(takes, { spacingMm: 0.05, maxBytes }, context())
    } catch (error) {
      smallest = Number(/smallest that fits is ([\d.]+) mm/.exec((error as Error).message)?.[1])
    }
    expect(smallest).toBeGreaterThan(0.05)
    expect(() => makeSkin(takes, { spacingMm: smallest, maxBytes }, context())).not.toThrow()
    expect(() => makeSkin(takes, { spacingMm: smallest * 0.8, maxBytes }, context())).toThrow('smallest that fits')
    expect(() => makeSkin(takes, { spacingMm: 1e-7, maxBytes }, context())).toThrow('smallest that fits')
  })
  test('too few points are refused; cancelling stops', () => {
    expect(() => makeSkin([take(spherePoints(10, 50))], { spacingMm: 1 }, context())).toThrow(
      'at least 100 points; there are 50',
    )
    expect(() =>
      makeSkin([take(spherePoints(10, 5000))], { spacingMm: 1 }, { ...context(), cancelled: () => true }),
    ).toThrow('Stopped')
  })
})

describe('skin of the lamp from two joined takes', () => {
  const sigma = TABLETOP_DEVICE.noiseMm
  const spacing = 1
  test('against the truth where it was seen: mean ≤ 0.35 σ + 0.05 spacing, p95 ≤ σ + 0.1 spacing, p99 ≤ 2 σ + 0.15 spacing, both directions; genus 1; the well is open', () => {
    const captured = LAMP_TAKES.map((plan, i) =>
      captureTake(OIL_LAMP, plan, TABLETOP_DEVICE, 70 + i, context(), { spacingMm: 0.5, pitchMm: 0.72 }),
    )
    const first = captured[0].truth
    const takes = captured.map(({ cloud, truth }) => {
      const keep = indicesWhere(
        Uint8Array.from({ length: cloud.positions.length / 3 }, (_, i) => (cloud.positions[i * 3 + 2] > 0.6 ? 1 : 0)),
        1,
      )
      return take(pickPoints(cloud, keep), compose(first, invertRigid(truth)))
    })
    const { mesh } = makeSkin(takes, { spacingMm: spacing }, context())
    expectSound(mesh, OIL_LAMP.genus)
    const exact = polygonise(OIL_LAMP.field, OIL_LAMP.bounds, 0.7, context())
    const truth: TriangleMesh = { ...exact, positions: transformPoints(first, exact.positions) }
    const all = gatherPoints(takes).positions
    const told = forecastSkin(trialSkin(takes), spacing).faces
    expect(Math.abs(told / (mesh.indices.length / 3) - 1)).toBeLessThan(0.05)
    const tree = new KdTree(all)
    const ids = new Int32Array(8),
      d2 = new Float64Array(8)
    for (const [from, to] of [
      [mesh, truth],
      [truth, mesh],
    ] as const) {
      const { distanceMm } = compareShapes(from, to, context())
      const seen = Array.from(distanceMm, Math.abs)
        .filter(
          (_, i) =>
            tree.knn(
              from.positions[i * 3],
              from.positions[i * 3 + 1],
              from.positions[i * 3 + 2],
              8,
              ids,
              d2,
              4 * spacing ** 2,
            ) === 8,
        )
        .sort((a, b) => a - b)
      expect(seen.length).toBeGreaterThan(distanceMm.length * 0.8)
      expect(seen.reduce((a, b) => a + b) / seen.length).toBeLessThanOrEqual(0.35 * sigma + 0.05 * spacing)
      expect(seen[Math.floor(seen.length * 0.95)]).toBeLessThanOrEqual(sigma + 0.1 * spacing)
      expect(seen[Math.floor(seen.length * 0.99)]).toBeLessThanOrEqual(2 * sigma + 0.15 * spacing)
    }
    // Straight down the middle of the well the first surface is its floor, not a lid.
    const down = mesh.indices.reduce((high, _, k) => {
      if (k % 3 !== 0) return high
      const corner = [0, 1, 2]
        .map((c) => mesh.indices[k + c] * 3)
        .map((v) => [mesh.positions[v], mesh.positions[v + 1], mesh.positions[v + 2]])
      const axis = transformPoints(first, Float32Array.of(0, 0, 0))
      return corner.some((c) => Math.hypot(c[0] - axis[0], c[1] - axis[1]) < 6)
        ? Math.max(high, ...corner.map((c) => c[2]))
        : high
    }, -Infinity)
    expect(down).toBeLessThan(20)
  })
})

// A real scan: the Stanford bunny, as the npm package "bunny" ships it (Stanford Computer Graphics Laboratory, 1994).
describe('a real scan from the registry', () => {
  let scan: TriangleMesh
  beforeAll(async () => {
    // Through the reader, as a file: the package ships plain lists.
    const lines = [
      ...bunny.positions.map((p) => `v ${p.map((v) => v * 10).join(' ')}`),
      ...bunny.cells.map((c) => `f ${c.map((v) => v + 1).join(' ')}`),
    ]
    scan = (await readShape(bytesSource(new TextEncoder().encode(lines.join('\n'))), 'bunny.obj')) as TriangleMesh
    expect([scan.positions.length / 3, scan.indices.length / 3]).toEqual([bunny.positions.length, bunny.cells.length])
  })
  test('its health is told: one part, closed or with its known holes, no crossing pairs lost', () => {
    const h = checkHealth(scan, context())
    expect(h.components).toBe(1)
    expect(h.nonManifoldEdges + h.flippedEdges).toBe(0)
    expect(h.faces).toBe(bunny.cells.length)
  })
  test('two partial views sampled from it, moved apart and joined by their true motions, give a closed skin near the scan', () => {
    const fine = subdivided(subdivided(scan))
    const cloud = cloudOfMesh(fine)
    const facing = (d: readonly number[]): PointCloud =>
      pickPoints(
        cloud,
        indicesWhere(
          Uint8Array.from({ length: cloud.positions.length / 3 }, (_, i) =>
            cloud.normals![i * 3] * d[0] + cloud.normals![i * 3 + 1] * d[1] + cloud.normals![i * 3 + 2] * d[2] > -0.3
              ? 1
              : 0,
          ),
          1,
        ),
      )
    const motion = rotationMotion([1, 2, 3], 0.8, [30, -20, 10])
    const front = facing([0, 0, 1])
    const back = facing([0, 0, -1])
    const away = {
      ...back,
      positions: transformPoints(invertRigid(motion), back.positions),
      normals: transformPoints(rotationMotion([1, 2, 3], -0.8), back.normals!),
    }
    const { mesh } = makeSkin([take(front), take(away, motion)], { spacingMm: 0.8 }, context())
    expect(checkHealth(mesh, context())).toMatchObject({ closed: true, manifold: true, crossings: 0, components: 1 })
    expect(judged(mesh).status).toBe('NoError')
    const d = compareShapes(fine, mesh, context())
    expect(d.p95Mm).toBeLessThan(0.4)
  })
})

/** Every face into four, midpoints on its edges. */
function subdivided(m: TriangleMesh): TriangleMesh {
  const positions = Array.from(m.positions)
  const middle = new Map<string, number>()
  const mid = (a: number, b: number): number => {
    const key = a < b ? `${a},${b}` : `${b},${a}`
    const known = middle.get(key)
    if (known !== undefined) return known
    const fresh = positions.length / 3
    for (let c = 0; c < 3; c++) positions.push((positions[a * 3 + c] + positions[b * 3 + c]) / 2)
    middle.set(key, fresh)
    return fresh
  }
  const faces: number[] = []
  for (let i = 0; i < m.indices.length; i += 3) {
    const [a, b, c] = [m.indices[i], m.indices[i + 1], m.indices[i + 2]]
    const [ab, bc, ca] = [mid(a, b), mid(b, c), mid(c, a)]
    faces.push(a, ab, ca, ab, b, bc, ca, bc, c, ab, bc, ca)
  }
  return { kind: 'mesh', positions: Float32Array.from(positions), indices: Uint32Array.from(faces) }
}
