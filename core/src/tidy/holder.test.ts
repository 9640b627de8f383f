import { describe, expect, test } from 'vitest'
import { quietContext } from '../context'
import { seededRandom } from '../linear/random'
import type { PointCloud } from '../shapes'
import { findHolder, type HolderOptions } from './holder'

const RISER = { radius: 15, top: 20, u: 4, v: -3 }
/**
 * A ball of 30 mm radius sitting in a waist of 8 mm on a grey riser, over a table at z = 0; the first `holder` points
 * are the riser's.
 */
function ballOnRiser(seed = 4): { cloud: PointCloud & { normals: Float32Array }; holder: number } {
  const r = seededRandom(seed)
  const p: number[] = [],
    q: number[] = [],
    c: number[] = []
  const put = (x: number, y: number, z: number, nx: number, ny: number, nz: number, tone: readonly number[]): void => {
    const e = 0.03 * r.gaussian()
    p.push(x + e * nx, y + e * ny, z + e * nz)
    q.push(nx, ny, nz)
    c.push(...tone)
  }
  const grey = [150, 150, 154],
    red = [170, 60, 40]
  for (let i = 0; i < 3000; i++) {
    const a = 2 * Math.PI * r.next()
    put(
      RISER.u + RISER.radius * Math.cos(a),
      RISER.v + RISER.radius * Math.sin(a),
      0.7 + (RISER.top - 0.7) * r.next(),
      Math.cos(a),
      Math.sin(a),
      0,
      grey,
    )
  }
  for (let i = 0; i < 900; i++) {
    const a = 2 * Math.PI * r.next(),
      d = 8 + 7 * Math.sqrt(r.next())
    put(RISER.u + d * Math.cos(a), RISER.v + d * Math.sin(a), RISER.top, 0, 0, 1, grey)
  }
  const holder = p.length / 3
  // The piece: a ball on a waist.
  for (let i = 0; i < 1200; i++) {
    const a = 2 * Math.PI * r.next()
    put(
      RISER.u + 8 * Math.cos(a),
      RISER.v + 8 * Math.sin(a),
      RISER.top + 6 * r.next(),
      Math.cos(a),
      Math.sin(a),
      0,
      red,
    )
  }
  for (let i = 0; i < 9000; i++) {
    const z = 2 * r.next() - 1,
      a = 2 * Math.PI * r.next(),
      s = Math.sqrt(1 - z * z)
    if (RISER.top + 35 + 30 * z < RISER.top + 6) continue
    put(
      RISER.u + 30 * s * Math.cos(a),
      RISER.v + 30 * s * Math.sin(a),
      RISER.top + 35 + 30 * z,
      s * Math.cos(a),
      s * Math.sin(a),
      z,
      red,
    )
  }
  return {
    cloud: {
      kind: 'cloud',
      positions: Float32Array.from(p),
      normals: Float32Array.from(q),
      colours: Uint8Array.from(c),
    },
    holder,
  }
}
const TABLE = { normal: [0, 0, 1] as const, offsetMm: 0 }
const OPTIONS: HolderOptions = { by: 'round', heightMm: null, difference: 14, spacingMm: 0.9, offsetMm: 0.6 }

describe('what holds a piece', () => {
  const { cloud, holder } = ballOnRiser()
  const n = cloud.positions.length / 3
  const shares = (mask: Uint8Array): { gone: number; lost: number } => ({
    gone: mask.subarray(0, holder).reduce((s, x) => s + x, 0) / holder,
    lost: mask.subarray(holder).reduce((s, x) => s + x, 0) / (n - holder),
  })

  test('a round riser: its axis, width and height are found, all of it goes and next to nothing of the piece', () => {
    const { mask, round, topMm } = findHolder(cloud, TABLE, OPTIONS, quietContext(2))
    // Which two directions the table's plane has is up to the plane; for z up they are x and y.
    expect(Math.hypot(round!.centre[0] - RISER.u, round!.centre[1] - RISER.v)).toBeLessThan(0.05)
    expect(Math.abs(round!.radiusMm - RISER.radius)).toBeLessThan(0.05)
    expect(Math.abs(topMm - RISER.top)).toBeLessThan(0.1)
    expect(shares(mask).gone).toBe(1)
    // The waist touches it within half a millimetre.
    expect(shares(mask).lost).toBeLessThan(0.02)
  })
  test.each(['colour', 'neck', 'height'] as const)('told by its %s', (by) => {
    const { mask } = findHolder(
      cloud,
      TABLE,
      { ...OPTIONS, by, heightMm: by === 'height' ? 20.2 : null },
      quietContext(2),
    )
    expect(shares(mask).gone).toBeGreaterThan(0.99)
    expect(shares(mask).lost).toBeLessThan(by === 'neck' ? 0.12 : 0.02)
  })
  test('one that is not there, a height of nothing, and points without colours are refused in words', () => {
    const ball = {
      ...cloud,
      positions: cloud.positions.slice(holder * 3),
      normals: cloud.normals.slice(holder * 3),
      colours: cloud.colours!.slice(holder * 3),
    }
    const tilted = { ...ball, positions: ball.positions.map((v, i) => (i % 3 === 2 ? v - 20 : v)) }
    const onlyBall = Array.from({ length: tilted.positions.length / 3 }, (_, i) => i).filter(
      (i) => tilted.positions[i * 3 + 2] > 8,
    )
    const sphere = {
      kind: 'cloud' as const,
      positions: Float32Array.from(onlyBall.flatMap((i) => [...tilted.positions.subarray(i * 3, i * 3 + 3)])),
      normals: Float32Array.from(onlyBall.flatMap((i) => [...tilted.normals.subarray(i * 3, i * 3 + 3)])),
    }
    expect(() => findHolder(sphere, { normal: [0, 0, 1], offsetMm: 7 }, OPTIONS, quietContext(2))).toThrow(
      'No round riser or grip stands on the table',
    )
    expect(() =>
      findHolder(sphere, { normal: [0, 0, 1], offsetMm: 7 }, { ...OPTIONS, by: 'neck' }, quietContext(2)),
    ).toThrow('There is no neck')
    expect(() => findHolder(sphere, TABLE, { ...OPTIONS, by: 'colour' }, quietContext(2))).toThrow(
      'This take has no colours',
    )
    expect(() => findHolder(cloud, TABLE, { ...OPTIONS, by: 'height' }, quietContext(2))).toThrow('more than 0 mm')
    const oneColour = { ...cloud, colours: cloud.colours!.map(() => 128) }
    expect(() => findHolder(oneColour, TABLE, { ...OPTIONS, by: 'colour' }, quietContext(2))).toThrow(
      'has the colour of most of the piece',
    )
  })
})
