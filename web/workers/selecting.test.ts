import { describe, expect, test } from 'vitest'
import { seededRandom, type PointCloud } from '@holosoma/core'
import { countBits, hasBit, indicesOf, type View } from '@holosoma/core/select'
import { aimAt, areaOf, choose, depthOf, hitsOf, prepareFor, underStroke, type Choice, type Vector } from './selecting'

/** A sheet of a millimetre's spacing across x, at a height, with normals up and a colour of its own. */
function sheet(z: number, tone: number): PointCloud {
  const positions: number[] = [],
    normals: number[] = [],
    colours: number[] = []
  for (let x = -20; x <= 20; x++)
    for (let y = -20; y <= 20; y++) {
      positions.push(x, y, z)
      normals.push(0, 0, 1)
      colours.push(x < 0 ? tone : 250, 10, 10)
    }
  return {
    kind: 'cloud',
    positions: Float32Array.from(positions),
    normals: Float32Array.from(normals),
    colours: Uint8Array.from(colours),
  }
}
const COUNT = 41 * 41
/** From straight above, 400 pixels for 80 mm; clip depth grows downwards. */
const above: View = { matrix: [0.025, 0, 0, 0, 0, 0.025, 0, 0, 0, 0, -0.01, 0, 0, 0, 0, 1], width: 400, height: 400 }
const everything = [0, 0, 400, 0, 400, 400, 0, 400]
const lasso: Choice = { kind: 'lasso', polygon: everything, view: above }
/** A quarter turn about z, then 100 mm along x and 5 up. */
const rows = [
  [0, -1, 0, 100],
  [1, 0, 0, 0],
  [0, 0, 1, 5],
  [0, 0, 0, 1],
]
const toStage = ([x, y, z]: Vector): Vector => [100 - y, x, z + 5]

describe('takes that hide each other', () => {
  const upper = sheet(10, 40),
    lower = sheet(0, 90)
  const takes = [
    { shape: upper, rows: null },
    { shape: lower, rows: null },
  ]
  test('through takes both, the front only the upper; the one alone on the stage shows again', () => {
    const depth = depthOf(takes, above)
    const count = (shape: PointCloud, d = depth as typeof depth | null): number =>
      countBits(choose(shape, null, lasso, null, 'add', d))
    expect([count(upper, null), count(lower, null)]).toEqual([COUNT, COUNT])
    expect([count(upper), count(lower)]).toEqual([COUNT, 0])
    expect(count(lower, depthOf([takes[1]], above))).toBe(COUNT)
  })
  test('a joined take lies where its motion puts it: moved aside, it hides nothing', () => {
    const aside = depthOf(
      [
        {
          shape: upper,
          rows: [
            [1, 0, 0, 300],
            [0, 1, 0, 0],
            [0, 0, 1, 0],
            [0, 0, 0, 1],
          ],
        },
        takes[1],
      ],
      above,
    )
    expect(countBits(choose(lower, null, lasso, null, 'add', aside))).toBe(COUNT)
  })
  test('what was worked out while the hand drew is used, and not for another view or another depth picture', () => {
    const depth = { ...depthOf(takes, above), name: 'both' },
      alone = { ...depthOf([takes[1]], above), name: 'lower' }
    const aimed = aimAt(lower, null, above, depth)
    expect(aimAt(lower, null, above, depth)).toBe(aimed)
    const shows = aimed.shows
    expect(aimAt(lower, null, above, { ...depth }).shows).toBe(shows)
    expect(countBits(choose(lower, null, lasso, null, 'add', depth))).toBe(0)
    expect(countBits(choose(lower, null, lasso, null, 'add', alone))).toBe(COUNT)
    expect(countBits(choose(lower, null, lasso, null, 'add', null))).toBe(COUNT)
    const half = { ...above, width: 200 }
    expect(aimAt(lower, null, half, null)).not.toBe(aimed)
  })
  test('what the answer of one worker hides, the other’s takes stay hidden by: depths laid together are those made at once', () => {
    const [a, b] = takes.map((t) => depthOf([t], above)) as [ReturnType<typeof depthOf>, ReturnType<typeof depthOf>]
    const both = depthOf(takes, above)
    expect(a.nearest.map((v, i) => Math.min(v, b.nearest[i]))).toEqual(both.nearest)
  })
})

describe('where the pointer meets a take', () => {
  const take = sheet(3, 40)
  const down = (x: number, y: number): Parameters<typeof hitsOf>[2][number] => ({
    origin: [x, y, 200],
    direction: [0, 0, -1],
    radiusMm: 0.6,
  })
  test('the place is the stage’s, the depth along the ray, the colour that of the point', () => {
    const [hit, none] = hitsOf(take, null, [down(-7, 4), down(60, 0)])
    expect(hit).toEqual({ at: [-7, 4, 3], depthMm: 197, colour: [40, 10, 10] })
    expect(none).toBeNull()
    expect(hitsOf({ ...take, colours: undefined }, null, [down(5, 5)])[0]!.colour).toBeNull()
  })
  test('of a joined take too', () => {
    const at = toStage([-7, 4, 3])
    const hit = hitsOf(take, rows, [down(at[0], at[1])])[0]!
    hit.at.forEach((v, c) => expect(v).toBeCloseTo(at[c], 5))
    expect(hit.depthMm).toBeCloseTo(200 - at[2], 5)
  })
})

