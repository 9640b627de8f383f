import { describe, expect, test } from 'vitest'
import { quietContext } from '../../context'
import {
  compose,
  identityMotion,
  invertRigid,
  rotationAngle,
  rotationMotion,
  shiftMotion,
  transformPoint,
  transformPoints,
  type Motion,
} from '../../linear/rigid'
import { settleTakeFrames } from '../../operations/settle-frames'
import { runOperation } from '../../operations/operation'
import type { PointCloud } from '../../shapes'
import { dentedBall, outsideBall, ring } from '../../testing/dented-ball'
import { matchFrames } from './frame-match'
import { settleFrames } from './settle-frames'

const still = identityMotion()
const turn = (deg: number): Motion => rotationMotion([0, 0, 1], (deg * Math.PI) / 180)
const degrees = (m: Motion): number => (rotationAngle(m) * 180) / Math.PI
/** How the other take lay: on its side, somewhere else. */
const LAID = compose(shiftMotion(12, -5, 9), rotationMotion([1, 0.3, 0.2], 1.4))

/** A take as if the piece had lain otherwise, with the motion that joins it. */
function laid(cloud: PointCloud): { cloud: PointCloud; motion: Motion } {
  const origins = cloud.frameOrigins!.slice()
  for (let f = 0; f < origins.length; f += 3)
    origins.set(transformPoint(LAID, origins[f], origins[f + 1], origins[f + 2]), f)
  return {
    cloud: { ...cloud, positions: transformPoints(LAID, cloud.positions), frameOrigins: origins },
    motion: invertRigid(LAID),
  }
}

/** Root mean square distance from the true surface, mm. */
function offMm(cloud: PointCloud, motion: Motion): number {
  const p = transformPoints(motion, cloud.positions)
  let sum = 0
  for (let i = 0; i < p.length; i += 3) sum += outsideBall(p[i], p[i + 1], p[i + 2]) ** 2
  return Math.sqrt((sum * 3) / p.length)
}

const NOISE_MM = 0.02
/** Two frames that share nothing at all: alone they cannot say how they lie to each other. */
const SLIPS = [0.8, -1.1]
const apart = (): PointCloud => dentedBall([0, Math.PI], (f) => turn(SLIPS[f]), NOISE_MM)
const good = (): ReturnType<typeof laid> => laid(dentedBall(ring(9), () => still, NOISE_MM, 8))

describe('frames of several takes together', () => {
  test('slips that a take alone cannot see show against another take', async () => {
    await expect(matchFrames(apart(), { placed: 'table' }, quietContext())).rejects.toThrow(
      /hardly any surface in common/,
    )
    const other = good()
    const [settled] = await settleFrames(
      [
        { cloud: apart(), motion: still, placed: 'free' },
        { ...other, placed: 'whole' },
      ],
      quietContext(),
    )
    // Where each frame has come to, seen from the other.
    const ends = settled.corrections.map((c, f) => compose(settled.motion, compose(c, turn(SLIPS[f]))))
    expect(degrees(compose(invertRigid(ends[0]), ends[1]))).toBeLessThan(0.06)
    expect(offMm(settled.cloud, settled.motion)).toBeLessThan(1.1 * NOISE_MM)
    expect(offMm(apart(), still)).toBeGreaterThan(2 * NOISE_MM)
  })
  test('a table’s slips are found with both takes’ frames free; each take stays where it is joined', async () => {
    const slips = [0, 0.9, -0.8, 1.6, -1.2, 0.6, 1.1, -0.5]
    const one = dentedBall(ring(8), (f) => turn(slips[f]), NOISE_MM)
    const two = laid(dentedBall(ring(8), (f) => turn(slips[7 - f]), NOISE_MM, 8))
    // Frames of a piece that lay otherwise slip about another axis than z of the piece: that of its own table.
    const settled = await settleFrames(
      [
        { cloud: one, motion: still, placed: 'table' },
        { ...two, placed: 'free' },
      ],
      quietContext(),
    )
    const common = settled[0].motion
    settled.forEach((s, i) => {
      expect(offMm(s.cloud, s.motion), `take ${i + 1}`).toBeLessThan(1.25 * NOISE_MM)
      expect(degrees(compose(invertRigid([still, two.motion][i]), s.motion))).toBeLessThan(0.5)
    })
    expect(Math.hypot(common[3], common[7], common[11])).toBeLessThan(0.2)
    expect(offMm(one, still)).toBeGreaterThan(2 * NOISE_MM)
  })
  test('frames that lie as they should stay exactly where they are', async () => {
    const cloud = dentedBall(ring(8), () => still, NOISE_MM)
    const other = good()
    const [settled] = await settleFrames(
      [
        { cloud, motion: still, placed: 'table' },
        { ...other, placed: 'whole' },
      ],
      quietContext(),
    )
    expect(settled.corrections).toEqual([])
    expect(settled.cloud).toBe(cloud)
  })
  test('a take that does not know its frames can only move as a whole', async () => {
    const { frame: _f, ...bare } = apart()
    await expect(
      settleFrames(
        [
          { cloud: bare, motion: still, placed: 'table' },
          { ...good(), placed: 'whole' },
        ],
        quietContext(),
      ),
    ).rejects.toThrow(/does not know which frame/)
  })
})

describe('as an act on one take', () => {
  const motions = (own: Motion | undefined, other: Motion) => ({
    kind: 'motions' as const,
    motions: { ...(own && { front: own }), lying: other },
  })
  test('tells how far frames were moved, and gives the take with as many points', async () => {
    const other = good(),
      take = apart()
    const r = await runOperation(
      settleTakeFrames,
      { take, others: [other.cloud], motions: motions(still, other.motion) },
      { names: ['front', 'lying'], placed: ['free', 'whole'] },
      quietContext(),
    )
    expect(r.figures).toMatchObject({ moved: true, frames: 2, others: 1, points: take.positions.length / 3 })
    // Half of 1.9° between them, at 30 mm.
    expect(r.figures.largestMm).toBeGreaterThan(0.4)
    expect(r.figures.largestMm).toBeLessThan(0.65)
    expect(r.findings[0].text).toMatch(/Frames were moved by up to 0\.\d\d mm/)
    expect((r.outputs.take as PointCloud).positions).toHaveLength(take.positions.length)
    expect(settleTakeFrames.describe(r.params, r.figures)).toMatch(
      /^Matched 2 frames of “front” with the other take: moved by up to/,
    )
  })
  test('needs a take that is joined, and one whose frames may move', async () => {
    const other = good(),
      take = apart()
    const inputs = { take, others: [other.cloud], motions: motions(undefined, other.motion) }
    await expect(
      runOperation(settleTakeFrames, inputs, { names: ['front', 'lying'], placed: ['free', 'whole'] }, quietContext()),
    ).rejects.toThrow('“front” is not joined to other takes')
    await expect(
      runOperation(
        settleTakeFrames,
        { ...inputs, motions: motions(still, other.motion) },
        { names: ['front', 'lying'], placed: ['whole', 'whole'] },
        quietContext(),
      ),
    ).rejects.toThrow('the frames of the first must be free to move')
  })
})
