import { describe, expect, test } from 'vitest'
import { quietContext } from '../context'
import type { TriangleMesh } from '../shapes'
import { cube, torus } from '../testing/solids'
import { merged, shifted } from '../testing/altered'
import { findCrossings } from './crossings'
import { faultsOf, type FaultKind } from './faults'
import { weldVertices } from './weld'

const ring = torus(20, 6, 60, 30)
const welded = (...parts: TriangleMesh[]): TriangleMesh => weldVertices(merged(...parts))
const told = (m: TriangleMesh) => faultsOf(m, findCrossings(m, quietContext()))
const kinds = (m: TriangleMesh): Partial<Record<FaultKind, number>> =>
  told(m).reduce<Partial<Record<FaultKind, number>>>((all, { kind }) => ({ ...all, [kind]: (all[kind] ?? 0) + 1 }), {})

describe('faults by their places', () => {
  test('a sound mesh has none', () => expect(told(ring)).toEqual([]))
  test('two blocks through the ring are two places where faces cross, each as large as it is', () => {
    const crossed = welded(ring, shifted(cube(4), 24, -2, -2), shifted(cube(4), -28, -2, -2))
    expect(kinds(crossed)).toEqual({ crossing: 2, loose: 2 })
    const [first] = told(crossed)
    expect(Math.abs(Math.abs(first.at[0]) - 26)).toBeLessThan(1.5)
    expect(first.sizeMm).toBeGreaterThan(4)
    expect(first.sizeMm).toBeLessThan(12)
  })
  test('parts by themselves: all but the largest, with their size', () => {
    const [loose, ...rest] = told(welded(ring, shifted(cube(2), 40)))
    expect(rest).toEqual([])
    expect(loose).toMatchObject({ kind: 'loose', count: 12, at: [41, 1, 1] })
    expect(loose.sizeMm).toBeCloseTo(2 * Math.sqrt(3), 5)
  })
  test('an edge of four faces, a point that is only touched, a face turned over, a face without area', () => {
    expect(kinds(welded(cube(2), shifted(cube(2), 2, 2)))).toEqual({ crowded: 1 })
    expect(kinds(welded(cube(2), shifted(cube(2), 2, 2, 2)))).toEqual({ pinched: 1 })
    const turned = { ...ring, indices: ring.indices.slice() }
    turned.indices.set([ring.indices[0], ring.indices[2], ring.indices[1]], 0)
    expect(kinds(turned).against).toBe(1)
    const flat: TriangleMesh = {
      kind: 'mesh',
      positions: Float32Array.of(0, 0, 0, 2, 0, 0, 1, 0, 0, 1, 2, 0),
      indices: Uint32Array.of(0, 1, 3, 0, 2, 1),
    }
    expect(kinds(flat).flat).toBe(1)
  })
  test('a point drawn far out of the surface is a spike; a corner of a block is none', () => {
    const spiked = { ...ring, positions: ring.positions.slice() }
    const v = 400
    for (let c = 0; c < 3; c++) spiked.positions[v * 3 + c] *= 1.7
    const spikes = told(spiked).filter((f) => f.kind === 'spike')
    expect(spikes).toHaveLength(1)
    expect(spikes[0].sizeMm).toBeGreaterThan(5)
    expect(told(cube(2))).toEqual([])
  })
})
