import { describe, expect, test } from 'vitest'
import { quietContext } from '../context'
import { seededRandom } from '../linear/random'
import { boxPoints, cube, torus } from '../testing/solids'
import { compareShapes } from './compare'
import { fitScale, guessUnit, scaleDoubt, unitSlip, type DistancePair } from './scale'

describe('distances to a mesh', () => {
  const mesh = torus(20, 6, 240, 120)
  test('signed distance of seeded points agrees with the closed form of a torus', () => {
    const p = boxPoints(800, [60, 60, 24], 5)
    const d = compareShapes({ kind: 'cloud', positions: p }, mesh, quietContext())
    let farthest = 0
    for (let i = 0; i < 800; i++) {
      const exact = Math.hypot(Math.hypot(p[i * 3], p[i * 3 + 1]) - 20, p[i * 3 + 2]) - 6
      farthest = Math.max(farthest, Math.abs(d.distanceMm[i] - exact))
    }
    expect(farthest).toBeLessThan(0.03)
    expect(d.signed).toBe(true)
  })
  // The sign next to edges and corners is where a plain face normal fails: Bærentzen and Aanæs 2005.
  test('outside and inside a cube, nearest to corners, edges and faces', () => {
    const p = Float32Array.of(2, 2, 2, 0.9, 0.9, 0.9, 1.5, 1.5, 0.5, -1, 0.5, 0.5, 0.5, 0.5, 0.5, 1.2, 1.2, -0.2)
    const d = compareShapes({ kind: 'cloud', positions: p }, cube(1), quietContext())
    ;[Math.sqrt(3), -0.1, Math.SQRT1_2, 1, -0.5, Math.hypot(0.2, 0.2, 0.2)].forEach((v, i) =>
      expect(d.distanceMm[i]).toBeCloseTo(v, 5),
    )
  })
  test('summary figures', () => {
    const p = Float32Array.from(Array.from({ length: 100 }, (_, i) => [0.5, 0.5, 1 + (i + 1) / 100]).flat())
    const d = compareShapes({ kind: 'cloud', positions: p }, cube(1), quietContext())
    expect(d.meanMm).toBeCloseTo(0.505, 5)
    expect(d.p95Mm).toBeCloseTo(0.96, 5)
    expect(d.maxMm).toBeCloseTo(1, 5)
    expect(d.rmsMm).toBeCloseTo(
      Math.sqrt(Array.from({ length: 100 }, (_, i) => ((i + 1) / 100) ** 2).reduce((a, b) => a + b) / 100),
      5,
    )
  })
  test('a mesh against itself is nowhere apart; shifted, nowhere farther than the shift', () => {
    expect(compareShapes(mesh, mesh, quietContext()).maxMm).toBeLessThan(1e-5)
    for (const shift of [
      [0.5, 0, 0],
      [0, -0.2, 0.3],
    ]) {
      const moved = { ...mesh, positions: mesh.positions.map((v, i) => v + shift[i % 3]) }
      const d = compareShapes(moved, mesh, quietContext())
      expect(d.maxMm).toBeLessThanOrEqual(Math.hypot(...shift) + 1e-5)
      expect(d.maxMm).toBeGreaterThan(Math.hypot(...shift) * 0.9)
      expect(Math.abs(d.meanMm)).toBeLessThan(0.02)
    }
  })
  test('grown evenly, it lies outside everywhere by as much', () => {
    const grown = torus(20, 6.25, 240, 120)
    const d = compareShapes(grown, mesh, quietContext())
    expect(d.meanMm).toBeCloseTo(0.25, 2)
    expect(Math.min(...d.distanceMm)).toBeGreaterThan(0.2)
    const inward = compareShapes(torus(20, 5.75, 240, 120), mesh, quietContext())
    expect(Math.max(...inward.distanceMm)).toBeLessThan(-0.2)
  })
  test('against a cloud: unsigned, nearest point', () => {
    const d = compareShapes(
      { kind: 'cloud', positions: Float32Array.of(0, 0, 0) },
      { kind: 'cloud', positions: Float32Array.of(3, 4, 0, 9, 9, 9) },
      quietContext(),
    )
    expect([d.distanceMm[0], d.signed]).toEqual([5, false])
  })
})

