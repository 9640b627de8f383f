import { describe, expect, test } from 'vitest'
import { quietContext } from '../context'
import { EVIDENCE, type TriangleMesh } from '../shapes'
import { BrickGrid } from './brick-grid'
import { carveFreeSpace } from './carve'
import { contourBricks } from './contour'
import { evidenceShares, withoutInvented } from './evidence'
import type { View } from './points'
import { predictBytes, predictFaces } from './predict'
import { markBricks, splatPlanes } from './splat'

/** A wall of 40 × 40 mm at z = 0, seen from 100 mm above. */
function wallView(gap = 0): View {
  const points: number[] = []
  for (let y = -20; y <= 20; y += 0.5) {
    for (let x = -20; x <= 20; x += 0.5) {
      if (Math.hypot(x, y) >= gap) points.push(x, y, 0)
    }
  }
  return { origin: [0, 0, 100], points: Float32Array.from(points) }
}

function carved(view: View, places: readonly (readonly number[])[], marginMm = 2): number[] {
  const marked: number[] = []
  const count = carveFreeSpace(
    [view],
    marginMm,
    Int32Array.from(places, (_, i) => i),
    (node, out) => out.set(places[node]),
    (node) => marked.push(node),
    quietContext(),
  )
  expect(count).toBe(marked.length)
  return marked
}

describe('free space', () => {
  test('what lies before the wall is free, what lies behind or beside it is not known', () => {
    const places = [
      [0, 0, 50],
      [5, -5, 10],
      [0, 0, 3],
      [0, 0, 1],
      [0, 0, -1],
      [0, 0, -50],
      [90, 0, 50],
      [0, 0, 150],
    ]
    expect(carved(wallView(), places)).toEqual([0, 1, 2])
  })
  test('the margin holds', () => {
    expect(carved(wallView(), [[0, 0, 6]], 5)).toEqual([0])
    expect(carved(wallView(), [[0, 0, 6]], 8)).toEqual([])
  })
  test('through a gap in the wall nothing is known: no point, no free space', () => {
    expect(
      carved(wallView(6), [
        [0, 0, 20],
        [15, 0, 20],
      ]),
    ).toEqual([1])
  })
  test('the nearer of two surfaces decides', () => {
    const far = wallView()
    const near = Float32Array.from(far.points, (v, i) => (i % 3 === 2 ? 30 : v * 0.5))
    const both = Float32Array.from([...far.points, ...near])
    expect(
      carved({ origin: far.origin, points: both }, [
        [0, 0, 50],
        [0, 0, 10],
      ]),
    ).toEqual([0])
  })
  test('a view of a few points says nothing', () => {
    const few = { origin: [0, 0, 100] as const, points: wallView().points.slice(0, 90) }
    expect(carved(few, [[0, 0, 50]])).toEqual([])
  })
})

describe('splatting', () => {
  test('the field of one plane is the signed distance to it', () => {
    const n = 41
    const positions = new Float32Array(n * n * 3)
    const normals = new Float32Array(n * n * 3)
    for (let i = 0; i < n * n; i++) {
      positions.set([(i % n) * 0.25 - 5, Math.floor(i / n) * 0.25 - 5, 0.3], i * 3)
      normals.set([0, 0, 1], i * 3)
    }
    const points = { positions, normals, weights: new Float32Array(n * n).fill(1), views: [], takes: [] }
    const grid = new BrickGrid([-10, -10, -10], 0.5, [6, 6, 6])
    markBricks(grid, points, 1.2, quietContext())
    const { field, weight } = splatPlanes(grid, points, 1.2, quietContext())
    let checked = 0
    grid.slotBrick.forEach((brick, slot) => {
      const [, , bz] = grid.brickCoordinates(brick)
      for (let k = 0; k < 512; k++) {
        const w = weight[slot * 512 + k]
        if (w === 0) continue
        const z = -10 + 0.5 * (bz * 8 + (k >> 6))
        expect(field[slot * 512 + k] / w).toBeCloseTo(z - 0.3, 4)
        checked++
      }
    })
    expect(checked).toBeGreaterThan(500)
  })
})

describe('contour of seeded fields', () => {
  test('every drawn surface is closed: each edge is run once each way', () => {
    for (let seed = 1; seed <= 12; seed++) {
      const { random } = quietContext(seed)
      const grid = new BrickGrid([0, 0, 0], 1, [2, 2, 2])
      for (let b = 0; b < 8; b++) if (random.next() < 0.6) grid.ensure(b)
      if (grid.slotCount === 0) grid.ensure(0)
      const values = new Float32Array(grid.slotCount * 512).map(() => random.gaussian() + 0.3)
      const { indices, positions } = contourBricks(grid, values, 1, quietContext())
      const runs = new Map<string, number>()
      for (let i = 0; i < indices.length; i++) {
        const a = indices[i]
        const b = indices[i % 3 === 2 ? i - 2 : i + 1]
        const key = `${a},${b}`
        runs.set(key, (runs.get(key) ?? 0) + 1)
      }
      let bad = 0
      for (const [key, count] of runs) if (count !== 1 || runs.get(key.split(',').reverse().join()) !== 1) bad++
      expect(runs.size).toBeGreaterThan(1000)
      expect(bad, `seed ${seed}`).toBe(0)
      expect(Math.max(...indices)).toBe(positions.length / 3 - 1)
    }
  })
})

describe('evidence', () => {
  // Two triangles side by side, one with an invented corner.
  const mesh: TriangleMesh = {
    kind: 'mesh',
    positions: Float32Array.of(0, 0, 0, 2, 0, 0, 0, 2, 0, 2, 2, 0),
    indices: Uint32Array.of(0, 1, 2, 1, 3, 2),
    evidence: Uint8Array.of(EVIDENCE.measured, EVIDENCE.carried, EVIDENCE.measured, EVIDENCE.invented),
  }
  test('shares go by area, a face counts as its weakest corner', () => {
    expect(evidenceShares(mesh)).toEqual({ measured: 0, carried: 0.5, invented: 0.5 })
    const { evidence: _none, ...plain } = mesh
    expect(evidenceShares(plain)).toEqual({ measured: 1, carried: 0, invented: 0 })
  })
  test('the open skin leaves out every face that touches what was invented', () => {
    const open = withoutInvented(mesh)
    expect(open.indices.length / 3).toBe(1)
    expect(Array.from(open.evidence!)).toEqual([0, 1, 0])
  })
})

test('predictions: half the spacing makes four times the faces (common practice, and Euler), and about four times the memory', () => {
  expect(predictFaces(1000, 0.5) / predictFaces(1000, 1)).toBeCloseTo(4, 9)
  const ratio = predictBytes(16_000, 0.25) / predictBytes(16_000, 0.5)
  expect(ratio).toBeGreaterThan(3.5)
  expect(ratio).toBeLessThan(4.5)
})
