import { describe, expect, test } from 'vitest'
import { quietContext } from '../context'
import { checkHealth, massProperties } from '../mesh/health'
import { meshAreaMm2 } from '../mesh/sample-surface'
import type { TriangleMesh } from '../shapes'
import { torus, withoutFaces } from '../testing/solids'
import { deviationFrom } from './deviation'
import type { Ground } from './relax'
import { edgeForFaces, facesForEdge, remesh } from './remesh'

/** The ring of radii R and r about z, by its closed form. */
function ringGround(R: number, r: number): Ground {
  return {
    lay(at, normal) {
      const out = Math.hypot(at[0], at[1])
      const cx = (at[0] / out) * R,
        cy = (at[1] / out) * R
      const d = Math.hypot(at[0] - cx, at[1] - cy, at[2])
      normal[0] = (at[0] - cx) / d
      normal[1] = (at[1] - cy) / d
      normal[2] = at[2] / d
      at[0] = cx + normal[0] * r
      at[1] = cy + normal[1] * r
      at[2] = normal[2] * r
      return true
    },
  }
}
/** A plate's two faces at z = ± half, each for what lies on its side. */
const plateGround = (half: number): Ground => ({
  lay(at, normal) {
    const side = at[2] < 0 ? -1 : 1
    normal[0] = normal[1] = 0
    normal[2] = side
    at[2] = side * half
    return true
  },
})

/** Smallest angle of each face, degrees. */
function smallestAngles({ positions: p, indices }: TriangleMesh): number[] {
  return Array.from({ length: indices.length / 3 }, (_, f) => {
    const [a, b, c] = [0, 1, 2]
      .map((k) => {
        const u = indices[f * 3 + k] * 3,
          v = indices[f * 3 + ((k + 1) % 3)] * 3
        return Math.hypot(p[u] - p[v], p[u + 1] - p[v + 1], p[u + 2] - p[v + 2])
      })
      .sort((x, y) => x - y)
    return (Math.acos(Math.min(1, (b * b + c * c - a * a) / (2 * b * c))) * 180) / Math.PI
  })
}
function edgeLengths({ positions: p, indices }: TriangleMesh): number[] {
  return Array.from(indices, (a, i) => {
    const u = a * 3,
      v = indices[i % 3 === 2 ? i - 2 : i + 1] * 3
    return Math.hypot(p[u] - p[v], p[u + 1] - p[v + 1], p[u + 2] - p[v + 2])
  })
}
const mean = (values: readonly number[]): number => values.reduce((a, b) => a + b, 0) / values.length

const R = 20,
  r = 6
const ring = torus(R, r, 240, 90)
const ground = ringGround(R, r)

