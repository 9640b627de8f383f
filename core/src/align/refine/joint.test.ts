import { describe, expect, test } from 'vitest'
import { quietContext } from '../../context'
import { seededRandom } from '../../linear/random'
import {
  compose,
  identityMotion,
  invertRigid,
  rotationAngle,
  rotationMotion,
  shiftMotion,
  type Motion,
} from '../../linear/rigid'
import { centreOf, freeMoves, matchJointly, type Body, type JointOptions } from './joint'
import { prepareCloud, type OrientedCloud } from '../oriented-cloud'

type Mark = NonNullable<JointOptions['marks']>[number]
type Point = [number, number, number]

/** A flat plate: its surface says nothing of shifts in its plane nor of turns in it, so that marks alone do. */
function plate(seed: number): OrientedCloud {
  const random = seededRandom(seed),
    n = 3000
  const positions = new Float32Array(n * 3),
    normals = new Float32Array(n * 3)
  for (let i = 0; i < n; i++) {
    positions.set([40 * random.next() - 20, 40 * random.next() - 20, 0.001 * random.gaussian()], i * 3)
    normals[i * 3 + 2] = 1
  }
  return prepareCloud({ kind: 'cloud', positions, normals }, quietContext())
}
const PLATES = [1, 2, 3, 4].map(plate)
const CORNERS: readonly Point[] = [
  [10, 10, 0],
  [-10, 10, 0],
  [-10, -10, 0],
  [10, -10, 0],
]

/** Says that b lies so far along x from a, by four marks. */
const apart = (a: number, b: number, mm: number, sigmaMm: number): Mark[] =>
  CORNERS.map((at) => ({ a, b, atA: at, atB: [at[0] - mm, at[1], at[2]], sigmaMm }))
const free = (count: number): Body[] =>
  Array.from({ length: count }, (_, i) => ({ cloud: PLATES[i], start: identityMotion(), moves: freeMoves(6 * i) }))
const joined = async (bodies: readonly Body[], over: Partial<JointOptions>): Promise<readonly Motion[]> =>
  (await matchJointly(bodies, { reachMm: 2, samples: 2000, unknowns: 6 * bodies.length, ...over }, quietContext()))
    .motions
/** How far b has come to lie along x from a. */
const along = (motions: readonly Motion[], a: number, b: number): number =>
  compose(invertRigid(motions[a]), motions[b])[3]

describe('a ring of takes that does not close', () => {
  // A levelling loop as in any textbook of adjustment (method: Gauss 1809; e.g. Ghilani 2017, "Adjustment
  // Computations", chapter 12; numbers ours):
  // observed 1.0 and 1.0 one way round, 2.3 the other. Least squares shares the misclosure of 0.3 among the three as
  // their variances are.
  test('equally sure observations take equal shares of the misclosure', async () => {
    const m = await joined(free(3), {
      marks: [...apart(0, 1, 1, 0.05), ...apart(1, 2, 1, 0.05), ...apart(0, 2, 2.3, 0.05)],
    })
    expect(along(m, 0, 1)).toBeCloseTo(1.1, 3)
    expect(along(m, 1, 2)).toBeCloseTo(1.1, 3)
    expect(along(m, 0, 2)).toBeCloseTo(2.2, 3)
  })
  test('an observation ten times less sure takes nearly all of it: shares go with the variances', async () => {
    const variances = [0.05 ** 2, 0.05 ** 2, 0.5 ** 2],
      sum = variances.reduce((s, v) => s + v, 0)
    const m = await joined(free(3), {
      marks: [...apart(0, 1, 1, 0.05), ...apart(1, 2, 1, 0.05), ...apart(0, 2, 2.3, 0.5)],
    })
    expect(along(m, 0, 1)).toBeCloseTo(1 + (0.3 * variances[0]) / sum, 3)
    expect(along(m, 0, 2)).toBeCloseTo(2.3 - (0.3 * variances[2]) / sum, 3)
  })
  test('four takes round a ring: a quarter each, whichever is called the first', async () => {
    const ring = [apart(0, 1, 0.5, 0.05), apart(1, 2, 0.5, 0.05), apart(2, 3, 0.5, 0.05), apart(0, 3, 1.9, 0.05)].flat()
    const m = await joined(free(4), { marks: ring })
    for (const [a, b] of [
      [0, 1],
      [1, 2],
      [2, 3],
    ] as const)
      expect(along(m, a, b)).toBeCloseTo(0.6, 3)
    // The same with the bodies in another order.
    const order = [2, 0, 3, 1],
      at = (i: number): number => order.indexOf(i)
    const other = await joined(
      order.map((i, k) => ({ cloud: PLATES[i], start: identityMotion(), moves: freeMoves(6 * k) })),
      { marks: ring.map((k) => ({ ...k, a: at(k.a), b: at(k.b) })) },
    )
    for (const [a, b] of [
      [0, 1],
      [1, 2],
      [0, 3],
    ] as const)
      expect(along(other, at(a), at(b))).toBeCloseTo(along(m, a, b), 3)
  })
})

