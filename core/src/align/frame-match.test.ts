import { beforeAll, describe, expect, test } from 'vitest'
import { captureTake, TABLETOP_DEVICE, type SimulatedTake } from '../bench/capture'
import { DEMO_PIECES } from '../bench/pieces'
import { ALL_FAULTS } from '../bench/settings'
import { findDoubleLayers } from '../cloud/double-layers'
import { quietContext } from '../context'
import { seededRandom } from '../linear/random'
import { compose, invertRigid, rotationAngle, rotationMotion, transformPoint, type Motion } from '../linear/rigid'
import { NEW_TAKE } from '../plan/takes'
import type { PointCloud } from '../shapes'
import { matchFrames } from './frame-match'

/** A dented ball seen by frames round it, each moved by its own motion: what the matcher must find is known exactly. */
function dented(frames: number, moved: (f: number) => Motion, noiseMm = 0): PointCloud {
  const random = seededRandom(3)
  const each = 4000
  const positions = new Float32Array(frames * each * 3), frame = new Uint16Array(frames * each), frameOrigins = new Float64Array(frames * 3)
  for (let f = 0; f < frames; f++) {
    const phi = (2 * Math.PI * f) / frames
    const m = moved(f)
    frameOrigins.set(transformPoint(m, 200 * Math.cos(phi), 200 * Math.sin(phi), 60), f * 3)
    for (let k = 0; k < each; k++) {
      const a = phi + (random.next() - 0.5) * 2.2, z = 2 * random.next() - 1
      const r = 30 + 2 * Math.sin(3 * a) * Math.cos(2 * z) + noiseMm * random.gaussian()
      const s = Math.sqrt(1 - z * z)
      positions.set(transformPoint(m, r * s * Math.cos(a), r * s * Math.sin(a), r * z + 40), (f * each + k) * 3)
      frame[f * each + k] = f
    }
  }
  return { kind: 'cloud', positions, frame, frameOrigins }
}

const turn = (deg: number): Motion => rotationMotion([0, 0, 1], (deg * Math.PI) / 180)

describe('frames of one take', () => {
  test('known slips about the table’s axis are found again, to a common turn', () => {
    const slips = [0, 0.4, -0.7, 1.1, 0.2, -0.5, 0.9, -1.2, 0.3, 0.6]
    const m = matchFrames(dented(10, (f) => turn(slips[f]!)), { placed: 'table' }, quietContext())
    const left = m.turnsDeg.map((t, f) => t + slips[f]!)
    const mean = left.reduce((s, v) => s + v, 0) / 10
    for (const v of left) expect(Math.abs(v - mean)).toBeLessThan(0.03)
    expect(m.scatterAfterMm).toBeLessThan(m.scatterBeforeMm / 3)
  })
  test('frames of a device that found its own place are brought together in all six freedoms', () => {
    const random = seededRandom(9)
    const given = Array.from({ length: 8 }, () => rotationMotion([random.gaussian(), random.gaussian(), random.gaussian()], 0.006 * random.gaussian(), [0.2 * random.gaussian(), 0.2 * random.gaussian(), 0.2 * random.gaussian()]))
    const m = matchFrames(dented(8, (f) => given[f]!, 0.01), { placed: 'free' }, quietContext())
    // Where each frame has come to, seen from the first.
    const ends = given.map((g, f) => compose(m.corrections[f]!, g))
    for (const e of ends) {
      const apart = compose(invertRigid(ends[0]!), e)
      const [x, y, z] = transformPoint(apart, 0, 0, 40)
      expect(Math.hypot(x, y, z - 40)).toBeLessThan(0.04)
      expect((rotationAngle(apart) * 180) / Math.PI).toBeLessThan(0.08)
    }
  })
  test('frames in place stay there, and clouds that know no frames are refused', () => {
    const m = matchFrames(dented(8, () => turn(0), 0.02), { placed: 'table' }, quietContext())
    // No point of a ball of 30 mm is moved by more than twice its scatter.
    for (const c of m.corrections) expect(rotationAngle(c) * 30).toBeLessThan(2 * 0.02)
    const { frame: _f, ...bare } = dented(2, () => turn(0))
    expect(() => matchFrames(bare, { placed: 'table' }, quietContext())).toThrow(/does not know which frame/)
    expect(() => matchFrames(dented(1, () => turn(0)), { placed: 'table' }, quietContext())).toThrow(/only one frame/)
  })
  test('a frame that meets no other makes a clear refusal', () => {
    expect(() => matchFrames(dented(2, (f) => rotationMotion([0, 0, 1], 0, [500 * f, 0, 0])), { placed: 'table' }, quietContext())).toThrow(/hardly any surface in common/)
  })
})

describe('ghost layers on the bench', () => {
  const lamp = DEMO_PIECES.lamp!
  const taken = (secondsPerTurn: number): SimulatedTake => captureTake(lamp, { ...NEW_TAKE, elevationDeg: 48, secondsPerTurn }, TABLETOP_DEVICE, 5, quietContext(), { faults: ALL_FAULTS, spacingMm: 0.45 })
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
  test('a calm table leaves one surface; a hasty one doubles it; matching the frames makes it one again', () => {
    expect(share(still.cloud)).toBeLessThan(0.02)
    const before = share(fast.cloud)
    expect(before).toBeGreaterThan(0.15)
    const m = matchFrames(fast.cloud, { placed: 'table' }, quietContext())
    expect(share(m.cloud)).toBeLessThan(0.02)
    expect(m.scatterAfterMm).toBeLessThan(m.scatterBeforeMm)
  })
})