describe('even triangles', () => {
  test('of a ring: its edges near the length asked for, its angles near 60°, its area and volume by Pappus', () => {
    const even = remesh(ring, ground, { edgeMm: 1 }, quietContext())
    const h = checkHealth(even, quietContext())
    expect([h.closed, h.manifold, h.crossings, h.genus]).toEqual([true, true, 0, 1])
    const edges = edgeLengths(even)
    expect(mean(edges)).toBeGreaterThan(0.9)
    expect(mean(edges)).toBeLessThan(1.1)
    expect(Math.max(...edges)).toBeLessThan(1.6)
    const angles = smallestAngles(even)
    expect(mean(angles)).toBeGreaterThan(48)
    expect(Math.min(...angles)).toBeGreaterThan(25)
    // An equilateral triangle of edge s has √3/4 s²: 2.309 of them to a square of s (geometry).
    expect(h.faces / (4 * Math.PI ** 2 * R * r)).toBeGreaterThan(2.1)
    expect(h.faces / (4 * Math.PI ** 2 * R * r)).toBeLessThan(2.5)
    const { areaMm2, volumeMm3 } = massProperties(even)
    expect(areaMm2 / (4 * Math.PI ** 2 * R * r)).toBeCloseTo(1, 2)
    // Points are laid off by what the chords cut off, so that the ring does not shrink: within 1 in 2,000.
    expect(Math.abs(volumeMm3 / (2 * Math.PI ** 2 * R * r * r) - 1)).toBeLessThan(5e-4)
  })
  test('are made smaller, too: a coarse ring follows the surface it is laid on', () => {
    const coarse = torus(R, r, 24, 10)
    const even = remesh(coarse, ground, { edgeMm: 1 }, quietContext())
    expect(even.indices.length / 3).toBeGreaterThan(9000)
    expect(deviationFrom(even, ground).rmsMm).toBeLessThan(0.02)
    expect(deviationFrom(coarse, ground).rmsMm).toBeGreaterThan(0.2)
    expect(checkHealth(even, quietContext()).crossings).toBe(0)
  })
  test('lie off a bend by no more than allowed, whatever edge was asked for (L²/6R in the middle)', () => {
    const loose = remesh(ring, ground, { edgeMm: 3 }, quietContext())
    const close = remesh(ring, ground, { edgeMm: 3, offMm: 0.08 }, quietContext())
    // At edges of 3 mm on a tube of 6 the middles lie 0.25 mm off the points, and half as much off the balanced ones.
    expect(deviationFrom(loose, ground).mostMm).toBeGreaterThan(0.125)
    expect(deviationFrom(close, ground).mostMm).toBeLessThan(0.08)
    expect(close.indices.length).toBeGreaterThan(1.3 * loose.indices.length)
  })
  test('grow where it is flat when they may', () => {
    const same = remesh(ring, ground, { edgeMm: 0.7, offMm: 0.05 }, quietContext())
    const grown = remesh(ring, ground, { edgeMm: 0.7, offMm: 0.05, growth: 4 }, quietContext())
    expect(grown.indices.length).toBeLessThan(0.5 * same.indices.length)
    expect(deviationFrom(grown, ground).mostMm).toBeLessThan(0.1)
    expect(checkHealth(grown, quietContext()).crossings).toBe(0)
  })
  test('are four times as many for half the edge, and near those that an area holds of one size', () => {
    // √3/4 s² each (geometry).
    const held = (edgeMm: number): number => meshAreaMm2(ring) / ((Math.sqrt(3) / 4) * edgeMm ** 2)
    const counts = [1.6, 0.8].map((edgeMm) => remesh(ring, ground, { edgeMm }, quietContext()).indices.length / 3)
    expect(counts[1] / counts[0]).toBeGreaterThan(3.7)
    expect(counts[1] / counts[0]).toBeLessThan(4.3)
    for (const [i, edgeMm] of [1.6, 0.8].entries()) {
      expect(counts[i] / held(edgeMm)).toBeGreaterThan(0.92)
      expect(counts[i] / held(edgeMm)).toBeLessThan(1.05)
    }
    expect(facesForEdge(100, edgeForFaces(100, 5000))).toBeCloseTo(5000, 6)
  })
  test('are the same, to the byte, each time', () => {
    const a = remesh(ring, ground, { edgeMm: 1.3 }, quietContext(1))
    const b = remesh(ring, ground, { edgeMm: 1.3 }, quietContext(2))
    expect(a.positions).toEqual(b.positions)
    expect(a.indices).toEqual(b.indices)
  })
  test('leave a border where it is', () => {
    const open = withoutFaces(
      ring,
      Array.from({ length: 400 }, (_, f) => f),
    )
    const border = (m: TriangleMesh): number => checkHealth(m, quietContext()).loops.length
    const even = remesh(open, ground, { edgeMm: 1 }, quietContext())
    expect(border(even)).toBe(border(open))
    expect(checkHealth(even, quietContext()).borderEdges).toBe(checkHealth(open, quietContext()).borderEdges)
  })
})

describe('a sheet thinner than its triangles', () => {
  test('does not cross itself: its two sides keep apart', () => {
    const half = 0.15
    const plate = plateMesh(12, half, 0.4)
    expect(checkHealth(plate, quietContext()).crossings).toBe(0)
    const even = remesh(plate, plateGround(half), { edgeMm: 1.5 }, quietContext())
    const h = checkHealth(even, quietContext())
    expect([h.closed, h.manifold, h.crossings, h.genus]).toEqual([true, true, 0, 0])
    expect(h.faces).toBeLessThan(plate.indices.length / 6)
  })
  test.each([
    [0, /longer than 0/],
    [NaN, /longer than 0/],
  ])('an edge of %s mm is refused', (edgeMm, says) =>
    expect(() => remesh(ring, ground, { edgeMm }, quietContext())).toThrow(says),
  )
})

/** Two square sheets of `step` meshes, sewn together round the rim. */
function plateMesh(size: number, half: number, step: number): TriangleMesh {
  const n = Math.round(size / step)
  const positions: number[] = [],
    indices: number[] = []
  const at = (side: number, i: number, j: number): number => side * (n + 1) ** 2 + i * (n + 1) + j
  for (const side of [0, 1])
    for (let i = 0; i <= n; i++)
      for (let j = 0; j <= n; j++) positions.push(i * step - size / 2, j * step - size / 2, side ? half : -half)
  for (let i = 0; i < n; i++)
    for (let j = 0; j < n; j++) {
      indices.push(at(1, i, j), at(1, i + 1, j), at(1, i + 1, j + 1), at(1, i, j), at(1, i + 1, j + 1), at(1, i, j + 1))
      indices.push(at(0, i, j), at(0, i + 1, j + 1), at(0, i + 1, j), at(0, i, j), at(0, i, j + 1), at(0, i + 1, j + 1))
    }
  const rim: [number, number][] = []
  for (let k = 0; k < n; k++) rim.push([k, 0])
  for (let k = 0; k < n; k++) rim.push([n, k])
  for (let k = n; k > 0; k--) rim.push([k, n])
  for (let k = n; k > 0; k--) rim.push([0, k])
  rim.forEach(([i, j], k) => {
    const [u, v] = rim[(k + 1) % rim.length]
    indices.push(at(0, i, j), at(0, u, v), at(1, u, v), at(0, i, j), at(1, u, v), at(1, i, j))
  })
  return { kind: 'mesh', positions: Float32Array.from(positions), indices: Uint32Array.from(indices) }
}
