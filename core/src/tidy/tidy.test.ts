import { describe, expect, test } from 'vitest'
import { BRASS_CLEAT, DEMO_PIECES, NET_BOBBIN, OIL_LAMP, STOVE_TILE } from '../bench/pieces'
import { captureTake, TABLETOP_DEVICE } from '../bench/capture'
import { ALL_FAULTS } from '../bench/settings'
import { TRUE_KIND } from '../bench/sink'
import { quietContext } from '../context'
import { estimateFeatures } from '../cloud/normals'
import { shiftMotion, transformPoints } from '../linear/rigid'
import { operationNamed, runOperation } from '../operations'
import { NO_DOTS } from '../plan/dots'
import { NEW_TAKE } from '../plan/takes'
import { STANDARD_PLANS } from '../testing/completeness-cases'
import { judgeDots, judgeTidy } from '../testing/tidy-cases'
import type { PointCloud } from '../shapes'
import { onBench } from './bench-reference'
import { findDots } from './dots'
import { farFrames, frameDistances } from './far-frames'
import { proposeTidy, type TidyKnown } from '../plan/tidy-proposal'
import { mixedPoints, sightLinesThrough } from './seen-through'
import { soleSurface } from './sole'

// Truth is what the bench knows each point to be; the limits are those the work must keep: 0.2 % of the piece lost
// outside the contact, 99.5 % of foreign points gone.
describe('takes tidied without a hand', () => {
  test.each([
    ['lamp', 0],
    ['bobbin', 1],
    ['tile', 2],
    ['cleat', 0],
  ] as const)('%s, take %i of its plan', async (name, k) => {
    const r = await judgeTidy(DEMO_PIECES[name], STANDARD_PLANS[name][k], 3, quietContext(3))
    expect(r.foreign).toBeGreaterThan(20_000)
    expect(r.lostShare).toBeLessThan(0.002)
    expect(r.goneShare).toBeGreaterThan(0.995)
  })
})

test('dots are found by tone, roundness and flatness, on the piece and on the mat', () => {
  const onMat = judgeDots(BRASS_CLEAT, { ...NEW_TAKE, elevationDeg: 40 }, 1, quietContext(1), {
    ...NO_DOTS,
    where: 'mat',
  })
  const onPiece = judgeDots(STOVE_TILE, { ...NEW_TAKE, pose: 'inverted', elevationDeg: 35 }, 1, quietContext(1), {
    ...NO_DOTS,
    where: 'piece',
  })
  for (const r of [onMat, onPiece]) {
    expect(r.shown).toBeGreaterThan(8)
    expect(r.found).toBeGreaterThanOrEqual(0.95 * r.shown)
    expect(r.falseOnes).toBeLessThanOrEqual(1)
  }
  const bare: PointCloud = { kind: 'cloud', positions: Float32Array.from({ length: 300 }, (_, i) => i) }
  expect(() => findDots(bare, 5, quietContext())).toThrow('has no colours')
  const coloured = { ...bare, colours: new Uint8Array(300).fill(200) }
  expect(() => findDots(coloured, 0, quietContext())).toThrow('wider than 0 mm')
  expect(() => findDots(coloured, 2, quietContext())).toThrow('too far to make out dots')
})

test('the empty bench taken away: the table goes, what stands on it stays but for its contact', async () => {
  const take = { ...NEW_TAKE, elevationDeg: 40 }
  const bench = captureTake(NET_BOBBIN, take, TABLETOP_DEVICE, 11, quietContext(11), {
    faults: ALL_FAULTS,
    spacingMm: 0.5,
    pieceAway: true,
  })
  // Nothing of a piece is there: the table, and points mixed at its rim.
  expect(bench.trueKinds.length).toBeGreaterThan(10_000)
  expect([...new Set(bench.trueKinds)].filter((k) => k !== TRUE_KIND.table && k !== TRUE_KIND.mixed)).toEqual([])
  const { cloud, trueKinds } = captureTake(NET_BOBBIN, take, TABLETOP_DEVICE, 12, quietContext(12), {
    faults: ALL_FAULTS,
    spacingMm: 0.5,
  })
  const { outputs, figures, findings } = await runOperation(
    operationNamed('tidy.subtractBench'),
    { take: cloud, bench: bench.cloud },
    {},
    quietContext(),
  )
  const left = outputs.take as PointCloud
  expect(Number(figures.cut)).toBe(cloud.positions.length / 3 - left.positions.length / 3)
  expect(findings[0].verdict).toBe('sound')
  const { normals, spacingMm } = estimateFeatures(bench.cloud, quietContext())
  const mask = onBench(
    cloud,
    { ...bench.cloud, normals },
    { withinMm: Number(figures.withinMm), spacingMm },
    quietContext(),
  )
  let table = 0,
    tableGone = 0,
    piece = 0,
    pieceGone = 0
  for (let i = 0; i < mask.length; i++) {
    if (trueKinds[i] === TRUE_KIND.table) {
      table++
      tableGone += mask[i]
    } else if (trueKinds[i] === TRUE_KIND.piece && cloud.positions[i * 3 + 2] > 1) {
      piece++
      pieceGone += mask[i]
    }
  }
  expect(tableGone / table).toBeGreaterThan(0.995)
  expect(pieceGone / piece).toBeLessThan(0.002)
  // A bench that was moved takes hardly anything, and says so.
  const moved = { ...bench.cloud, positions: transformPoints(shiftMotion(0, 0, 40), bench.cloud.positions) }
  expect(
    (await runOperation(operationNamed('tidy.subtractBench'), { take: cloud, bench: moved }, {}, quietContext()))
      .findings[0],
  ).toMatchObject({ verdict: 'doubtful' })
  await expect(
    runOperation(operationNamed('tidy.subtractBench'), { take: bench.cloud, bench: bench.cloud }, {}, quietContext()),
  ).rejects.toThrow('it is the empty bench itself')
})

