import { describe, expect, test } from 'vitest'
import { quietContext } from '../context'
import { identityMotion, shiftMotion } from '../linear/rigid'
import { checkHealth } from '../mesh/health'
import { EVIDENCE, pickPoints, type PointCloud } from '../shapes'
import { spherePoints } from '../testing/solids'
import { evidenceOf } from './evidence'
import { gatherPoints } from './points'
import { makeSkin, type SkinOptions } from './skin'
import { thinWalls } from './thin-walls'

const context = quietContext
const skin = (clouds: readonly PointCloud[], options: SkinOptions) =>
  makeSkin(
    clouds.map((cloud) => ({ cloud, motion: identityMotion() })),
    options,
    context(),
  )
const radii = (positions: Float32Array): number[] =>
  Array.from({ length: positions.length / 3 }, (_, i) => Math.hypot(...positions.subarray(i * 3, i * 3 + 3)))
const mean = (values: readonly number[]): number => values.reduce((a, b) => a + b, 0) / values.length

describe('how fine', () => {
  const ball = spherePoints(20, 20_000, 0.05)
  test('even triangles of the spacing: 2.3 to a square of it; all of the grid’s are four times as many', () => {
    const area = 4 * Math.PI * 400
    const even = skin([ball], { spacingMm: 1 }).mesh
    const dense = skin([ball], { spacingMm: 1, dense: true }).mesh
    expect(even.indices.length / 3 / area).toBeGreaterThan(2.15)
    expect(even.indices.length / 3 / area).toBeLessThan(2.5)
    expect(dense.indices.length / 3 / area).toBeGreaterThan(8.5)
    for (const mesh of [even, dense]) {
      const h = checkHealth(mesh, context())
      expect([h.closed, h.manifold, h.crossings, h.genus]).toEqual([true, true, 0, 0])
    }
    const h = checkHealth(even, context())
    expect([h.sliverFaces, h.bentEdges]).toEqual([0, 0])
  })
  test('so many as were asked for, within 3 %; fewer where they may grow', () => {
    const counted = skin([ball], { spacingMm: 0.9, triangles: 8000 }).mesh.indices.length / 3
    expect(Math.abs(counted / 8000 - 1)).toBeLessThan(0.03)
    const box = boxCloud(30, 0.5)
    const [even, grown] = [false, true].map(
      (largeWhereFlat) => skin([box], { spacingMm: 0.8, largeWhereFlat }).mesh.indices.length / 3,
    )
    expect(grown).toBeLessThan(0.6 * even)
  })
})

describe('the field keeps its distance', () => {
  test('a coarse skin of a small ball has its radius: a mean of tangent planes alone lies outside by r²/12R', () => {
    const R = 8,
      spacingMm = 1
    const { mesh } = skin([spherePoints(R, 8000)], { spacingMm })
    // Kernel radius 2.75: 0.079 mm off without the correction. Balanced points lie on both sides of the ball.
    expect(Math.abs(mean(radii(mesh.positions)) - R)).toBeLessThan(0.03)
  })
  test.each([1.2, 2, 3])('a plate of %s spacings has two sides and its thickness within 0.15 spacing', (spacings) => {
    const spacingMm = 0.8,
      thickness = spacings * spacingMm
    const { mesh } = skin([boxCloud(24, 0.4, thickness, 0.03)], { spacingMm })
    const h = checkHealth(mesh, context())
    expect([h.closed, h.manifold, h.crossings, h.genus]).toEqual([true, true, 0, 0])
    const inner = (sign: number): number[] => {
      const out: number[] = []
      for (let i = 0; i < mesh.positions.length; i += 3) {
        const [x, y, z] = mesh.positions.subarray(i, i + 3)
        if (Math.abs(x) < 9 && Math.abs(y) < 9 && Math.sign(z) === sign) out.push(z)
      }
      return out
    }
    expect(inner(1).length).toBeGreaterThan(400)
    expect(Math.abs(mean(inner(1)) - mean(inner(-1)) - thickness)).toBeLessThan(0.15 * spacingMm)
  })
})

