import { describe, expect, test } from 'vitest'
import { gatherPoints } from '../fuse/points'
import { identityMotion } from '../linear/rigid'
import { seededRandom } from '../linear/random'
import { cloudOfMesh, vertexNormals } from '../mesh/normals'
import { EVIDENCE, type TriangleMesh } from '../shapes'
import { ballMesh, inFour } from '../testing/altered'
import { cube } from '../testing/solids'
import { RawSurface } from './raw-surface'
import { Sculpture } from './sculpture'
import type { Brush, Stroke } from './stroke'

const RADIUS = 20
const ball = ballMesh(RADIUS, 5)
const top: [number, number, number] = [0, 0, RADIUS]

/** A ball with what stands out of it, or is sunk, by so much within 3 mm of its top. */
function withBump(heightMm: number): TriangleMesh {
  const positions = ball.positions.slice()
  for (let v = 0; v < positions.length; v += 3) {
    const aside = Math.hypot(positions[v], positions[v + 1])
    if (positions[v + 2] < 0 || aside > 3) continue
    const k = 1 + (heightMm / RADIUS) * (1 - (aside / 3) ** 2) ** 2
    for (let c = 0; c < 3; c++) positions[v + c] *= k
  }
  return { ...ball, positions, evidence: new Uint8Array(positions.length / 3) }
}
/** A box of so many mm, its faces even. */
const boxMesh = (x: number, y: number, z: number): TriangleMesh => {
  const unit = cube()
  return { ...unit, positions: unit.positions.map((v, i) => v * [x, y, z][i % 3]) }
}
/** What a scanner would have seen: the same form by other points. */
const rawOf = (mesh: TriangleMesh): RawSurface =>
  new RawSurface(gatherPoints([{ cloud: cloudOfMesh(mesh), motion: identityMotion() }]))
const stroke = (brush: Brush, more: Partial<Stroke> = {}): Stroke => ({
  brush,
  radiusMm: 6,
  strength: 1,
  side: null,
  onto: 'plane',
  dabs: Array.from({ length: 10 }, () => [...top, 1]).flat(),
  ...more,
})
/** Signed heights over the ball of the vertices within so much of its top. */
const heights = ({ positions: p }: { positions: Float32Array }, within: number): number[] => {
  const out: number[] = []
  for (let v = 0; v < p.length; v += 3)
    if (p[v + 2] > 0 && Math.hypot(p[v], p[v + 1]) <= within) out.push(Math.hypot(p[v], p[v + 1], p[v + 2]) - RADIUS)
  return out
}
const most = (values: readonly number[]): number => Math.max(...values.map(Math.abs))

