import { describe, expect, test } from 'vitest'
import { quietContext } from '../context'
import { seededRandom } from '../linear/random'
import { checkHealth, massProperties } from '../mesh/health'
import { boundsOf, type TriangleMesh } from '../shapes'
import { extruded, monotoneCurve, polygonDistance, smoothStep } from './implicit'
import { DEMO_PIECES, type DemoPiece } from './pieces'
import { CLEAT_HALF_WIDTH, CLEAT_HOLE, CLEAT_OUTLINE } from './pieces/cleat'
import { emptySample } from './pieces/piece'
import { polygonise } from './polygonise'

const spacingOf = (piece: DemoPiece): number => Math.min(piece.lengthMm / 60, (piece.wallMm ?? Infinity) / 2.5)
const meshes = new Map<string, TriangleMesh>()
const meshOf = (name: string): TriangleMesh => {
  const piece = DEMO_PIECES[name]
  let mesh = meshes.get(name)
  if (!mesh) meshes.set(name, (mesh = polygonise(piece.field, piece.bounds, spacingOf(piece), quietContext())))
  return mesh
}

describe.each(Object.keys(DEMO_PIECES))('the %s', (name) => {
  const piece = DEMO_PIECES[name]
  test('is one closed solid without crossings, of its genus and its stated size', () => {
    const mesh = meshOf(name)
    expect(checkHealth(mesh, quietContext())).toMatchObject({
      closed: true,
      manifold: true,
      genus: piece.genus,
      components: 1,
      crossings: 0,
    })
    const { min, max } = boundsOf(mesh.positions)
    for (let c = 0; c < 3; c++) expect(Math.abs(max[c] - min[c] - piece.sizeMm[c]), `axis ${c}`).toBeLessThan(0.6)
    expect(Math.max(...piece.sizeMm)).toBe(piece.lengthMm)
  })
  test('has a field that rays may step by, and vertices on its surface', () => {
    const { positions: p } = meshOf(name)
    const r = seededRandom(4)
    let steepest = 0
    const off: number[] = []
    for (let i = 0; i < 3000; i++) {
      const v = r.integer(p.length / 3) * 3
      off.push(Math.abs(piece.field(p[v], p[v + 1], p[v + 2])))
      const [x, y, z] = [0, 1, 2].map((c) => p[v + c] + (r.next() - 0.5) * 4) as [number, number, number]
      const d = [r.gaussian(), r.gaussian(), r.gaussian()]
      const l = Math.hypot(...d) / 0.05
      steepest = Math.max(
        steepest,
        Math.abs(piece.field(x + d[0] / l, y + d[1] / l, z + d[2] / l) - piece.field(x, y, z)) / 0.05,
      )
    }
    expect(steepest).toBeLessThan(1.15)
    off.sort((a, b) => a - b)
    expect(off[Math.floor(off.length * 0.95)]).toBeLessThan(0.03 * spacingOf(piece))
  })
  test('has a colour and a reflectance everywhere, and shows each of its zones', () => {
    const { positions: p } = meshOf(name)
    const sample = emptySample()
    const zones = new Set<number>()
    for (let i = 0; i < p.length; i += 3) {
      piece.surface(p[i], p[i + 1], p[i + 2], sample)
      zones.add(sample.zone)
      if (!(sample.reflectance > 0 && sample.reflectance <= 1 && sample.red >= 0 && sample.red <= 255))
        throw new Error(`no reflectance at ${i / 3}`)
    }
    expect([...zones].sort()).toEqual(piece.zones.map((_, k) => k))
  })
})

test('the cleat has the volume of its drawing: area by the shoelace formula times width, less its two holes', () => {
  let area = 0
  const n = CLEAT_OUTLINE.length
  for (let i = 0, j = n - 2; i < n; j = i, i += 2)
    area += (CLEAT_OUTLINE[j] * CLEAT_OUTLINE[i + 1] - CLEAT_OUTLINE[i] * CLEAT_OUTLINE[j + 1]) / 2
  // The foot's upper face over a hole: 8 mm at x = 24, 14 mm at x = 14; its mean over the disc is its height at the
  // middle.
  const height = 8 + ((24 - CLEAT_HOLE.atX) * 6) / 10
  const drawn = area * 2 * CLEAT_HALF_WIDTH - 2 * Math.PI * CLEAT_HOLE.radius ** 2 * height
  expect(massProperties(meshOf('cleat')).volumeMm3 / drawn).toBeCloseTo(1, 2)
})

test('sharp edges are sharp: corners of the cleat’s drawing lie on the mesh, where a plain contour cuts them off', () => {
  const piece = DEMO_PIECES.cleat
  const spacing = 1.5
  const nearest = (mesh: TriangleMesh): number[] => {
    const out: number[] = []
    for (let i = 0; i < CLEAT_OUTLINE.length; i += 2) {
      // Midway along the edge, away from the corners in depth.
      const [x, y, z] = [CLEAT_OUTLINE[i], 4.3, CLEAT_OUTLINE[i + 1]]
      let best = Infinity
      const p = mesh.positions
      // Distance across the edge only: vertices lie anywhere along it.
      for (let v = 0; v < p.length; v += 3)
        if (Math.abs(p[v + 1] - y) < 2) best = Math.min(best, Math.hypot(p[v] - x, p[v + 2] - z))
      out.push(best)
    }
    return out
  }
  const sharp = nearest(polygonise(piece.field, piece.bounds, spacing, quietContext()))
  const plain = nearest(polygonise(piece.field, piece.bounds, spacing, quietContext(), { sharp: false }))
  // Vertices keep 4 % of a cell clear of the grid's nodes, so an edge that runs through nodes is off by a little.
  expect(Math.max(...sharp)).toBeLessThan(0.12 * spacing)
  expect(sharp.sort((a, b) => a - b)[7]).toBeLessThan(0.01)
  expect(plain.sort((a, b) => a - b)[7]).toBeGreaterThan(0.1)
})

describe('building blocks (closed forms)', () => {
  test('distance to a square: beside, at a corner, inside', () => {
    const square = Float64Array.from([-1, -1, 1, -1, 1, 1, -1, 1])
    expect(polygonDistance(3, 0, square)).toBeCloseTo(2, 12)
    expect(polygonDistance(4, 5, square)).toBeCloseTo(5, 12)
    expect(polygonDistance(0.25, 0, square)).toBeCloseTo(-0.75, 12)
  })
  test('drawn up it is a box', () => {
    expect(extruded(-0.5, 0, 2)).toBeCloseTo(-0.5, 12)
    expect(extruded(3, 6, 2)).toBeCloseTo(5, 12)
  })
  test('a monotone curve meets its knots and never overshoots (Fritsch and Carlson 1980)', () => {
    const f = monotoneCurve([0, 1, 2, 4], [0, 0, 3, 3])
    for (const [x, y] of [
      [0, 0],
      [1, 0],
      [2, 3],
      [4, 3],
    ] as const)
      expect(f(x)).toBeCloseTo(y, 12)
    for (let x = 0; x <= 4; x += 0.05) {
      expect(f(x)).toBeGreaterThanOrEqual(-1e-12)
      expect(f(x)).toBeLessThanOrEqual(3 + 1e-12)
    }
    expect(smoothStep(0, 2, 1)).toBe(0.5)
  })
})
