import { describe, expect, test } from 'vitest'
import { nightTest } from '../../testing/night'
import { quietContext } from '../../context'
import { worst } from '../../findings'
import { seededRandom } from '../../linear/random'
import {
  compose,
  identityMotion,
  rotateVectors,
  rotationAngle,
  rotationMotion,
  transformPoint,
  type Motion,
} from '../../linear/rigid'
import type { PointCloud } from '../../shapes'
import { coarseVoxelMm, featuresOfTakes } from '../coarse/features'
import { matchCoarse } from '../coarse/match'
import { downsampledCloud } from '../coarse/downsampled-cloud'
import { TONE_BINS, toneHistograms } from '../coarse/tone-histograms'
import { joinAndJudge } from '../takes/join-takes'
import { joinFindings } from '../judge/verdict'
import { prepareTakes } from '../takes/prepare-takes'

/* A ball has no shape to tell how it lies: three turns are free. Its paint alone does. */

type Paint = (x: number, y: number, z: number) => number
const RADIUS = 30
const painted: Paint = (x, y, z) =>
  0.42 +
  0.16 * Math.sin(0.31 * x + 0.1 * z) * Math.cos(0.2 * y) +
  0.14 * Math.sin(0.27 * y - 0.13 * z + 1) +
  0.1 * Math.sin(0.4 * z + 0.2 * x)
const plain: Paint = () => 0.5

/**
 * Somewhat more than half a ball, seen from a side in its own coordinates, then laid elsewhere; `light` is what the
 * lamp gives.
 */
function seen(paint: Paint, side: number, seed: number, laid: Motion, light: number): PointCloud {
  const random = seededRandom(seed)
  const positions: number[] = [],
    normals: number[] = [],
    colours: number[] = []
  while (positions.length < 60_000) {
    const z = 2 * random.next() - 1,
      a = 2 * Math.PI * random.next(),
      s = Math.sqrt(1 - z * z),
      v = [s * Math.cos(a), s * Math.sin(a), z] as const
    if (v[0] * Math.cos(side) + v[1] * Math.sin(side) < -0.25) continue
    const r = RADIUS + 0.03 * random.gaussian()
    positions.push(...transformPoint(laid, v[0] * r, v[1] * r, v[2] * r))
    normals.push(...v)
    const grey = Math.max(
      0,
      Math.min(255, 255 * light * paint(RADIUS * v[0], RADIUS * v[1], RADIUS * v[2]) + 2 * random.gaussian()),
    )
    colours.push(grey, grey, grey)
  }
  return {
    kind: 'cloud',
    positions: Float32Array.from(positions),
    normals: rotateVectors(laid, Float32Array.from(normals)),
    colours: Uint8Array.from(colours),
  }
}

function two(seed: number, paint: Paint): { clouds: PointCloud[]; laid: Motion } {
  const random = seededRandom(100 + seed)
  const laid = rotationMotion([random.gaussian(), random.gaussian(), random.gaussian()], 3 * random.next(), [5, -3, 8])
  return { laid, clouds: [seen(paint, 0, seed, identityMotion(), 1), seen(paint, 1.2, 50 + seed, laid, 0.8)] }
}

const degrees = (m: Motion): number => (rotationAngle(m) * 180) / Math.PI

describe('a painted ball', () => {
  nightTest(
    'is placed by its paint, however it lay and though one take had a fifth less light; by shape it is not',
    async () => {
      for (const seed of [1, 2, 3]) {
        const { clouds, laid } = two(seed, painted)
        const takes = await prepareTakes(clouds, quietContext())
        const errors = await Promise.all(
          [true, false].map(async (colours) => {
            const [a, b] = await featuresOfTakes(takes, clouds, coarseVoxelMm(takes), quietContext(), colours)
            return degrees(compose(matchCoarse(b, a)[0].motion, laid))
          }),
        )
        expect(errors[0], `seed ${seed}`).toBeLessThan(6)
        expect(errors[1], `seed ${seed}, by shape`).toBeGreaterThan(20)
      }
    },
  )
  test('joined by shape and colours it lies right, and may be trusted; by shape alone it may not', async () => {
    const { clouds, laid } = two(5, painted)
    const request = { clouds, starts: [null, null], groups: [0, 1], fixedAt: 0, toleranceMm: 1 }
    const joined = await joinAndJudge({ ...request, colours: true }, quietContext())
    expect(degrees(compose(joined.motions[1]!, laid))).toBeLessThan(0.5)
    expect(worst(joinFindings(joined, ['one', 'other']))).toBe('sound')
    expect(worst(joinFindings(await joinAndJudge(request, quietContext()), ['one', 'other']))).toBe('unsound')
  })
  test('a plain ball has no paint to tell by: the join is not trusted, colours or no', async () => {
    const { clouds } = two(6, plain)
    const joined = await joinAndJudge(
      { clouds, starts: [null, null], groups: [0, 1], fixedAt: 0, toleranceMm: 1, colours: true },
      quietContext(),
    )
    expect(worst(joinFindings(joined, ['one', 'other']))).toBe('unsound')
  })
})

describe('histograms of tones', () => {
  const cloud = seen(painted, 0, 9, identityMotion(), 1)
  const outline = downsampledCloud(cloud.positions, cloud.normals!, new Uint8Array(cloud.positions.length / 3), 2)
  const n = outline.points.length / 3
  const toneAt = (f: (x: number, y: number, z: number) => number): Float32Array =>
    Float32Array.from({ length: n }, (_, i) =>
      f(outline.points[i * 3], outline.points[i * 3 + 1], outline.points[i * 3 + 2]),
    )
  const tone = toneAt((x, y, z) => Math.log(painted(x, y, z)))
  test('each sums to one; more or less light changes nothing', () => {
    const rows = toneHistograms(outline, tone, [3, 5])
    expect(rows).toHaveLength(n * 2 * TONE_BINS)
    for (let h = 0; h < rows.length; h += TONE_BINS)
      expect(rows.subarray(h, h + TONE_BINS).reduce((s, v) => s + v * v, 0)).toBeCloseTo(1, 5)
    const darker = toneHistograms(
      outline,
      tone.map((t) => t - 0.7),
      [3, 5],
    )
    for (let i = 0; i < rows.length; i++) expect(darker[i]).toBeCloseTo(rows[i], 3)
  })
  test('where nothing differs all lies in the middle; what is lighter round a place lies above it', () => {
    const middle = (TONE_BINS - 1) / 2
    const even = toneHistograms(
      outline,
      toneAt(() => -1),
      [4],
    )
    for (let i = 0; i < n; i++) expect(even[i * TONE_BINS + middle]).toBeCloseTo(1, 5)
    // One dark spot: round it everything is lighter.
    const spot = 17
    const dark = toneAt(() => -1)
    dark[spot] = -1.3
    const row = toneHistograms(outline, dark, [4]).subarray(spot * TONE_BINS, (spot + 1) * TONE_BINS)
    const mean = row.reduce((s, v, b) => s + v * v * b, 0)
    expect(mean).toBeGreaterThan(middle + 2)
  })
  test('a place that has no tone is compared with those round it; where none has, there is nothing', () => {
    const gap = tone.slice()
    gap[40] = NaN
    const row = toneHistograms(outline, gap, [4]).subarray(40 * TONE_BINS, 41 * TONE_BINS)
    expect(row.reduce((s, v) => s + v * v, 0)).toBeCloseTo(1, 5)
    expect(Math.max(...toneHistograms(outline, gap.fill(NaN), [4]))).toBe(0)
  })
})