describe('what brushes do', () => {
  test('smoothing takes a bump down and leaves what the brush did not reach byte for byte', () => {
    const bump = withBump(0.5)
    const work = new Sculpture(bump, { capMm: 5, raw: null })
    work.draw(stroke('smooth'))
    const out = work.result()
    expect(most(heights(out, 1))).toBeLessThan(0.25)
    for (let v = 0; v < out.positions.length; v += 3)
      if (Math.hypot(out.positions[v] - top[0], out.positions[v + 1], out.positions[v + 2] - top[2]) > 6.6)
        expect(out.positions.subarray(v, v + 3)).toEqual(bump.positions.subarray(v, v + 3))
    expect(work.told().mostMm).toBeGreaterThan(0.2)
  })
  test('filling raises a pit to the curve of the ball round it, and lowers nothing', () => {
    const pit = withBump(-0.6)
    const work = new Sculpture(pit, { capMm: 5, raw: null })
    work.draw(stroke('fill'))
    const after = heights(work.result(), 2.8)
    expect(most(after)).toBeLessThan(0.08)
    for (let v = 0; v < pit.positions.length; v += 3) {
      const l = (p: Float32Array): number => Math.hypot(p[v], p[v + 1], p[v + 2])
      expect(l(work.live.positions)).toBeGreaterThanOrEqual(l(pit.positions) - 1e-5)
    }
    expect(work.result().evidence!.includes(EVIDENCE.invented)).toBe(true)
  })
  test('flattening lays what stands out of a flat face onto the face that most of the brush tells', () => {
    const box = inFour(boxMesh(40, 40, 10), 5)
    const positions = box.positions.slice()
    const z = Math.max(...Array.from(positions).filter((_, i) => i % 3 === 2))
    const [mx, my] = [0, 1].map((c) => {
      const all = Array.from(positions).filter((_, i) => i % 3 === c)
      return (Math.min(...all) + Math.max(...all)) / 2
    })
    for (let v = 0; v < positions.length; v += 3)
      if (positions[v + 2] === z && Math.hypot(positions[v] - mx, positions[v + 1] - my) < 3) positions[v + 2] += 0.4
    const work = new Sculpture({ ...box, positions }, { capMm: 5, raw: null })
    work.draw(stroke('flatten', { radiusMm: 9, dabs: Array.from({ length: 25 }, () => [mx, my, z, 1]).flat() }))
    for (let v = 0; v < positions.length; v += 3)
      if (positions[v + 2] > z + 0.1) expect(Math.abs(work.live.positions[v + 2] - z)).toBeLessThan(0.02)
  })
  test('flattening onto a cylinder brings a dented one back to its radius', () => {
    const sides = 256,
      rings = 60,
      r = 15
    const p: number[] = [],
      indices: number[] = []
    for (let k = 0; k <= rings; k++)
      for (let i = 0; i < sides; i++) {
        const a = (2 * Math.PI * i) / sides,
          z = k * 0.5
        const dent = Math.hypot((i - 64) * ((2 * Math.PI * r) / sides), z - 15) < 2.5 ? -0.3 : 0
        p.push((r + dent) * Math.cos(a), (r + dent) * Math.sin(a), z)
      }
    for (let k = 0; k < rings; k++)
      for (let i = 0; i < sides; i++) {
        const j = (i + 1) % sides,
          b = k * sides
        indices.push(b + i, b + j, b + sides + j, b + i, b + sides + j, b + sides + i)
      }
    const mesh: TriangleMesh = { kind: 'mesh', positions: Float32Array.from(p), indices: Uint32Array.from(indices) }
    const work = new Sculpture(mesh, { capMm: 5, raw: null })
    const dabs = Array.from({ length: 30 }, () => [0, r, 15, 1]).flat()
    work.draw(stroke('flatten', { onto: 'cylinder', radiusMm: 8, dabs }))
    const off: number[] = []
    for (let v = 0; v < p.length; v += 3)
      if (Math.hypot(work.live.positions[v], work.live.positions[v + 1] - r, work.live.positions[v + 2] - 15) < 4)
        off.push(Math.hypot(work.live.positions[v], work.live.positions[v + 1]) - r)
    expect(off.length).toBeGreaterThan(100)
    expect(most(off)).toBeLessThan(0.02)
  })
  test('pulling brings a surface that was worn away back to what the take saw', () => {
    const seen = withBump(0.5)
    const work = new Sculpture(
      { ...ball, evidence: new Uint8Array(ball.positions.length / 3).fill(2) },
      {
        capMm: 2,
        raw: rawOf(seen),
      },
    )
    work.draw(stroke('pull'))
    const raw = heights(seen, 1)
    const now = heights(work.result(), 1)
    expect(Math.max(...now)).toBeGreaterThan(0.85 * Math.max(...raw))
    expect(work.result().evidence!.includes(EVIDENCE.measured)).toBe(true)
  })
})

describe('the cap', () => {
  test.each(['smooth', 'fill', 'flatten'] as const)(
    '%s leaves no vertex farther from the points than the cap',
    (brush) => {
      const form = withBump(brush === 'fill' ? -0.8 : 0.8)
      const raw = rawOf(form)
      const work = new Sculpture(form, { capMm: 0.1, raw })
      work.draw(stroke(brush, { dabs: Array.from({ length: 30 }, () => [...top, 1]).flat() }))
      const told = work.told()
      expect(told.moved).toBeGreaterThan(50)
      expect(told.heldBack).toBeGreaterThan(20)
      expect(told.fromRawMm).toBeLessThanOrEqual(0.1005)
      // Asked of the points anew, vertex by vertex.
      const normals = vertexNormals(form)
      const p = work.live.positions
      for (let v = 0; v < p.length; v += 3) {
        if (p[v + 2] < 0 || Math.hypot(p[v], p[v + 1]) > 5) continue
        const off = raw.offset(p[v], p[v + 1], p[v + 2], normals[v], normals[v + 1], normals[v + 2], 1)
        expect(Math.abs(off)).toBeLessThan(0.115)
      }
    },
  )
  test('where nothing was measured no vertex goes farther than the cap from where it was', () => {
    const form = withBump(0.8)
    const work = new Sculpture(form, { capMm: 0.07, raw: null })
    work.draw(stroke('smooth', { dabs: Array.from({ length: 60 }, () => [...top, 1]).flat() }))
    expect(work.told().mostMm).toBeGreaterThan(0.069)
    expect(work.told().mostMm).toBeLessThanOrEqual(0.07 + 1e-5)
    expect(work.told().unmeasured).toBe(work.told().moved)
  })
  test('forced, it goes as far as the brush takes it', () => {
    const work = new Sculpture(withBump(0.8), { capMm: Infinity, raw: rawOf(withBump(0.8)) })
    work.draw(stroke('flatten', { dabs: Array.from({ length: 30 }, () => [...top, 1]).flat() }))
    expect(work.told().fromRawMm).toBeGreaterThan(0.4)
    expect(work.told().heldBack).toBe(0)
  })
  test('a cap of 0 is refused', () => {
    expect(() => new Sculpture(ball, { capMm: 0, raw: null })).toThrow('A cap of 0 mm lets nothing move.')
  })
})

