import { beforeAll, describe, expect, test } from 'vitest'
import { captureTake, TABLETOP_DEVICE, type SimulatedTake } from '../../bench/capture'
import { DEMO_PIECES } from '../../bench/pieces'
import { ALL_FAULTS, NOISE_ONLY } from '../../bench/settings'
import { findDoubleLayers } from '../../cloud/double-layers'
import { quietContext } from '../../context'
import { seededRandom } from '../../linear/random'
import { compose, invertRigid, rotationAngle, rotationMotion, transformPoint, type Motion } from '../../linear/rigid'
import { NEW_TAKE } from '../../plan/takes'
import { pickPoints, type PointCloud } from '../../shapes'
import { dentedBall, ring } from '../../testing/dented-ball'
import { framePoints } from '../../cloud/frames'
import { matchFrames } from './frame-match'
import { framesApart, isWorthIt, pairScatters, tablePriors } from './frame-priors'
import { prepareCloud } from '../oriented-cloud'

const turn = (deg: number): Motion => rotationMotion([0, 0, 1], (deg * Math.PI) / 180)

describe('frames of one take', () => {
  test('known slips about the table’s axis are found again, to a common turn', async () => {
    const slips = [0, 0.4, -0.7, 1.1, 0.2, -0.5, 0.9, -1.2, 0.3, 0.6]
    const m = await matchFrames(
      dentedBall(ring(10), (f) => turn(slips[f])),
      { placed: 'table' },
      quietContext(),
    )
    const left = m.turnsDeg.map((t, f) => t + slips[f])
    const mean = left.reduce((s, v) => s + v, 0) / 10
    for (const v of left) expect(Math.abs(v - mean)).toBeLessThan(0.03)
    expect(m.scatterAfterMm).toBeLessThan(m.scatterBeforeMm / 3)
  })
  test('frames of a device that found its own place are brought together in all six freedoms', async () => {
    const random = seededRandom(9)
    const given = Array.from({ length: 8 }, () =>
      rotationMotion([random.gaussian(), random.gaussian(), random.gaussian()], 0.006 * random.gaussian(), [
        0.2 * random.gaussian(),
        0.2 * random.gaussian(),
        0.2 * random.gaussian(),
      ]),
    )
    const m = await matchFrames(
      dentedBall(ring(8), (f) => given[f], 0.01),
      { placed: 'free' },
      quietContext(),
    )
    // Where each frame has come to, seen from the first.
    const ends = given.map((g, f) => compose(m.corrections[f], g))
    for (const e of ends) {
      const apart = compose(invertRigid(ends[0]), e)
      const [x, y, z] = transformPoint(apart, 0, 0, 40)
      expect(Math.hypot(x, y, z - 40)).toBeLessThan(0.04)
      expect((rotationAngle(apart) * 180) / Math.PI).toBeLessThan(0.08)
    }
  })
  test('frames in place stay there, and clouds that know no frames are refused', async () => {
    const m = await matchFrames(
      dentedBall(ring(8), () => turn(0), 0.02),
      { placed: 'table' },
      quietContext(),
    )
    // No point of a ball of 30 mm is moved by more than twice its scatter.
    for (const c of m.corrections) expect(rotationAngle(c) * 30).toBeLessThan(2 * 0.02)
    const { frame: _f, ...bare } = dentedBall(ring(2), () => turn(0))
    await expect(matchFrames(bare, { placed: 'table' }, quietContext())).rejects.toThrow(/does not know which frame/)
    await expect(
      matchFrames(
        dentedBall(ring(1), () => turn(0)),
        { placed: 'table' },
        quietContext(),
      ),
    ).rejects.toThrow(/only one frame/)
  })
  test('a frame that meets no other makes a clear refusal', async () => {
    await expect(
      matchFrames(
        dentedBall(ring(2), (f) => rotationMotion([0, 0, 1], 0, [500 * f, 0, 0])),
        { placed: 'table' },
        quietContext(),
      ),
    ).rejects.toThrow(/hardly any surface in common/)
  })
})