describe('unknowns that are expected to be small', () => {
  test('a shift of which little is expected and a mark that says much meet where their variances put them', async () => {
    const x: Body['moves'][number] = { unknown: 0, twist: [0, 0, 0, 1, 0, 0] }
    for (const sigma of [0.05, 0.1, 0.4]) {
      // Four marks, each 0.2 mm sure: together 0.1 mm.
      const { motions, unknowns } = await matchJointly(
        [
          { cloud: PLATES[0], start: identityMotion(), moves: [] },
          { cloud: PLATES[1], start: identityMotion(), moves: [x] },
        ],
        { reachMm: 2, samples: 2000, unknowns: 1, marks: apart(0, 1, 1, 0.2), priors: [{ unknown: 0, sigma }] },
        quietContext(),
      )
      const wanted = 1 / 0.1 ** 2 / (1 / 0.1 ** 2 + 1 / sigma ** 2)
      expect(along(motions, 0, 1), `σ ${sigma}`).toBeCloseTo(wanted, 3)
      expect(unknowns[0]).toBeCloseTo(wanted, 3)
    }
  })
  test('an unknown that two bodies share moves both, each its own way', async () => {
    // One amount, one way for the second plate and twice the other way for the third.
    const moves = [[], [{ unknown: 0, twist: [0, 0, 0, 1, 0, 0] }], [{ unknown: 0, twist: [0, 0, 0, -2, 0, 0] }]]
    const { motions } = await matchJointly(
      moves.map((m, i): Body => ({ cloud: PLATES[i], start: identityMotion(), moves: m })),
      { reachMm: 2, samples: 2000, unknowns: 1, marks: [...apart(0, 1, 0.3, 0.1), ...apart(0, 2, -0.6, 0.1)] },
      quietContext(),
    )
    expect([along(motions, 0, 1), along(motions, 0, 2)]).toEqual([expect.closeTo(0.3, 3), expect.closeTo(-0.6, 3)])
  })
})

describe('what surfaces say', () => {
  test('plates apart and askew come together in what shows, and stay where they were in what does not', async () => {
    const start = compose(shiftMotion(0, 0, 0.4), rotationMotion([1, 0, 0], 0.01))
    const [a, b] = await joined(
      [
        { cloud: PLATES[0], start: identityMotion(), moves: freeMoves(0) },
        { cloud: PLATES[1], start, moves: freeMoves(6) },
      ],
      {},
    )
    const left = compose(invertRigid(a), b)
    expect(Math.abs(left[11])).toBeLessThan(0.002)
    expect(rotationAngle(left)).toBeLessThan(2e-4)
    expect(Math.hypot(left[3], left[7])).toBeLessThan(0.02)
  })
  test('bodies that are not to be compared are not: nothing is left, and that is said', async () => {
    await expect(joined(free(2), { apart: () => true })).rejects.toThrow(
      'The takes have no common surface near this start.',
    )
    const far: Body = { cloud: PLATES[1], start: shiftMotion(0, 0, 300), moves: freeMoves(6) }
    await expect(joined([free(1)[0], far], {})).rejects.toThrow('The takes have no common surface near this start.')
  })
  test('the middle that turns are about is that of all points where they lie', () => {
    const [x, y, z] = centreOf([
      { cloud: PLATES[0], start: shiftMotion(10, 0, 0) },
      { cloud: PLATES[1], start: shiftMotion(-10, 6, 2) },
    ])
    expect(Math.abs(x)).toBeLessThan(3)
    expect(Math.abs(y - 3)).toBeLessThan(3)
    expect(z).toBeCloseTo(1, 2)
  })
})