describe('scale from calliper distances', () => {
  const pair = (mesh: number, readingMm: number, uncertaintyMm = 0.05): DistancePair => ({
    from: [0, 0, 0],
    to: [mesh, 0, 0],
    readingMm,
    uncertaintyMm,
  })
  test('one reading: the ratio; its uncertainty by the law of propagation (JCGM 100:2008, 5.1.2)', () => {
    const fit = fitScale([pair(100, 102)], { pickMm: 0.05 })
    expect(fit.factor).toBeCloseTo(1.02, 12)
    // u²(k) = (u²(m) + k²·2·pick²)/d²
    expect(fit.uncertainty).toBeCloseTo(Math.sqrt(0.05 ** 2 + 1.02 ** 2 * 2 * 0.05 ** 2) / 100, 12)
  })
  test('weights follow the uncertainties: a hundred times coarser reading hardly counts', () => {
    expect(fitScale([pair(100, 100), pair(100, 110, 5)], { pickMm: 0 }).factor).toBeCloseTo(1, 3)
  })
  test('what all readings share does not average out', () => {
    const many = Array.from({ length: 50 }, () => pair(100, 100))
    expect(fitScale(many, { commonMm: 0.03 }).uncertainty).toBeGreaterThan(0.03 / 100)
    expect(fitScale(many, { commonMm: 0.03 }).uncertainty).toBeLessThan(0.033 / 100)
  })
  test('the stated 95 % interval holds the true scale in 92 to 98 of 100 of 200 seeded cases, and is no wider than it must be', () => {
    let held = 0
    let cases = 0
    let widest = 0
    for (let seed = 1; cases < 200; seed++) {
      const r = seededRandom(seed)
      const truth = 0.9 + 0.2 * r.next()
      const pick = 0.04
      const pairs = Array.from({ length: 1 + r.integer(5) }, () => {
        const ends = [0, 1].map(() => [0, 1, 2].map(() => (r.next() - 0.5) * 160))
        const u = 0.02 + 0.06 * r.next()
        const length = Math.hypot(...ends[0].map((v, c) => v - ends[1][c]))
        const [from, to] = ends.map(
          (e) => e.map((v) => v + pick * r.gaussian()) as unknown as readonly [number, number, number],
        )
        return { from: from, to: to, readingMm: truth * length + u * r.gaussian(), uncertaintyMm: u }
      }).filter((p) => p.readingMm > 20)
      if (pairs.length === 0) continue
      cases++
      const fit = fitScale(pairs, { pickMm: pick })
      if (Math.abs(fit.factor - truth) <= fit.halfWidth95) held++
      // Propagated once more, independently: Σd²/σ² with the true scale.
      const information = pairs.reduce(
        (s, p) => s + fit.meshMm[pairs.indexOf(p)] ** 2 / (p.uncertaintyMm ** 2 + 2 * (truth * pick) ** 2),
        0,
      )
      widest = Math.max(widest, fit.halfWidth95 / (1.959964 / Math.sqrt(information)))
    }
    expect(held / 200).toBeGreaterThanOrEqual(0.92)
    expect(held / 200).toBeLessThanOrEqual(0.98)
    expect(widest).toBeLessThanOrEqual(1.3)
  })
  test.each<[string, DistancePair[], string]>([
    ['nothing', [], 'at least one distance'],
    ['both ends in one place', [pair(0, 5)], 'Distance 1 begins and ends at the same point'],
    ['a reading of nothing', [pair(5, 0)], 'larger than 0 mm, not 0'],
    ['a negative uncertainty', [pair(5, 5, -1)], '0 mm or more'],
  ])('%s is refused', (_what, pairs, sentence) => expect(() => fitScale(pairs)).toThrow(sentence))
})

// Common practice: ×1000 is a metre taken for a millimetre, ×25.4 an inch, ×10 a centimetre. The inch is 25.4 mm
// exactly (international inch, 1959).
test.each([
  [1000, 'metres'],
  [0.00101, 'thousand times too big'],
  [25.3, 'inches'],
  [1 / 25.4, 'inches'],
  [10.2, 'centimetres'],
  [0.1, 'ten times too big'],
])('a factor of %s names the slip: %s', (factor, word) => {
  expect(unitSlip(factor)?.text).toContain(word)
})
test('an honest factor is no slip', () => {
  for (const k of [1, 0.97, 2, 5, 100]) expect(unitSlip(k)).toBeNull()
})
test('one reading far from the mesh is doubted, two that agree are not, a slip always is', () => {
  expect(scaleDoubt(0.15, 1)).toContain('add a second reading')
  expect(scaleDoubt(6.7, 1)).toContain('add a second reading')
  expect(scaleDoubt(0.15, 2)).toBeNull()
  for (const k of [1, 0.85, 1.2]) expect(scaleDoubt(k, 1)).toBeNull()
  expect(scaleDoubt(25.4, 3)).toContain('inches')
})
test('the unit is guessed from the size', () => {
  expect(guessUnit(0.118).unit).toBe('m')
  expect(guessUnit(118).unit).toBe('mm')
  expect(guessUnit(118_000).reason).toContain('micrometres')
})