describe('what is expected of frames', () => {
  test('a table is trusted the more the nearer its frames lie, and never less than usual', () => {
    const none = tablePriors(0, 50),
      some = tablePriors(0.02, 50),
      much = tablePriors(5, 50)
    for (const k of ['slipRad', 'shakeRad', 'shakeMm', 'axisMm', 'axisRad'] as const) {
      expect(none[k], k).toBeGreaterThan(0)
      expect(some[k], k).toBeGreaterThanOrEqual(none[k])
      expect(much[k], k).toBeGreaterThanOrEqual(some[k])
    }
    // A slip of a quarter millimetre at 50 mm is far likelier where frames stand a fiftieth apart than where they do
    // not.
    expect(some.slipRad / none.slipRad).toBeGreaterThan(50)
    expect(much).toEqual(tablePriors(500, 50))
  })
  test('frames that slipped stand apart, frames in place do not', () => {
    const apart = (moved: (f: number) => Motion): number => {
      const cloud = dentedBall(ring(8), moved, 0.02)
      const frames = framePoints(cloud).map((ids) =>
        prepareCloud({ kind: 'cloud', positions: pickPoints(cloud, ids).positions }, quietContext()),
      )
      return framesApart(frames, pairScatters(frames, 1))
    }
    expect(apart(() => turn(0))).toBeLessThan(0.01)
    expect(apart((f) => turn(f % 2 ? 1.5 : -1.5))).toBeGreaterThan(0.05)
  })
  test('nothing is moved for what is hardly nearer than before', () => {
    expect(isWorthIt([0.1, 0.2, 0.3], [0.1, 0.1, 0.15])).toBe(true)
    expect(isWorthIt([0.1, 0.2, 0.3], [0.1, 0.2, 0.29])).toBe(false)
    expect(isWorthIt([0.1, 0.2, 0.3], [])).toBe(false)
  })
})

describe('ghost layers on the bench', () => {
  const lamp = DEMO_PIECES.lamp
  const taken = (secondsPerTurn: number): SimulatedTake =>
    captureTake(lamp, { ...NEW_TAKE, elevationDeg: 48, secondsPerTurn }, TABLETOP_DEVICE, 5, quietContext(), {
      faults: ALL_FAULTS,
      spacingMm: 0.45,
    })
  let still: SimulatedTake, fast: SimulatedTake
  beforeAll(() => {
    still = taken(60)
    fast = taken(3)
  })
  const share = (c: PointCloud): number => {
    const d = findDoubleLayers(c, quietContext())
    expect(d.patches).toBeGreaterThan(300)
    return d.double / d.patches
  }
  test('a calm table leaves one surface; a hasty one doubles it; matching the frames makes it one again', async () => {
    expect(share(still.cloud)).toBeLessThan(0.02)
    const before = share(fast.cloud)
    expect(before).toBeGreaterThan(0.15)
    const m = await matchFrames(fast.cloud, { placed: 'table' }, quietContext())
    expect(share(m.cloud)).toBeLessThan(0.02)
    expect(m.scatterAfterMm).toBeLessThan(m.scatterBeforeMm)
  })
  test('a straight bar, whose flat faces let frames slide, stays where a calm table has it', async () => {
    const bar = captureTake(
      DEMO_PIECES.cleat,
      { ...NEW_TAKE, elevationDeg: 15, secondsPerTurn: 6 },
      TABLETOP_DEVICE,
      7,
      quietContext(),
      { faults: { ...NOISE_ONLY, jitter: true, axis: true }, spacingMm: 0.45, reference: true },
    )
    const m = await matchFrames(bar.cloud, { placed: 'table' }, quietContext())
    expect(m.worthIt).toBe(false)
    expect(m.cloud).toBe(bar.cloud)
  })
})
