import { describe, expect, test } from 'vitest'
import { quietContext } from '../context'
import { seededRandom } from '../linear/random'
import type { TriangleMesh } from '../shapes'
import { icosahedron, torus, withoutFaces } from '../testing/solids'
import { checkHealth } from '../mesh/health'
import { fairPatch } from './fair-patch'
import { fillHoles } from './fill-holes'
import { triangulateRing } from './triangulate-ring'

const ring = (n: number, radius = 10, lift: (angle: number) => number = () => 0): Float64Array => {
  const out = new Float64Array(n * 3)
  for (let i = 0; i < n; i++) {
    const a = (2 * Math.PI * i) / n
    out.set([radius * Math.cos(a), radius * Math.sin(a), lift(a)], i * 3)
  }
  return out
}

const area = (p: Float64Array, faces: readonly number[]): number => {
  let sum = 0
  for (let f = 0; f < faces.length; f += 3) {
    const [a, b, c] = [faces[f] * 3, faces[f + 1] * 3, faces[f + 2] * 3]
    const u = [0, 1, 2].map((k) => p[b + k] - p[a + k])
    const v = [0, 1, 2].map((k) => p[c + k] - p[a + k])
    const n = [u[1] * v[2] - u[2] * v[1], u[2] * v[0] - u[0] * v[2], u[0] * v[1] - u[1] * v[0]]
    sum += Math.hypot(...n) / 2
  }
  return sum
}

describe('triangulating a loop', () => {
  test.each([3, 4, 7, 60, 221, 500])(
    'a flat ring of %s points: n − 2 triangles, the area of the polygon (shoelace)',
    (n) => {
      const p = ring(n)
      const faces = triangulateRing(
        p,
        Int32Array.from({ length: n }, (_, i) => i),
      )!
      expect(faces.length / 3).toBe(n - 2)
      expect(area(p, faces)).toBeCloseTo((n / 2) * 100 * Math.sin((2 * Math.PI) / n), 6)
    },
  )
  test('a concave outline keeps its own area when that is the least', () => {
    // An L of area 3, counter-clockwise.
    const p = Float64Array.from([0, 0, 0, 2, 0, 0, 2, 1, 0, 1, 1, 0, 1, 2, 0, 0, 2, 0])
    const faces = triangulateRing(p, Int32Array.of(0, 1, 2, 3, 4, 5))!
    expect(area(p, faces)).toBeCloseTo(3, 9)
  })
  test('a saddle rim: no other fan does better', () => {
    const n = 24
    const p = ring(n, 10, (a) => 3 * Math.cos(2 * a))
    const least = area(
      p,
      triangulateRing(
        p,
        Int32Array.from({ length: n }, (_, i) => i),
      )!,
    )
    for (let apex = 0; apex < n; apex++) {
      const fan = Array.from({ length: n - 2 }, (_, i) => [apex, (apex + i + 1) % n, (apex + i + 2) % n]).flat()
      expect(least).toBeLessThanOrEqual(area(p, fan) + 1e-9)
    }
  })
})

/** Points with an edge to each of the listed ones, each once, in the order in which they come. */
function neighboursOf(faces: readonly number[], points: readonly number[]): Int32Array[] {
  const lists = new Map([...new Set(points)].map((v) => [v, new Set<number>()]))
  faces.forEach((v, i) => {
    const f = i - (i % 3)
    for (let k = f; k < f + 3; k++) if (faces[k] !== v) lists.get(v)?.add(faces[k])
  })
  return [...lists.values()].map((s) => Int32Array.from(s))
}

