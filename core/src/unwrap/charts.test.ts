import { describe, expect, test } from 'vitest'
import { quietContext } from '../context'
import { facetsOf } from '../mesh/facets'
import { edgeTopology } from '../mesh/topology'
import { weldVertices } from '../mesh/weld'
import type { TriangleMesh } from '../shapes'
import { ballMesh } from '../testing/altered'
import { growCharts, type LinkedFacets } from './grow-charts'
import { layFlat, type Chart } from './lay-flat'
import { mergeSmallCharts } from './merge-charts'
import { coversTwice } from './overlaps'
import { packCharts } from './pack-charts'

const linked = (mesh: TriangleMesh): LinkedFacets => ({
  ...facetsOf(mesh.positions, mesh.indices),
  twin: edgeTopology(mesh).twin,
})
const ball = weldVertices(ballMesh(20, 4))

describe('charts', () => {
  test('each face is in one, within its cone and reach, and each chart hangs together', () => {
    const facets = linked(ball)
    const { of, count } = growCharts(facets, null, 9, quietContext())
    expect(of.every((c) => c >= 0 && c < count)).toBe(true)
    for (let c = 0; c < count; c++) {
      const faces = [...of.keys()].filter((f) => of[f] === c)
      const met = new Set([faces[0]])
      const queue = [faces[0]]
      while (queue.length > 0) {
        const f = queue.pop()!
        for (let h = f * 3; h < f * 3 + 3; h++) {
          const g = Math.floor(facets.twin[h] / 3)
          if (of[g] !== c || met.has(g)) continue
          met.add(g)
          queue.push(g)
        }
      }
      expect(met.size).toBe(faces.length)
      for (const f of faces)
        for (const g of faces)
          expect(
            Math.hypot(...[0, 1, 2].map((k) => facets.middles[f * 3 + k] - facets.middles[g * 3 + k])),
          ).toBeLessThan(18.01)
    }
  })
  test('faces that are not wanted are in none', () => {
    const only = Uint8Array.from({ length: ball.indices.length / 3 }, (_, f) => f % 2)
    const { of } = growCharts(linked(ball), only, 9, quietContext())
    expect(of.every((c, f) => c >= 0 === (only[f] === 1))).toBe(true)
  })
  test('a crumb goes to the chart round it; what that one’s side does not see stays by itself', () => {
    const facets = linked(ball)
    // Three charts: a face by itself amid a half, and the two halves.
    const of = Int32Array.from({ length: ball.indices.length / 3 }, (_, f) => (facets.middles[f * 3 + 2] > 0 ? 0 : 1))
    let top = 0
    for (let f = 1; f < of.length; f++) if (facets.middles[f * 3 + 2] > facets.middles[top * 3 + 2]) top = f
    of[top] = 2
    expect(mergeSmallCharts(facets, of, 3, 20)).toBe(2)
    expect(of[top]).toBe(0)
    // Of a sheet folded to a right angle no part is seen from the other's side.
    const fold: TriangleMesh = {
      kind: 'mesh',
      positions: Float32Array.of(0, 0, 0, 10, 0, 0, 10, 10, 0, 0, 10, 0, 10, 0, 1, 10, 10, 1),
      indices: Uint32Array.of(0, 1, 2, 0, 2, 3, 1, 4, 5, 1, 5, 2),
    }
    const sides = Int32Array.of(0, 0, 1, 1)
    expect(mergeSmallCharts(linked(fold), sides, 2, 20)).toBe(2)
  })
})

/** A chart of these triangles, as they lie. */
const flat = (...places: number[]): Chart => ({
  faces: Int32Array.from({ length: places.length / 6 }, (_, f) => f),
  border: Int32Array.from({ length: places.length / 2 }, (_, k) => k),
  places: Float64Array.from(places),
  widthMm: Math.max(...places.filter((_, i) => i % 2 === 0)),
  heightMm: Math.max(...places.filter((_, i) => i % 2 === 1)),
})

describe('what lies over itself', () => {
  const apart = Uint32Array.of(0, 1, 2, 3, 4, 5)
  test('two triangles apart do not, crossing at a corner or one in the other they do', () => {
    expect(coversTwice(flat(0, 0, 4, 0, 0, 4, 5, 5, 9, 5, 5, 9), apart)).toBe(false)
    expect(coversTwice(flat(0, 0, 4, 0, 0, 4, 1.9, 1.9, 9, 5, 5, 9), apart)).toBe(true)
    expect(coversTwice(flat(0, 0, 9, 0, 0, 9, 2, 2, 3, 2, 2, 3), apart)).toBe(true)
  })
  test('two that lie on each other exactly do, though their borders nowhere cross', () => {
    expect(coversTwice(flat(0, 0, 4, 0, 0, 4, 0, 0, 4, 0, 0, 4), apart)).toBe(true)
  })
  test('two beside a common edge do not', () => {
    expect(coversTwice(flat(0, 0, 4, 0, 0, 4, 4, 0, 4, 4, 0, 4), Uint32Array.of(0, 1, 2, 1, 3, 2))).toBe(false)
  })
  test('a chart is refused where a face is seen from aside', () => {
    const facets = linked(ball)
    const all = Int32Array.from({ length: ball.indices.length / 3 }, (_, f) => f)
    expect(layFlat(ball.positions, ball.indices, facets, all, new Int32Array())).toBeNull()
  })
})

describe('packed', () => {
  const box = (w: number, h: number): Chart => flat(0, 0, w, 0, w, h, 0, 0, w, h, 0, h)
  test('boxes stand beside and on each other without a cell in common', () => {
    const charts = [box(6, 3), box(3, 6), box(2, 2), box(9, 1), box(1, 9), box(4, 4)]
    const { placed, rows } = packCharts(charts, 16, 1, 0.4, quietContext())
    const taken = new Set<string>()
    placed.forEach(({ quarter, x, y }, i) => {
      const { widthMm: w, heightMm: h } = charts[i]
      const [wide, high] = (quarter === 0 ? [w, h] : [h, w]).map((v) => Math.ceil(v + 0.8))
      for (let b = y; b < y + high; b++)
        for (let a = x; a < x + wide; a++) {
          expect(a).toBeLessThan(16)
          expect(taken.has(`${a} ${b}`)).toBe(false)
          taken.add(`${a} ${b}`)
        }
    })
    expect(rows).toBeLessThanOrEqual(16)
  })
  test('one fits into the notch of another: cells count, not boxes', () => {
    // An L of 8 by 8 whose notch of 4 by 4 is free, and a box of 3 by 3.
    const l = flat(0, 0, 8, 0, 8, 4, 0, 0, 8, 4, 0, 4, 0, 4, 4, 4, 4, 8, 0, 4, 4, 8, 0, 8)
    const { rows } = packCharts([l, box(3, 3)], 9, 1, 0.2, quietContext())
    expect(rows).toBe(9)
  })
})