describe('walls that a spacing does not hold', () => {
  const spacingMm = 0.8
  const told = (thickness: number) =>
    thinWalls(
      gatherPoints([{ cloud: boxCloud(24, 0.3, thickness, 0.03), motion: identityMotion() }]),
      spacingMm,
      context(),
    )
  test.each([0.5, 0.8, 1])(
    'a plate of %s spacings is told, with its thickness within a tenth of a spacing',
    (spacings) => {
      const { share, thicknessMm } = told(spacings * spacingMm)
      expect(share).toBeGreaterThan(0.7)
      expect(Math.abs(thicknessMm - spacings * spacingMm)).toBeLessThan(0.1 * spacingMm)
    },
  )
  test.each([1.5, 3])('a plate of %s spacings is not', (spacings) => {
    expect(told(spacings * spacingMm).share).toBe(0)
  })
  test('nor are the edges of a block, nor two layers of one side', () => {
    const block = boxCloud(24, 0.4)
    const twice = { cloud: block, motion: shiftMotion(0.3, 0.3, 0.3) }
    const points = gatherPoints([{ cloud: block, motion: identityMotion() }, twice])
    expect(thinWalls(points, spacingMm, context()).share).toBe(0)
  })
})

describe('what is called measured', () => {
  test('goes by millimetres from the points, not by how large the triangles are', () => {
    const ball = spherePoints(20, 20_000)
    const half = pickPoints(
      ball,
      Array.from({ length: 20_000 }, (_, i) => i).filter((i) => ball.positions[i * 3 + 2] > 0),
    )
    for (const spacingMm of [0.8, 2]) {
      const { mesh, pointSpacingMm } = skin([half], { spacingMm })
      for (let v = 0; v < mesh.evidence!.length; v++) {
        const z = mesh.positions[v * 3 + 2]
        // Within one and a half point spacings of the last points: about half a millimetre below the middle.
        if (mesh.evidence![v] === EVIDENCE.measured) expect(z).toBeGreaterThan(-2 * pointSpacingMm)
        if (z > 0.5) expect(mesh.evidence![v]).toBe(EVIDENCE.measured)
        if (z < -2 * pointSpacingMm - 2.6 * Math.max(spacingMm, pointSpacingMm))
          expect(mesh.evidence![v]).toBe(EVIDENCE.invented)
      }
    }
  })
  test('carried is within two and a half spacings along the surface', () => {
    // A strip of squares, 1 mm each, the first two points measured.
    const n = 8
    const positions = Float32Array.from(
      { length: n * 6 },
      (_, k) => [Math.floor(k / 6), Math.floor((k % 6) / 3), 0][k % 3],
    )
    const indices = Uint32Array.from({ length: (n - 1) * 6 }, (_, k) => {
      const q = Math.floor(k / 6) * 2
      return [q, q + 2, q + 3, q, q + 3, q + 1][k % 6]
    })
    const measured = Uint8Array.from({ length: n * 2 }, (_, v) => (v < 2 ? 1 : 0))
    const evidence = evidenceOf({ kind: 'mesh', positions, indices }, measured, 1)
    expect(Array.from(evidence)).toEqual([0, 0, 1, 1, 1, 1, 2, 2, 2, 2, 2, 2, 2, 2, 2, 2])
  })
  test('one side of a thin sheet does not speak for the other', () => {
    const { mesh } = skin([onlyTop(boxCloud(24, 0.4, 1))], { spacingMm: 0.6 })
    let under = 0
    for (let v = 0; v < mesh.evidence!.length; v++) {
      const [x, y, z] = mesh.positions.subarray(v * 3, v * 3 + 3)
      if (Math.abs(x) < 8 && Math.abs(y) < 8 && z < -0.2) {
        under++
        expect(mesh.evidence![v]).not.toBe(EVIDENCE.measured)
      }
    }
    expect(under).toBeGreaterThan(100)
  })
  test('large triangles do not reach over what was not seen', () => {
    // A box whose top has a round place without points, 2 mm in radius.
    const box = boxCloud(30, 0.4)
    const holed = pickPoints(
      box,
      Array.from({ length: box.positions.length / 3 }, (_, i) => i).filter(
        (i) => box.positions[i * 3 + 2] < 14 || Math.hypot(box.positions[i * 3], box.positions[i * 3 + 1]) > 2,
      ),
    )
    const { mesh } = skin([holed], { spacingMm: 0.6, largeWhereFlat: true })
    const { positions: p, indices, evidence } = mesh
    let longest = 0
    for (let i = 0; i < indices.length; i += 3) {
      const corners = [0, 1, 2].map((c) => indices[i + c])
      const [x, y, z] = [0, 1, 2].map((c) => corners.reduce((sum, v) => sum + p[v * 3 + c] / 3, 0))
      for (let c = 0; c < 3; c++) {
        const [u, w] = [corners[c] * 3, corners[(c + 1) % 3] * 3]
        longest = Math.max(longest, Math.hypot(p[u] - p[w], p[u + 1] - p[w + 1], p[u + 2] - p[w + 2]))
      }
      // In its middle nothing is called measured.
      if (z > 14 && Math.hypot(x, y) < 1)
        expect(Math.max(...corners.map((v) => evidence![v]))).toBeGreaterThan(EVIDENCE.measured)
    }
    expect(longest).toBeGreaterThan(2)
  })
  test('colours of points come to the skin’s, the mean of those near', () => {
    const ball = spherePoints(20, 20_000)
    const colours = Uint8Array.from(
      { length: 60_000 },
      (_, k) => (ball.positions[k - (k % 3)] > 0 ? [200, 40, 10] : [10, 40, 200])[k % 3],
    )
    const { mesh } = skin([{ ...ball, colours }], { spacingMm: 1 })
    for (let v = 0; v < mesh.positions.length / 3; v++) {
      const x = mesh.positions[v * 3]
      if (x > 1) expect(Array.from(mesh.colours!.subarray(v * 3, v * 3 + 3))).toEqual([200, 40, 10])
      if (x < -1) expect(Array.from(mesh.colours!.subarray(v * 3, v * 3 + 3))).toEqual([10, 40, 200])
    }
    expect(skin([ball], { spacingMm: 2 }).mesh.colours).toBeUndefined()
  })
})

