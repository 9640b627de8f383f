import { describe, expect, test } from 'vitest'
import { quietContext } from '../../context'
import { seededRandom } from '../../linear/random'
import { identityMotion, shiftMotion } from '../../linear/rigid'
import type { PointCloud } from '../../shapes'
import { joinAndJudge } from '../takes/join-takes'
import type { JoinReport } from '../takes/join-report'
import { joinFindings } from './verdict'

const PITCH_MM = 12,
  HALF_WIDE_MM = 20,
  NOISE_MM = 0.02

/** A rack of saw teeth with side walls, seen between two places along it; a tooth may be missing. */
function rack(from: number, to: number, seed: number, missing: number | null = null, deepMm = 4): PointCloud {
  const random = seededRandom(seed)
  const positions: number[] = [],
    normals: number[] = []
  const put = (p: readonly number[], n: readonly number[]): void => {
    const off = NOISE_MM * random.gaussian()
    p.forEach((v, k) => positions.push(v + off * n[k]))
    normals.push(...n)
  }
  const steep = 0.25 * PITCH_MM,
    length = [Math.hypot(0.75 * PITCH_MM, deepMm), Math.hypot(steep, deepMm)] as const
  const height = (x: number): { z: number; n: readonly number[] } => {
    const tooth = Math.floor(x / PITCH_MM),
      within = x - tooth * PITCH_MM
    if (tooth === missing) return { z: 0, n: [0, 0, 1] }
    return within < 0.75 * PITCH_MM
      ? { z: (deepMm * within) / (0.75 * PITCH_MM), n: [-deepMm / length[0], 0, (0.75 * PITCH_MM) / length[0]] }
      : { z: (deepMm * (PITCH_MM - within)) / steep, n: [deepMm / length[1], 0, steep / length[1]] }
  }
  for (let x = from + 0.35; x < to; x += 0.7) {
    for (let y = -HALF_WIDE_MM; y < HALF_WIDE_MM; y += 0.7) {
      const at = x + 0.3 * random.gaussian()
      const { z, n } = height(at)
      put([at, y + 0.2 * random.gaussian(), z], n)
    }
    for (const side of [-1, 1])
      for (let z = -14; z < 0; z += 0.7)
        put([x + 0.2 * random.gaussian(), side * HALF_WIDE_MM, z + 0.2 * random.gaussian()], [0, side, 0])
  }
  return { kind: 'cloud', positions: Float32Array.from(positions), normals: Float32Array.from(normals) }
}

const judged = (takes: readonly PointCloud[]): Promise<JoinReport> =>
  joinAndJudge(
    {
      clouds: takes,
      groups: [0, 1],
      fixedAt: 0,
      toleranceMm: 0.3,
      starts: [identityMotion(), shiftMotion(0.3, -0.2, 0.2)],
    },
    quietContext(),
  )
const alike = (r: JoinReport) => joinFindings(r, ['left', 'right']).find((f) => f.id === 'join.alike')!

describe('a rack of teeth, each take seeing a part of it and no end', () => {
  test('fits again a tooth farther, either way: told in millimetres, and not called a slide', async () => {
    const r = await judged([rack(0, 144, 1), rack(0, 144, 2)])
    expect(r.slides.modes.filter((m) => m.motion.free)).toEqual([])
    const shifts = r.alternatives.filter((a) => a.turnDeg < 1)
    for (const sign of [-1, 1]) {
      const one = shifts.find((a) => Math.abs(a.motion[3] - sign * PITCH_MM) < 0.1)!
      expect(one.asWell).toBe(true)
      expect(Math.hypot(one.motion[7], one.motion[11])).toBeLessThan(0.1)
    }
    for (const a of shifts)
      expect(Math.abs(a.motion[3] / PITCH_MM - Math.round(a.motion[3] / PITCH_MM))).toBeLessThan(0.01)
    expect(alike(r)).toMatchObject({ verdict: 'unsound' })
    expect(alike(r).text).toMatch(/fit in more than one way: also shifted by 12\.0 mm/)
  })
  test('one tooth missing where both see it, and it fits in one place', async () => {
    const r = await judged([rack(0, 144, 1, 7), rack(0, 144, 2, 7)])
    expect(r.alternatives).toEqual([])
    expect(alike(r).verdict).toBe('sound')
  })
  test('a smooth bar slides: that is told as a slide, not as other poses', async () => {
    const r = await judged([rack(0, 144, 1, null, 0), rack(0, 144, 2, null, 0)])
    expect(r.slides.modes.filter((m) => m.motion.free).map((m) => m.motion.kind)).toEqual(['translation'])
    expect(r.alternatives.filter((a) => a.turnDeg < 6)).toEqual([])
  })
})