describe('strokes', () => {
  test('taken back one by one, the surface is what it was, byte for byte', () => {
    const work = new Sculpture(withBump(0.5), { capMm: 5, raw: null })
    const states = [work.live.positions.slice()]
    for (const brush of ['smooth', 'fill', 'flatten'] as const) {
      work.draw(stroke(brush, { strength: 0.5 }))
      states.push(work.live.positions.slice())
    }
    expect(states[3]).not.toEqual(states[2])
    for (const before of [2, 1, 0]) {
      expect(work.back().length).toBeGreaterThan(0)
      expect(work.live.positions).toEqual(states[before])
    }
    expect(work.told().moved).toBe(0)
    expect(work.back()).toHaveLength(0)
  })
  test('dab by dab or at once, they give the same places', () => {
    const dabs = Array.from({ length: 30 }, (_, i) => [i * 0.2 - 3, 0.3, Math.sqrt(RADIUS ** 2 - 9), 0.7]).flat()
    const once = new Sculpture(withBump(0.5), { capMm: 0.2, raw: null })
    once.draw(stroke('smooth', { dabs }))
    const live = new Sculpture(withBump(0.5), { capMm: 0.2, raw: null })
    const { dabs: _all, ...kind } = stroke('smooth')
    live.begin(kind)
    for (let i = 0; i < dabs.length; i += 4) live.dab(dabs[i], dabs[i + 1], dabs[i + 2], dabs[i + 3])
    live.end()
    expect(live.live.positions).toEqual(once.live.positions)
  })
  test('a brush on one side of a thin plate leaves the other as it is', () => {
    const plate = inFour(boxMesh(40, 40, 0.5), 5)
    const random = seededRandom(4)
    const positions = plate.positions.map((v, i) => (i % 3 === 2 ? v + 0.02 * random.gaussian() : v))
    const low = Math.min(...positions.filter((_, i) => i % 3 === 2))
    const [mx, my] = [0, 1].map((c) => {
      const all = Array.from(positions).filter((_, i) => i % 3 === c)
      return (Math.min(...all) + Math.max(...all)) / 2
    })
    const work = new Sculpture({ ...plate, positions }, { capMm: 5, raw: null })
    work.draw(stroke('smooth', { dabs: [mx, my, low + 0.55, 1], side: [0, 0, 1] }))
    expect(work.told().moved).toBeGreaterThan(50)
    for (let v = 0; v < positions.length; v += 3)
      if (positions[v + 2] < low + 0.2) expect(work.live.positions[v + 2]).toBe(positions[v + 2])
  })
  test('how hard it is pressed drives how far it goes; nothing under the brush, nothing done', () => {
    const after = (pressure: number): number => {
      const work = new Sculpture(withBump(0.5), { capMm: 5, raw: null })
      work.draw(stroke('flatten', { dabs: [...top, pressure] }))
      return work.told().mostMm
    }
    expect(after(0.5)).toBeGreaterThan(1.8 * after(0.25))
    expect(after(1)).toBeGreaterThan(1.8 * after(0.5))
    const off = new Sculpture(ball, { capMm: 5, raw: null })
    off.draw(stroke('smooth', { dabs: [0, 0, 60, 1] }))
    expect(off.told().moved).toBe(0)
  })
  test('no face turns over, however hard and often the brush goes', () => {
    const random = seededRandom(3)
    const rough = { ...ball, positions: ball.positions.map((v) => v * (1 + 0.01 * random.gaussian())) }
    const work = new Sculpture(rough, { capMm: 5, raw: null })
    const was = vertexNormals(rough)
    for (const brush of ['fill', 'smooth', 'flatten'] as const)
      work.draw(stroke(brush, { radiusMm: 12, dabs: Array.from({ length: 20 }, () => [...top, 1]).flat() }))
    const now = vertexNormals(work.result())
    let turned = 0
    for (let v = 0; v < was.length; v += 3)
      if (was[v] * now[v] + was[v + 1] * now[v + 1] + was[v + 2] * now[v + 2] < 0) turned++
    expect(turned).toBe(0)
  })
})
