import { describe, expect, test } from 'vitest'
import { quietContext } from '../context'
import { solveCholesky } from '../linear/cholesky'
import { seededRandom } from '../linear/random'
import type { PointCloud } from '../shapes'
import { spherePoints } from '../testing/solids'
import { QuadricFit } from './quadric'
import { smoothPoints } from './smooth'
import { curvatureOf, thinByCurvature } from './thin-curved'

/** Points of a torus, evenly by area, with the angle round the tube. */
function torusPoints(R: number, r: number, n: number, seed: number): { cloud: PointCloud; tube: Float64Array } {
  const random = seededRandom(seed)
  const positions = new Float32Array(n * 3),
    normals = new Float32Array(n * 3),
    tube = new Float64Array(n)
  for (let i = 0; i < n;) {
    const v = 2 * Math.PI * random.next()
    if (random.next() * (R + r) > R + r * Math.cos(v)) continue
    const u = 2 * Math.PI * random.next()
    positions.set([(R + r * Math.cos(v)) * Math.cos(u), (R + r * Math.cos(v)) * Math.sin(u), r * Math.sin(v)], i * 3)
    normals.set([Math.cos(v) * Math.cos(u), Math.cos(v) * Math.sin(u), Math.sin(v)], i * 3)
    tube[i++] = v
  }
  return { cloud: { kind: 'cloud', positions, normals }, tube }
}
const rms = (p: Float32Array, radius: number): number => {
  let s = 0
  for (let i = 0; i < p.length; i += 3) s += (Math.hypot(p[i], p[i + 1], p[i + 2]) - radius) ** 2
  return Math.sqrt(s / (p.length / 3))
}
const median = (v: number[]): number => v.sort((a, b) => a - b)[v.length >> 1]

describe('curvature', () => {
  // do Carmo 1976, 3-3: a torus has the curvatures 1/r round the tube and cos v/(R + r cos v) round the axis.
  test('a quadric’s own curvatures: h = u²/2a + v²/2b has 1/a and 1/b; tilted it keeps them', () => {
    const q = new QuadricFit()
    q.begin()
    for (let u = -2; u <= 2; u++)
      for (let v = -2; v <= 2; v++) q.add(u / 10, v / 10, (u / 10) ** 2 / 8 - (v / 10) ** 2 / 20)
    expect(q.solve()).toBe(true)
    const [k1, k2] = q.curvatures()
    expect(k1).toBeCloseTo(1 / 4, 9)
    expect(k2).toBeCloseTo(-1 / 10, 9)
    // A sphere of radius 3 seen from a point off its top: the graph slopes, the curvature does not change.
    q.begin()
    for (let u = -3; u <= 3; u++)
      for (let v = -3; v <= 3; v++) q.add(u / 100, v / 100, -Math.sqrt(9 - (0.9 + u / 100) ** 2 - (v / 100) ** 2))
    q.solve()
    for (const k of q.curvatures()) expect(Math.abs(k)).toBeCloseTo(1 / 3, 3)
  })
  test('torus: the larger curvature is 1/r everywhere, to a few in a hundred', () => {
    const { cloud } = torusPoints(20, 5, 40_000, 2)
    const k = curvatureOf(cloud, quietContext())
    const off = median([...k].map((v) => Math.abs(v * 5 - 1)))
    expect(off).toBeLessThan(0.03)
  })
})

/**
 * Share of the noise that a weighted quadric through points on an even disc leaves at its middle: the variance of a
 * linear estimate is σ²·e₀ᵀA⁻¹BA⁻¹e₀ with A = Σw·rrᵀ, B = Σw²·rrᵀ (Gauss–Markov).
 */
function noiseLeft(points: number): number {
  const random = seededRandom(1)
  const rounds = 300
  let total = 0
  for (let t = 0; t < rounds; t++) {
    const a = new Float64Array(36),
      b = new Float64Array(36)
    for (let k = 0; k < points;) {
      const u = k === 0 ? 0 : 2 * random.next() - 1,
        v = k === 0 ? 0 : 2 * random.next() - 1
      if (u * u + v * v >= 1) continue
      k++
      const row = [1, u, v, u * u, u * v, v * v],
        w = Math.exp(-2 * (u * u + v * v))
      for (let i = 0; i < 6; i++)
        for (let j = 0; j < 6; j++) {
          a[i * 6 + j] += w * row[i] * row[j]
          b[i * 6 + j] += w * w * row[i] * row[j]
        }
    }
    const x = new Float64Array(6)
    solveCholesky(a, Float64Array.of(1, 0, 0, 0, 0, 0), x, 6)
    for (let i = 0; i < 6; i++) for (let j = 0; j < 6; j++) total += x[i] * b[i * 6 + j] * x[j]
  }
  return Math.sqrt(total / rounds)
}

