import { describe, expect, test } from 'vitest'
import { seededRandom } from '../../linear/random'
import { rotationMotion, transformPoint, type Motion } from '../../linear/rigid'
import { judgePicks, nextPick } from './judge-picks'
import { rigidFromPairs } from './pairs'

const motion: Motion = rotationMotion([0.3, 0.5, 0.8], 1.1, [12, -7, 30])
/** Picks on a ball of 40 mm, made by eye: each side off by a scatter. */
function picks(n: number, scatter: number, seed: number): { from: Float64Array; to: Float64Array } {
  const r = seededRandom(seed)
  const from = new Float64Array(n * 3),
    to = new Float64Array(n * 3)
  for (let i = 0; i < n; i++) {
    const d = [r.gaussian(), r.gaussian(), r.gaussian()],
      l = Math.hypot(...d)
    const p = d.map((v) => (40 * v) / l) as [number, number, number]
    from.set(p, i * 3)
    to.set(
      transformPoint(motion, ...p).map((v) => v + scatter * r.gaussian()),
      i * 3,
    )
  }
  return { from, to }
}

describe('picks judged by leaving each out', () => {
  test('the one that is wrong is named, in nearly all of a hundred cases, and hardly ever one where none is', () => {
    let named = 0,
      blamed = 0
    for (let seed = 1; seed <= 100; seed++) {
      const good = picks(6, 0.6, seed)
      if (judgePicks(good.from, good.to).bad !== null) blamed++
      const wrong = seed % 6
      good.to[wrong * 3 + (seed % 3)] += 15
      if (judgePicks(good.from, good.to).bad === wrong) named++
    }
    expect(named).toBeGreaterThanOrEqual(95)
    expect(blamed).toBeLessThanOrEqual(3)
  })
  test('exact picks have no scatter and none is bad; of three none can be told', () => {
    const { from, to } = picks(5, 0, 3)
    const judged = judgePicks(from, to)
    expect(judged.scatterMm).toBeLessThan(1e-9)
    expect(judged.bad).toBeNull()
    expect(Math.max(...judged.leftOutMm)).toBeLessThan(1e-9)
    const three = picks(3, 1, 4)
    expect(judgePicks(three.from, three.to).bad).toBeNull()
  })
  test('one without which the others lie on a line carries the fit, and is not judged', () => {
    const from = Float64Array.of(0, 0, 0, 10, 0, 0, 20, 0, 0, 10, 15, 0)
    const { leftOutMm, bad } = judgePicks(from, from)
    expect(leftOutMm[3]).toBeNaN()
    expect(bad).toBeNull()
  })
})

describe('where one more pick helps most', () => {
  test('is far from picks that lie together, and what is foretold there is what a thousand fits scatter', () => {
    const { from } = picks(5, 0, 9)
    const near = from.map((v, i) => (i % 3 === 2 ? 30 + v / 10 : v / 4))
    const r = seededRandom(2)
    const surface = new Float32Array(900)
    for (let i = 0; i < 300; i++) {
      const d = [r.gaussian(), r.gaussian(), r.gaussian()],
        l = Math.hypot(...d)
      surface.set(
        d.map((v) => (40 * v) / l),
        i * 3,
      )
    }
    const next = nextPick(near, surface)!
    const distance = (p: readonly number[]): number => Math.hypot(p[0], p[1], p[2] - 30)
    expect(distance(next.at)).toBeGreaterThan(55)
    expect(next.worstScatters).toBeGreaterThan(3 * next.bestScatters)
    // Monte Carlo: noise of one scatter on every pick.
    const sigma = 0.02
    let sum = 0
    for (let k = 0; k < 1000; k++) {
      const { motion: m } = rigidFromPairs(
        near,
        near.map((v) => v + sigma * r.gaussian()),
      )
      const moved = transformPoint(m, ...(next.at as [number, number, number]))
      sum += moved.reduce((s, v, c) => s + (v - next.at[c]) ** 2, 0)
    }
    expect(Math.abs(Math.sqrt(sum / 1000) / (next.worstScatters * sigma) - 1)).toBeLessThan(0.08)
  })
  test('after it the worst place is surer; two picks and nothing to pick say nothing', () => {
    const { from } = picks(4, 0, 5)
    const surface = Float32Array.from(picks(200, 0, 6).from)
    const first = nextPick(from, surface)!
    const after = nextPick(Float64Array.of(...from, ...first.at), surface)!
    expect(after.worstScatters).toBeLessThan(first.worstScatters)
    expect(nextPick(from.slice(0, 6), surface)).toBeNull()
    expect(nextPick(from, new Float32Array(0))).toBeNull()
  })
})
