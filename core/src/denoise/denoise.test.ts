import { describe, expect, test } from 'vitest'
import { quietContext } from '../context'
import { seededRandom } from '../linear/random'
import { checkHealth } from '../mesh/health'
import { vertexNormals } from '../mesh/normals'
import { EVIDENCE, type TriangleMesh } from '../shapes'
import { angleBeam, rod, torus, withoutFaces } from '../testing/solids'
import { ballMesh, inFour } from '../testing/altered'
import { denoise } from './denoise'
import { noiseEach, noiseOf, spreadOver } from './noise'

const context = () => quietContext()
/** Every point moved along its normal by a random amount. */
function noisy(mesh: TriangleMesh, sigmaMm: number): TriangleMesh {
  const random = seededRandom(9)
  const normals = vertexNormals(mesh)
  const positions = mesh.positions.slice()
  for (let v = 0; v < positions.length; v += 3) {
    const d = sigmaMm * random.gaussian()
    for (let c = 0; c < 3; c++) positions[v + c] += d * normals[v + c]
  }
  return { ...mesh, positions }
}
/** A beam of an L of 20 and 8 mm, 24 long: flats, sharp edges, one of them inwards. */
const beam = inFour(angleBeam(20, 8, 24), 5)
const rough = noisy(beam, 0.03)
/** Distance of a place to the true beam's nearest plane, mm. */
const planes: [number, number][] = []
for (let f = 0; f < angleBeam(20, 8, 24).indices.length; f += 3) {
  const { positions: p, indices } = angleBeam(20, 8, 24)
  for (let c = 0; c < 3; c++) {
    const [a, b, d] = [p[indices[f] * 3 + c], p[indices[f + 1] * 3 + c], p[indices[f + 2] * 3 + c]]
    if (a === b && b === d && !planes.some(([k, at]) => k === c && at === a)) planes.push([c, a])
  }
}
const off = (m: TriangleMesh): number => {
  let sum = 0
  for (let v = 0; v < m.positions.length; v += 3)
    sum += Math.min(...planes.map(([c, at]) => Math.abs(m.positions[v + c] - at))) ** 2
  return Math.sqrt((sum * 3) / m.positions.length)
}
const ball = ballMesh(20, 5)
const offBall = (m: TriangleMesh): number => {
  let sum = 0
  for (let v = 0; v < m.positions.length; v += 3)
    sum += (Math.hypot(m.positions[v], m.positions[v + 1], m.positions[v + 2]) - 20) ** 2
  return Math.sqrt((sum * 3) / m.positions.length)
}

describe('noise of a surface', () => {
  test.each([0.01, 0.03, 0.1])('white noise of %s mm is told within a tenth; a smooth one has none', (sigma) => {
    expect(noiseOf(noisy(ball, sigma)) / sigma).toBeGreaterThan(0.9)
    expect(noiseOf(noisy(ball, sigma)) / sigma).toBeLessThan(1.1)
    expect(noiseOf(ball)).toBeLessThan(0.002)
  })
})

describe('place by place', () => {
  test('a ball that is rough on one half is told so, half by half, within a fifth', () => {
    const [smooth, bumpy] = [noisy(ball, 0.01), noisy(ball, 0.04)]
    const half: TriangleMesh = {
      ...ball,
      positions: ball.positions.map((_, i) => (ball.positions[i - (i % 3) + 2] > 0 ? smooth : bumpy).positions[i]),
    }
    const each = noiseEach(half)
    for (const [sigma, is] of [
      [0.01, (z: number) => z > 6],
      [0.04, (z: number) => z < -6],
    ] as const) {
      const some = each.filter((_, v) => is(ball.positions[v * 3 + 2]))
      const mean = some.reduce((s, d) => s + d, 0) / some.length
      expect(Math.abs(mean / sigma - 1)).toBeLessThan(0.2)
    }
  })
  test('what has no value gets that of its neighbours, and what has none near stays without', () => {
    const values = new Float64Array(ball.positions.length / 3).fill(2)
    values[0] = NaN
    expect(spreadOver(ball.indices, values, 1)[0]).toBe(2)
    expect(spreadOver(ball.indices, values.fill(NaN), 3).every(Number.isNaN)).toBe(true)
  })
})