describe('frames and sight lines', () => {
  const { cloud } = captureTake(OIL_LAMP, { ...NEW_TAKE, elevationDeg: 48 }, TABLETOP_DEVICE, 5, quietContext(5), {
    spacingMm: 0.8,
  })
  test('a frame that hangs apart is named, and only it', () => {
    const astray = {
      ...cloud,
      positions: cloud.positions.map((v, i) => (cloud.frame![Math.floor(i / 3)] === 4 && i % 3 === 2 ? v + 60 : v)),
    }
    const known = (c: PointCloud) => c as PointCloud & { frame: Uint16Array }
    expect(farFrames(frameDistances(known(cloud)), 4)).toEqual([])
    const far = farFrames(frameDistances(known(astray)), 4)
    expect(far.map((f) => f.frame)).toEqual([4])
    expect(far[0].apartMm).toBeGreaterThan(20)
  })
  test('a point in mid-air is seen through, a point behind the table is not, and the piece’s own stay', () => {
    // Over the rim of the table, where no piece is: other frames see the table behind it.
    const extra = [58, 0, 25, 0, 58, 25, 40, 40, -15]
    const k = extra.length / 3,
      n = cloud.positions.length / 3
    const positions = new Float32Array(cloud.positions.length + extra.length)
    positions.set(cloud.positions)
    positions.set(extra, cloud.positions.length)
    const frame = new Uint16Array(n + k)
    frame.set(cloud.frame!)
    frame.fill(Math.max(...cloud.frame!), n)
    const grown = { kind: 'cloud' as const, positions, frame, frameOrigins: cloud.frameOrigins! }
    const through = sightLinesThrough(grown, 0.8, 3, quietContext())
    expect(through[n] + through[n + 1]).toBeGreaterThan(1)
    expect(through[n + 2]).toBe(0)
    const mask = mixedPoints(grown, 0.8, quietContext())
    expect(mask.subarray(0, n).reduce((s, x) => s + x, 0) / n).toBeLessThan(0.002)
  })
})

test('surface that no other take has: of two half overlapping sheets the part beyond, well seen only', () => {
  const sheet = (from: number, to: number): PointCloud => {
    const p: number[] = []
    for (let x = from; x < to; x++) for (let y = 0; y < 20; y++) p.push(x, y, 0)
    return { kind: 'cloud', positions: Float32Array.from(p) }
  }
  const own = sheet(0, 40),
    other = sheet(20, 60)
  const { seenWell, sole, mask } = soleSurface(own, [other], 1, quietContext())
  expect(seenWell).toBe(800)
  // What lies nearer than three spacings to the other's edge counts as its.
  expect(sole).toBe(18 * 20)
  expect(mask[0]).toBe(1)
  const n = own.positions.length / 3
  const glancing: PointCloud = {
    ...own,
    normals: Float32Array.from({ length: n * 3 }, (_, i) => (i % 3 === 2 ? 1 : 0)),
    frame: new Uint16Array(n),
    frameOrigins: Float64Array.of(-500, 10, 30),
  }
  expect(soleSurface(glancing, [other], 1, quietContext()).seenWell).toBe(0)
})

describe('what is proposed', () => {
  const known: TidyKnown = {
    planned: { kind: 'turntable', support: 'plate' },
    dots: null,
    bench: false,
    deviceTable: true,
    has: { frames: true, colours: true },
    keepBase: false,
  }
  const names = (over: Partial<TidyKnown>): string[] =>
    proposeTidy({ ...known, ...over }).map((s) => s.operation.slice(5))
  test.each([
    ['a take on the plate', {}, ['removeFarFrames', 'removeMixed', 'trimTable', 'removeStrays']],
    [
      'on putty',
      { planned: { kind: 'turntable', support: 'putty' } },
      ['removeFarFrames', 'removeMixed', 'removeHolder', 'trimTable', 'removeStrays'],
    ],
    [
      'in a grip, where there is no table',
      { planned: { kind: 'grip', support: 'plate' } },
      ['removeFarFrames', 'removeMixed', 'removeHolder', 'removeStrays'],
    ],
    [
      'with dots on the piece',
      { dots: { where: 'piece', diameterMm: 5 } },
      ['removeFarFrames', 'removeMixed', 'removeDots', 'trimTable', 'removeStrays'],
    ],
    [
      'with the empty bench known',
      { bench: true },
      ['removeFarFrames', 'removeMixed', 'subtractBench', 'removeStrays'],
    ],
    [
      'a file without frames',
      { planned: null, deviceTable: false, has: { frames: false, colours: false } },
      ['trimTable', 'removeStrays'],
    ],
    ['what floats left to the fuse', { leftToFuse: true }, ['removeFarFrames', 'trimTable']],
    [
      'a base that helps joining',
      { keepBase: true, planned: { kind: 'turntable', support: 'riser' } },
      ['removeFarFrames', 'removeMixed', 'removeStrays'],
    ],
  ] as const)('%s', (_what, over, want) => expect(names(over as Partial<TidyKnown>)).toEqual(want))
})