describe('takes that do not agree', () => {
  const take = (seed: number): PointCloud => spherePoints(20, 12_000, 0.05, seed)
  test('are told by how much of the surface, and by how far', () => {
    const [a, b] = [take(1), take(2)]
    const together = skin([a, b], { spacingMm: 1 }).apart
    expect(together.shared).toBeGreaterThan(0.98)
    expect(together.apart).toBeLessThan(0.01)
    const { apart } = makeSkin(
      [
        { cloud: a, motion: identityMotion() },
        { cloud: b, motion: shiftMotion(0.5, 0, 0) },
      ],
      { spacingMm: 1 },
      context(),
    )
    // Two balls 0.5 mm apart lie 0.5·cos off each other: over 0.1 mm (two sigmas) on 80 % of them, 0.25 mm on the mean.
    expect(apart.apart).toBeGreaterThan(0.6)
    expect(apart.apart).toBeLessThan(0.9)
    expect(apart.meanMm).toBeGreaterThan(0.2)
    expect(apart.meanMm).toBeLessThan(0.4)
    expect(apart.mostMm).toBeLessThan(0.6)
  })
  test('one take alone has nothing to disagree with', () =>
    expect(skin([take(1)], { spacingMm: 1 }).apart).toMatchObject({ shared: 0, apart: 0, meanMm: 0, mostMm: 0 }))
  test('takes without any noise agree, whatever the last digits say', () => {
    const { apart } = skin([boxCloud(20, 0.5), boxCloud(20, 0.4)], { spacingMm: 1 })
    expect(apart.shared).toBeGreaterThan(0.9)
    expect(apart.apart).toBe(0)
    expect(apart.withinMm).toBeGreaterThanOrEqual(0.1)
  })
})

/** Points on a box of `size` × `size` × `height`, about `step` apart, facing outwards. */
function boxCloud(size: number, step: number, height = size, noiseMm = 0): PointCloud {
  const { random } = context(7)
  const positions: number[] = [],
    normals: number[] = []
  const extent = [size, size, height]
  for (let axis = 0; axis < 3; axis++)
    for (const side of [-1, 1]) {
      const [u, v] = [(axis + 1) % 3, (axis + 2) % 3]
      const count = Math.round((extent[u] * extent[v]) / step ** 2)
      for (let i = 0; i < count; i++) {
        const p = [0, 0, 0],
          n = [0, 0, 0]
        p[axis] = (side * extent[axis]) / 2 + noiseMm * random.gaussian()
        p[u] = (random.next() - 0.5) * extent[u]
        p[v] = (random.next() - 0.5) * extent[v]
        n[axis] = side
        positions.push(...p)
        normals.push(...n)
      }
    }
  return { kind: 'cloud', positions: Float32Array.from(positions), normals: Float32Array.from(normals) }
}
const onlyTop = (cloud: PointCloud): PointCloud =>
  pickPoints(
    cloud,
    Array.from({ length: cloud.positions.length / 3 }, (_, i) => i).filter((i) => cloud.normals![i * 3 + 2] > -0.5),
  )