describe('fairing', () => {
  /** A disc of rings of points over a height; the rings within `free` are new. */
  function disc(height: (x: number, y: number) => number): {
    positions: Float64Array
    old: number[]
    fresh: number[]
    loop: Int32Array
    firstNew: number
  } {
    const m = 24
    const radii = [10, 8, 6, 4, 2]
    const xyz: number[] = []
    for (const r of radii) {
      for (let i = 0; i < m; i++) {
        const a = (2 * Math.PI * i) / m
        const x = r * Math.cos(a),
          y = r * Math.sin(a)
        xyz.push(x, y, height(x, y))
      }
    }
    xyz.push(0, 0, height(0, 0))
    const at = (k: number, i: number): number => k * m + (i % m)
    const band = (k: number): number[] =>
      Array.from({ length: m }, (_, i) => [
        at(k, i),
        at(k, i + 1),
        at(k + 1, i),
        at(k, i + 1),
        at(k + 1, i + 1),
        at(k + 1, i),
      ]).flat()
    const cap = Array.from({ length: m }, (_, i) => [at(4, i), at(4, i + 1), 5 * m]).flat()
    return {
      positions: Float64Array.from(xyz),
      old: [...band(0), ...band(1)],
      fresh: [...band(2), ...band(3), ...cap],
      loop: Int32Array.from({ length: m }, (_, i) => at(2, i)),
      firstNew: 3 * m,
    }
  }
  const worst = (height: (x: number, y: number) => number, disturb: number): number => {
    const d = disc(height)
    const r = seededRandom(3)
    for (let v = d.firstNew; v < d.positions.length / 3; v++) d.positions[v * 3 + 2] += disturb * r.gaussian()
    fairPatch(
      d.positions,
      d.loop,
      neighboursOf(
        [...d.old, ...d.fresh],
        [...d.loop, ...[...new Set(d.fresh)].filter((v) => v >= d.firstNew).sort((a, b) => a - b)],
      ),
      d.firstNew,
    )
    let off = 0
    for (let v = d.firstNew; v < d.positions.length / 3; v++) {
      off = Math.max(off, Math.abs(d.positions[v * 3 + 2] - height(d.positions[v * 3], d.positions[v * 3 + 1])))
    }
    return off
  }
  test('a plane comes back a plane, whatever the start', () =>
    expect(worst((x, y) => 0.3 * x - 0.2 * y + 4, 2)).toBeLessThan(1e-3))
  test('a bowl 3 mm deep is carried on: within a tenth of its depth', () =>
    expect(worst((x, y) => 0.03 * (x * x + y * y), 1)).toBeLessThan(0.3))
})

describe('holes of all kinds', () => {
  const m = torus(20, 6, 90, 45)
  test('seeded bites out of a torus: all closed, sound, genus kept', () => {
    for (let seed = 1; seed <= 6; seed++) {
      const r = seededRandom(seed)
      const gone = new Set<number>()
      for (let bite = 0; bite < 4; bite++) {
        const v = r.integer(m.positions.length / 3) * 3
        const reach = 1.5 + 2 * r.next()
        for (let f = 0; f < m.indices.length / 3; f++) {
          const near = [0, 1, 2].every((c) => {
            const w = m.indices[f * 3 + c] * 3
            return (
              Math.hypot(
                m.positions[w] - m.positions[v],
                m.positions[w + 1] - m.positions[v + 1],
                m.positions[w + 2] - m.positions[v + 2],
              ) < reach
            )
          })
          if (near) gone.add(f)
        }
      }
      const bitten = withoutFaces(m, [...gone])
      const before = checkHealth(bitten, quietContext())
      expect(before.loops.length).toBeGreaterThan(0)
      const r2 = fillHoles(bitten, { perimeterMm: Infinity }, quietContext())
      const after = checkHealth(r2.mesh, quietContext())
      expect(after, `seed ${seed}`).toMatchObject({ closed: true, manifold: true, genus: 1, crossings: 0 })
      expect(r2.closedHoles).toBe(before.loops.length)
      expect(Math.abs(after.volumeMm3 / (2 * Math.PI ** 2 * 20 * 36) - 1)).toBeLessThan(0.01)
    }
  })
  test('colours and evidence grow with the patch', () => {
    const coloured: TriangleMesh = {
      ...withoutFaces(m, [0, 1, 2, 3, 90, 91, 92, 93]),
      colours: new Uint8Array(m.positions.length).fill(9),
    }
    const { mesh } = fillHoles(coloured, { perimeterMm: Infinity }, quietContext())
    expect(mesh.colours!.length).toBe(mesh.positions.length)
    expect(mesh.evidence!.length).toBe(mesh.positions.length / 3)
    expect(mesh.colours![0]).toBe(9)
  })
  test('can be stopped between holes', () => {
    expect(() =>
      fillHoles(withoutFaces(icosahedron(), [0]), { perimeterMm: 99 }, { ...quietContext(), cancelled: () => true }),
    ).toThrow('Stopped')
  })
})
