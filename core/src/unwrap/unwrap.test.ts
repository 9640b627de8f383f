import { describe, expect, test } from 'vitest'
import { quietContext } from '../context'
import type { TriangleMesh } from '../shapes'
import { ballMesh, merged, shifted } from '../testing/altered'
import { angleBeam, cube, rod, torus } from '../testing/solids'
import { unwrap, type UnwrapOptions } from './unwrap'

const laid = (mesh: TriangleMesh, options: UnwrapOptions) => unwrap(mesh, options, quietContext())

/** How often each sample of the sheet, half a texel apart, lies strictly inside a face; and the nearest two charts come. */
function coverage({ mesh, sheetPx }: ReturnType<typeof laid>): { most: number; share: number } {
  const side = sheetPx * 2
  const times = new Uint8Array(side * side)
  const uv = mesh.uvs!
  for (let f = 0; f < uv.length; f += 6) {
    const t = Array.from(uv.subarray(f, f + 6), (v) => v * side)
    const [x0, x1] = [Math.floor(Math.min(t[0], t[2], t[4])), Math.ceil(Math.max(t[0], t[2], t[4]))]
    const [y0, y1] = [Math.floor(Math.min(t[1], t[3], t[5])), Math.ceil(Math.max(t[1], t[3], t[5]))]
    const turn = Math.sign((t[2] - t[0]) * (t[5] - t[1]) - (t[3] - t[1]) * (t[4] - t[0]))
    for (let y = y0; y < y1; y++)
      for (let x = x0; x < x1; x++) {
        let inside = turn !== 0
        for (let c = 0; c < 6 && inside; c += 2) {
          const [ax, ay, bx, by] = [t[c], t[c + 1], t[(c + 2) % 6], t[(c + 3) % 6]]
          inside = turn * ((bx - ax) * (y + 0.5 - ay) - (by - ay) * (x + 0.5 - ax)) > 1e-3
        }
        if (inside) times[y * side + x]++
      }
  }
  return { most: times.reduce((a, b) => Math.max(a, b), 0), share: times.filter((n) => n > 0).length / times.length }
}

/** A ribbon that winds twice round, each turn over the other: seen from above it covers every place twice. */
function spiral(): TriangleMesh {
  const p: number[] = [],
    f: number[] = []
  const steps = 160
  for (let i = 0; i <= steps; i++) {
    const a = (i / steps) * 4 * Math.PI
    for (const r of [8, 12]) p.push(r * Math.cos(a), r * Math.sin(a), (i / steps) * 6)
    if (i > 0) f.push(2 * i - 2, 2 * i - 1, 2 * i, 2 * i - 1, 2 * i + 1, 2 * i)
  }
  return { kind: 'mesh', positions: Float32Array.from(p), indices: Uint32Array.from(f) }
}

describe('a surface laid out flat', () => {
  test.each([
    ['ball', ballMesh(20, 4)],
    ['ring', torus(20, 6, 120, 48)],
    ['beam', angleBeam(20, 8, 24)],
    ['rod', rod(8, 30, 1)],
    ['two parts', merged(ballMesh(6, 3), shifted(cube(9), 30))],
    ['a ribbon over itself', spiral()],
  ])('%s: no place of the sheet is covered twice, and stretch and use are as told', (_, mesh) => {
    const found = laid(mesh, { sheetPx: 512 })
    const { most, share } = coverage(found)
    expect(most).toBe(1)
    expect(Math.abs(share / found.use - 1)).toBeLessThan(0.06)
    expect(found.use).toBeGreaterThan(0.4)
    // A cone of 50°: 1 / cos 50°, and a little where charts were grown of few faces.
    expect(found.stretchP99).toBeLessThan(1.7)
    expect(found.stretchL2).toBeGreaterThanOrEqual(1)
    expect(found.mesh.uvs!.every((v) => v >= 0 && v <= 1)).toBe(true)
  })
  test('a cube is six charts without stretch', () => {
    expect(laid(cube(10), { sheetPx: 256 })).toMatchObject({ charts: 6, stretchL2: 1, stretchP99: 1 })
  })
  test('a texel is as large on the surface as was asked: 100 dots an inch are 0.254 mm', () => {
    const { mesh, sheetPx, texelMm } = laid(ballMesh(20, 4), { texelMm: 25.4 / 100 })
    expect(texelMm).toBe(0.254)
    const { positions: p, indices, uvs } = mesh
    let longest = 0
    for (let h = 0; h < indices.length; h += 3) {
      const flat = Math.hypot(uvs![h * 2] - uvs![h * 2 + 2], uvs![h * 2 + 1] - uvs![h * 2 + 3]) * sheetPx * texelMm
      const [a, b] = [indices[h] * 3, indices[h + 1] * 3]
      longest = Math.max(longest, flat / Math.hypot(p[a] - p[b], p[a + 1] - p[b + 1], p[a + 2] - p[b + 2]))
    }
    // Seen along an axis nothing is longer than it is, and what lies across it is as long.
    expect(longest).toBeLessThan(1.0001)
    expect(longest).toBeGreaterThan(0.999)
  })
  test('faces of no area and flipped ones are laid out, too; nothing, neither and too much are refused', () => {
    const { positions, indices } = ballMesh(5, 2)
    const odd = { kind: 'mesh' as const, positions, indices: Uint32Array.of(...indices, 0, 0, 1, 4, 3, 2) }
    expect(laid(odd, { sheetPx: 256 }).mesh.uvs!.every(Number.isFinite)).toBe(true)
    expect(() => laid({ kind: 'mesh', positions, indices: new Uint32Array() }, { sheetPx: 64 })).toThrow('no faces')
    expect(() => laid(cube(1), {})).toThrow('Say how large a texel is')
    expect(() => laid(cube(1), { texelMm: 0 })).toThrow('larger than 0 mm')
    expect(() => laid(cube(1), { sheetPx: 100.5 })).toThrow('whole number of texels')
    expect(() => laid(cube(1000), { texelMm: 0.01 })).toThrow('up to 16384 are written')
    expect(() => laid(torus(20, 6, 200, 80), { sheetPx: 16 })).toThrow('too small')
  })
})
