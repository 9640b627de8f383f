import { describe, expect, test } from 'vitest'
import { quietContext } from '../../context'
import { joinFindings } from './verdict'
import { worst } from '../../findings'
import { compose, identityMotion, invertRigid, rotationAngle, rotationMotion, type Motion } from '../../linear/rigid'
import { MADE_THINGS, seenTwice, type SeenTwice } from '../../testing/made-things'
import { coarseVoxelMm, featuresOfTakes } from '../coarse/features'
import { joinAndJudge } from '../takes/join-takes'
import { prepareTakes } from '../takes/prepare-takes'
import { contradictionsOf, type Contradiction } from './contradictions'
import { cellOf, placesOf } from './shared-surface'

const context = quietContext(1)
const twice = (name: string, elevationDeg: number, tiltDeg: number, seed: number): SeenTwice =>
  seenTwice(
    MADE_THINGS.find((t) => t.name === name)!,
    { points: 9000, elevationDeg, tiltDeg, noiseMm: 0.03, seed },
    quietContext(seed),
  )

/** What two takes rule out of each other in the true pose with the second turned before, in its own frame. */
async function ruledOut(
  { takes, truth }: SeenTwice,
  turn: Motion = identityMotion(),
  most = Infinity,
): Promise<Contradiction> {
  const clouds = await prepareTakes(takes, context)
  const described = await featuresOfTakes(clouds, takes, coarseVoxelMm(clouds), context)
  const cellMm = cellOf(clouds)
  const looked = clouds.map((cloud, i) => ({ cloud, outline: described[i].outline }))
  const leastMm = 4 * 0.03 + 0.6 * Math.max(...clouds.map((c) => c.features.spacingMm))
  return contradictionsOf(
    looked[0],
    looked[1],
    compose(truth, turn),
    identityMotion(),
    [placesOf(clouds[0], cellMm), placesOf(clouds[1], cellMm)],
    leastMm,
    cellMm,
    most,
  )
}
/** A turn of the thing about an axis of its own, as the first take's frame has it. */
const about = (axis: readonly number[], deg: number, { first }: SeenTwice): Motion =>
  compose(first, compose(rotationMotion(axis, (deg * Math.PI) / 180), invertRigid(first)))

describe('what one take rules out of another', () => {
  test('a blind hole that lands under a plain face: what was seen in it nobody could have seen', async () => {
    const cube = twice('cube with one mark', 35, 90, 1)
    const [right, wrong] = [await ruledOut(cube), await ruledOut(cube, about([0, 0, 1], 90, cube))]
    expect(right.behind + right.missed).toBeLessThan(8)
    expect(wrong.behind).toBeGreaterThan(40)
    // The hole is 4 mm deep.
    expect(wrong.depthMm).toBeLessThan(4.3)
    expect(wrong.depthMm).toBeGreaterThan(1)
  })
  test('a handle that stands free before a wall the other saw: it would have been seen', async () => {
    const mug = twice('mug', 30, 60, 1)
    const [right, wrong] = [await ruledOut(mug), await ruledOut(mug, about([0, 0, 1], 100, mug))]
    expect(right.missed).toBeLessThan(3)
    expect(wrong.missed).toBeGreaterThan(5)
  })
  test('no more is looked for than was asked', async () => {
    const plate = twice('plate with a hole off its middle', 20, 120, 2)
    const flipped = about([1, 0, 0], 180, plate)
    const [all, some] = [await ruledOut(plate, flipped), await ruledOut(plate, flipped, 20)]
    expect(all.behind).toBeGreaterThan(60)
    expect(all.push.length).toBe(4 * all.behind)
    // So many of each take.
    expect(some.behind).toBe(40)
  })
  test('pushing goes the way out: shifted into each other, they are brought back', async () => {
    const plate = twice('plate with a hole off its middle', 20, 120, 2)
    const { push, behind } = await ruledOut(plate, rotationMotion([0, 0, 1], 0, [1.6, 0, 0]))
    const shifted = [0, 4, 8].map((r) => plate.truth[r] * 1.6)
    let along = 0
    for (let i = 0; i < push.length; i += 4)
      along += [0, 1, 2].reduce((s, c) => s + push[i + c] * push[i + 3] * shifted[c], 0) / behind
    expect(along).toBeLessThan(0)
  })
})

describe('nearly symmetric made things', () => {
  test.each([
    ['cube with one mark', 35, 90, 1],
    ['plate with a hole off its middle', 30, 60, 2],
    ['hexagonal prism with a blind hole', 35, 90, 4],
    ['ring with a lug', 30, 60, 5],
  ] as const)('%s: laid the right way round, and trusted', async (name, elevationDeg, tiltDeg, seed) => {
    const { takes, truth } = twice(name, elevationDeg, tiltDeg, seed)
    const report = await joinAndJudge(
      { clouds: takes, starts: [null, null], groups: [0, 1], fixedAt: 1, toleranceMm: null },
      context,
    )
    expect((rotationAngle(compose(invertRigid(truth), report.motions[0]!)) * 180) / Math.PI).toBeLessThan(1)
    expect(worst(joinFindings(report, ['a', 'b']))).toBe('sound')
  })
})