describe('smoothing', () => {
  test('a noisy ball: what is left of the noise is what the weights of the fit leave, and the ball does not shrink', () => {
    const sigma = 0.05
    const noisy = spherePoints(20, 40_000, sigma, 4)
    const before = rms(noisy.positions, 20)
    expect(before).toBeCloseTo(sigma, 2)
    const s = smoothPoints(noisy, { capMm: 1 }, quietContext())
    const after = rms(s.positions, 20)
    expect(after / before).toBeGreaterThan(0.85 * noiseLeft(31))
    expect(after / before).toBeLessThan(1.15 * noiseLeft(31))
    let mean = 0
    for (let i = 0; i < s.positions.length; i += 3)
      mean += Math.hypot(s.positions[i], s.positions[i + 1], s.positions[i + 2]) / (s.positions.length / 3)
    expect(Math.abs(mean - 20)).toBeLessThan(0.003)
    expect(s.rmsMm).toBeLessThan(2 * sigma)
  })
  test('the cap holds, and an edge stays an edge', () => {
    const random = seededRandom(6)
    const n = 30_000,
      sigma = 0.03
    const positions = new Float32Array(n * 3),
      normals = new Float32Array(n * 3)
    for (let i = 0; i < n; i++) {
      // Two planes that meet at a right angle along y.
      const [a, b] = [10 * random.next(), 10 * random.next()]
      const flat = i % 2 === 0
      positions.set(flat ? [a, b, sigma * random.gaussian()] : [sigma * random.gaussian(), b, -a], i * 3)
      normals.set(flat ? [0, 0, 1] : [-1, 0, 0], i * 3)
    }
    const s = smoothPoints({ kind: 'cloud', positions, normals }, { capMm: 0.08 }, quietContext())
    let edge = 0,
      count = 0,
      far = 0
    for (let i = 0; i < n; i++) {
      const flat = i % 2 === 0
      const off = flat ? s.positions[i * 3 + 2] : s.positions[i * 3],
        along = flat ? s.positions[i * 3] : -s.positions[i * 3 + 2]
      far = Math.max(far, Math.abs(off - (flat ? positions[i * 3 + 2] : positions[i * 3])))
      if (along < 0.3) {
        edge += off * off
        count++
      }
    }
    expect(far).toBeLessThanOrEqual(0.08 + 1e-6)
    expect(s.maxMm).toBeLessThanOrEqual(0.08)
    // Beside the edge the noise falls as elsewhere instead of being rounded off.
    expect(count).toBeGreaterThan(300)
    expect(Math.sqrt(edge / count)).toBeLessThan(0.8 * sigma)
    expect(() => smoothPoints({ kind: 'cloud', positions }, { capMm: 0 }, quietContext())).toThrow('more than 0 mm')
  })
})

describe('thinning by curvature', () => {
  test('torus: the tube’s bend asks for its spacing, and the loss keeps its promise', () => {
    const { cloud } = torusPoints(30, 4, 60_000, 9)
    const { kept, predictedLossMm } = thinByCurvature(cloud, 0.25, 4, 0.03, quietContext())
    // κ = 1/4: s = √(8 · 0.03 · 4) = 0.98 mm, so the class of 0.5 mm.
    expect(predictedLossMm).toBeLessThan(0.03)
    expect(kept.length).toBeLessThan(0.8 * 60_000)
    expect(kept.length).toBeGreaterThan((4 * Math.PI ** 2 * 30 * 4) / 0.98 ** 2)
  })
  test('a flat sheet with a bead: flat places lose most, the bead keeps its points', () => {
    const random = seededRandom(3)
    const n = 50_000
    const positions = new Float32Array(n * 3),
      normals = new Float32Array(n * 3)
    for (let i = 0; i < n; i++) {
      const x = 40 * random.next() - 20,
        y = 40 * random.next() - 20
      const h = 1.5 * Math.exp(-(x * x) / 2)
      const slope = -x * h,
        l = Math.hypot(1, slope)
      positions.set([x, y, h], i * 3)
      normals.set([-slope / l, 0, 1 / l], i * 3)
    }
    const { kept } = thinByCurvature({ kind: 'cloud', positions, normals }, 0.2, 3.2, 0.01, quietContext())
    const share = (inside: (x: number) => boolean): number =>
      [...kept].filter((i) => inside(Math.abs(positions[i * 3]))).length /
      Array.from({ length: n }, (_, i) => i).filter((i) => inside(Math.abs(positions[i * 3]))).length
    expect(share((x) => x < 1)).toBeGreaterThan(0.5)
    expect(share((x) => x > 6)).toBeLessThan(0.05)
    expect(() => thinByCurvature({ kind: 'cloud', positions }, 1, 1, 0.1, quietContext())).toThrow(
      'must be larger than the fine one',
    )
    expect(() => thinByCurvature({ kind: 'cloud', positions }, 0.5, 1, 0, quietContext())).toThrow(
      'loss must be more than 0',
    )
  })
})