describe('taken off', () => {
  test('laid true: flats come back to a tenth of their noise, edges and the volume are the true ones', () => {
    const {
      mesh,
      planes: found,
      laidShare,
      mostMm,
      leftMm,
      sigmaMm,
    } = denoise(rough, { capMm: 0.3, edges: 'true' }, context())
    expect(found).toBe(8)
    expect(laidShare).toBeGreaterThan(0.95)
    expect(off(mesh)).toBeLessThan(0.1 * off(rough))
    expect([mostMm <= 0.3, leftMm < 0.1 * sigmaMm]).toEqual([true, true])
    const h = checkHealth(mesh, context())
    expect(h).toMatchObject({ closed: true, crossings: 0, genus: 0 })
    expect(h.volumeMm3 / checkHealth(beam, context()).volumeMm3).toBeCloseTo(1, 3)
  })
  test('a round rod: side and ends are laid true, its radius within a tenth of the noise, its edge stays a line', () => {
    const solid = rod(8, 30, 0.5)
    const before = checkHealth(solid, context())
    expect(before).toMatchObject({ closed: true, crossings: 0, genus: 0 })
    expect(before.volumeMm3 / (Math.PI * 64 * 30)).toBeCloseTo(1, 2)
    const {
      mesh,
      planes: flats,
      cylinders,
      radiiMm,
      laidShare,
    } = denoise(noisy(solid, 0.03), { capMm: 0.3, edges: 'true' }, context())
    expect([flats, cylinders]).toEqual([2, 1])
    // Some 6,000 points of 0.03 mm of noise tell the radius to half a thousandth.
    expect(Math.abs(radiiMm[0] - 8)).toBeLessThan(0.003)
    expect(laidShare).toBeGreaterThan(0.95)
    const { positions: p } = mesh
    let off2 = 0,
      side = 0
    for (let v = 0; v < p.length; v += 3) {
      if (p[v + 2] < 1 || p[v + 2] > 29) continue
      off2 += (Math.hypot(p[v], p[v + 1]) - 8) ** 2
      side++
    }
    expect(Math.sqrt(off2 / side)).toBeLessThan(0.003)
    expect(checkHealth(mesh, context())).toMatchObject({ closed: true, crossings: 0, genus: 0 })
  })
  test('kept: about half of the noise goes, and edges are as sharp as they were', () => {
    const { mesh } = denoise(rough, { capMm: 0.3, edges: 'kept' }, context())
    expect(off(mesh)).toBeLessThan(0.62 * off(rough))
    const [before, after] = [checkHealth(rough, context()), checkHealth(mesh, context())]
    expect(after).toMatchObject({ closed: true, crossings: 0 })
    expect(after.bentEdges / before.bentEdges).toBeGreaterThan(0.9)
  })
  test('rounded: a ball gets smooth without shrinking, edges of a beam go', () => {
    const bumpy = noisy(ball, 0.05)
    const { mesh } = denoise(bumpy, { capMm: 0.3, edges: 'rounded' }, context())
    expect(offBall(mesh)).toBeLessThan(0.5 * offBall(bumpy))
    const [before, after] = [checkHealth(ball, context()), checkHealth(mesh, context())]
    expect(after.volumeMm3 / before.volumeMm3).toBeCloseTo(1, 2)
    expect(
      checkHealth(denoise(rough, { capMm: 1, edges: 'rounded' }, context()).mesh, context()).bentEdges,
    ).toBeLessThan(0.2 * checkHealth(rough, context()).bentEdges)
  })
  test('nothing that bends both ways is laid: a ball and a ring have no planes and no cylinders', () => {
    for (const round of [noisy(ball, 0.03), noisy(torus(20, 6, 200, 100), 0.03)])
      expect(denoise(round, { capMm: 0.2, edges: 'true' }, context())).toMatchObject({ planes: 0, cylinders: 0 })
  })
  test.each(['rounded', 'kept', 'true'] as const)('%s: no point moves farther than the cap, borders stay', (edges) => {
    const open = withoutFaces(rough, [0, 1, 2, 3])
    const { mesh, mostMm } = denoise(open, { capMm: 0.02, edges }, context())
    expect(mostMm).toBeLessThanOrEqual(0.02 + 1e-5)
    expect(mostMm).toBeGreaterThan(0.015)
    expect(checkHealth(mesh, context()).loops.map((l) => l.perimeterMm)).toEqual(
      checkHealth(open, context()).loops.map((l) => l.perimeterMm),
    )
  })
  test('what moved is carried, what was invented stays so', () => {
    const n = rough.positions.length / 3
    const evidence = Uint8Array.from({ length: n }, (_, v) => (v % 2 === 0 ? EVIDENCE.measured : EVIDENCE.invented))
    const { mesh } = denoise({ ...rough, evidence }, { capMm: 0.3, edges: 'kept' }, context())
    const moved = (v: number): boolean =>
      [0, 1, 2].some((c) => mesh.positions[v * 3 + c] !== rough.positions[v * 3 + c])
    let carried = 0
    for (let v = 0; v < n; v += 2) {
      if (moved(v)) carried++
      expect(mesh.evidence![v]).toBe(moved(v) ? EVIDENCE.carried : EVIDENCE.measured)
    }
    expect(carried).toBeGreaterThan(n / 4)
    expect(mesh.evidence![1]).toBe(EVIDENCE.invented)
  })
  test('a cap of nothing is refused', () => {
    expect(() => denoise(rough, { capMm: 0, edges: 'kept' }, context())).toThrow('more than 0 mm, not 0')
  })
})
