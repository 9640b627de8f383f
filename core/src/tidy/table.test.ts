import { describe, expect, test } from 'vitest'
import { quietContext } from '../context'
import { seededRandom } from '../linear/random'
import { tableCase } from '../testing/table-cases'
import { pickPoints, type PointCloud } from '../shapes'
import { findTable, judgeTable } from './table'

describe('a table under a piece', () => {
  test('is found in 100 seeded cases, tilted, cluttered, half hidden: its height under the piece is right to a fifth of the noise', () => {
    const wrong: string[] = []
    for (let seed = 1; seed <= 100; seed++) {
      const { cloud, sigmaMm, footprint, normal } = tableCase(seed)
      const found = findTable(cloud, quietContext(seed), { bandMm: 0.5 })
      const off = found
        ? Math.max(
            ...footprint.map((at) =>
              Math.abs(found.plane.normal.reduce((s, x, i) => s + x * at[i], 0) - found.plane.offsetMm),
            ),
          )
        : Infinity
      const up = found ? found.plane.normal.reduce((s, x, i) => s + x * normal[i], 0) : 0
      if (!found?.signs.isTable || up < 0.999 || off > Math.max(0.2 * sigmaMm, 0.01))
        wrong.push(`${seed}: ${off.toFixed(4)} mm at ${sigmaMm.toFixed(3)} mm of noise`)
    }
    expect(wrong.length, wrong.join('; ')).toBeLessThanOrEqual(1)
  })

  test('is none where the piece alone is there, where the device looked from below, and where no points share a plane', () => {
    const { cloud, normal } = tableCase(5)
    const { positions: p } = cloud
    const found = findTable(cloud, quietContext(), { bandMm: 0.5 })!
    const above = Int32Array.from({ length: p.length / 3 }, (_, i) => i).filter(
      (i) => normal[0] * p[i * 3] + normal[1] * p[i * 3 + 1] + normal[2] * p[i * 3 + 2] > found.plane.offsetMm + 2,
    )
    const alone = findTable(pickPoints(cloud, above), quietContext(), { bandMm: 0.5 })
    expect(alone?.signs.isTable ?? false).toBe(false)
    const from = (side: number): PointCloud => ({
      ...cloud,
      frame: new Uint16Array(p.length / 3),
      frameOrigins: Float64Array.from(normal, (x) => x * (found.plane.offsetMm + side * 400)),
    })
    expect(judgeTable(from(1), found.plane, 0.5)).toMatchObject({ isTable: true, fromAboveShare: 1 })
    expect(judgeTable(from(-1), found.plane, 0.5)).toMatchObject({ isTable: false, fromAboveShare: 0 })
    const random = seededRandom(3)
    expect(
      findTable(
        { kind: 'cloud', positions: Float32Array.from({ length: 9000 }, () => 100 * random.next()) },
        quietContext(),
        { bandMm: 0.05 },
      ),
    ).toBeNull()
  })

  test('the floor of a tray is none: nothing of it lies beyond its walls', () => {
    const random = seededRandom(9)
    const p: number[] = []
    for (let i = 0; i < 8000; i++) p.push(80 * random.next() - 40, 80 * random.next() - 40, 0.02 * random.gaussian())
    for (let i = 0; i < 3000; i++) {
      const t = 80 * random.next() - 40,
        side = random.integer(4),
        w = side & 1 ? 40.5 : -40.5
      p.push(...(side < 2 ? [w, t] : [t, w]), 15 * random.next())
    }
    expect(
      findTable({ kind: 'cloud', positions: Float32Array.from(p) }, quietContext(), { bandMm: 0.3 })!.signs,
    ).toMatchObject({ isTable: false, belowShare: 0 })
  })
})