describe('choosing on a joined take gives what choosing on it alone gives', () => {
  const random = seededRandom(4)
  const positions = Float32Array.from({ length: 900 * 3 }, () => 40 * random.next() - 20)
  const take: PointCloud = {
    kind: 'cloud',
    positions,
    confidence: Float32Array.from({ length: 900 }, (_, i) => (i % 10) / 10),
  }
  const normal: Vector = [0.6, 0, 0.8]
  /** The same plane on the stage: the normal turned a quarter, the offset with the shift. */
  const turned: Vector = [-normal[1], normal[0], normal[2]]
  test.each<[string, Choice, Choice]>([
    [
      'below a plane',
      { kind: 'below', normal, offsetMm: 2 },
      { kind: 'below', normal: turned, offsetMm: 2 + turned[0] * 100 + turned[2] * 5 },
    ],
    ['a part', { kind: 'part', at: [0, 0, 0], gapMm: 3 }, { kind: 'part', at: toStage([0, 0, 0]), gapMm: 3 }],
    ['less sure', { kind: 'unsure', below: 0.35 }, { kind: 'unsure', below: 0.35 }],
  ])('%s', (_what, alone, joined) => {
    const want = choose(take, null, alone, null, 'add', null)
    expect(countBits(want)).toBeGreaterThan(0)
    expect(choose(take, rows, joined, null, 'add', null)).toEqual(want)
  })
  test('a stretch of the brush', () => {
    const want = underStroke(take, null, { at: [1, 2, 3, 6, -4, 0], radiusMm: 5, facing: [0, 0, 1] })
    expect(want.length).toBeGreaterThan(0)
    expect(
      underStroke(take, rows, {
        at: [...toStage([1, 2, 3]), ...toStage([6, -4, 0])],
        radiusMm: 5,
        facing: [0, 0, 1],
      }).sort(),
    ).toEqual(want.sort())
  })
  test('a flat patch grows from the place that was clicked', () => {
    const flat = sheet(0, 40)
    expect(
      countBits(
        choose(flat, rows, { kind: 'plane', at: toStage([2, 2, 0]), distanceMm: 0.2, angleDeg: 20 }, null, 'add', null),
      ),
    ).toBe(COUNT)
  })
  test('adding, taking out, starting anew, turning round', () => {
    const low = choose(take, null, { kind: 'below', normal: [0, 0, 1], offsetMm: 0 }, null, 'add', null)
    const lower: Choice = { kind: 'below', normal: [0, 0, 1], offsetMm: -10 }
    const without = choose(take, null, lower, low, 'subtract', null)
    expect([...indicesOf(without)].every((i) => positions[i * 3 + 2] < 0 && positions[i * 3 + 2] >= -10)).toBe(true)
    expect(countBits(without) + countBits(choose(take, null, lower, null, 'add', null))).toBe(countBits(low))
    expect(choose(take, null, lower, low, 'replace', null)).toEqual(choose(take, null, lower, null, 'add', null))
    const rest = choose(take, null, { kind: 'invert' }, low, 'add', null)
    expect(countBits(rest) + countBits(low)).toBe(900)
    const grown = choose(take, null, { kind: 'grow', byMm: 4 }, without, 'add', null)
    expect(indicesOf(without).every((i) => hasBit(grown, i))).toBe(true)
    expect(countBits(grown)).toBeGreaterThan(countBits(without))
  })
  test('a kept choice comes back bit by bit, and one of the take as it was before is refused', () => {
    const kept = choose(take, null, { kind: 'unsure', below: 0.5 }, null, 'add', null)
    expect(choose(take, rows, { kind: 'kept', bits: kept }, null, 'add', null)).toEqual(kept)
    expect(() => choose(take, null, { kind: 'kept', bits: kept.slice(0, -1) }, null, 'add', null)).toThrow(
      'it has changed since',
    )
  })
  test('meshes are not chosen from here, and have no area of points', () => {
    const mesh = {
      kind: 'mesh' as const,
      positions: Float32Array.of(0, 0, 0, 1, 0, 0, 0, 1, 0),
      indices: Uint32Array.of(0, 1, 2),
    }
    expect(() => choose(mesh, null, { kind: 'invert' }, null, 'add', null)).toThrow('Only takes of points')
    expect(areaOf(mesh, 5)).toBe(0)
    expect(() => prepareFor(mesh)).not.toThrow()
  })
  test('the area of a millimetre’s lattice is its count, to a twentieth', () => {
    const flat = sheet(0, 40)
    prepareFor(flat)
    expect(areaOf(flat, 100) / 100).toBeGreaterThan(0.95)
    expect(areaOf(flat, 100) / 100).toBeLessThan(1.05)
  })
})
