import { describe, expect, test } from 'vitest'
import type { Completeness } from '../complete/completeness'
import { completenessFindings } from '../complete/findings'
import { quietContext } from '../context'
import { rotationMotion, transformPoints } from '../linear/rigid'
import { guessUnit, GUESS_MM } from '../measure/scale'
import { boundsOf, type PointCloud, type TriangleMesh } from '../shapes'
import { cube, spherePoints } from '../testing/solids'
import { checkHealth } from '../mesh/health'
import { inspectShape, operationNamed, runOperation, type Selection } from './index'
import { healthFigures, healthOf } from './mend'

const context = quietContext(1)
const run = (name: string, inputs: Parameters<typeof runOperation>[1], params: object) =>
  runOperation(operationNamed(name), inputs, params, context)
/** A ball that stands on a table, and three points that hang apart from both. */
function ballOnTable(): PointCloud {
  const ball = spherePoints(20, 3000)
  const side = 60
  const positions = new Float32Array(ball.positions.length + side * side * 3 + 9)
  positions.set(ball.positions)
  for (let i = 0; i < side * side; i++)
    positions.set([(i % side) * 2 - side, Math.floor(i / side) * 2 - side, -21], ball.positions.length + i * 3)
  positions.set([40, 40, 40, 41, 40, 40, 40, 41, 40], positions.length - 9)
  return { kind: 'cloud', positions }
}

describe('tense: what would go is told as it is, what went as it was', () => {
  test.each([
    [
      'tidy.trimTable',
      {},
      /^The table is [\d,]+ of [\d,]+ points; it is flat/,
      /^The table was [\d,]+ of [\d,]+ points, and is gone; it is flat/,
    ],
    [
      'tidy.removeStrays',
      {},
      /hang apart from the piece\. Left, they would (close|make|only)/,
      /hung apart from the piece and are gone\. Left, they would (have|only have)/,
    ],
    [
      'tidy.trimPlane',
      { normal: [0, 0, 1], offsetMm: -20.5 },
      /lie below the plane at -20\.5 mm\.$/,
      /lay below the plane at -20\.5 mm and are gone\.$/,
    ],
  ])('%s', async (name, params, before, after) => {
    const take = ballOnTable()
    expect((await run(name, { take }, { ...params, apply: false })).findings[0].text).toMatch(before)
    expect((await run(name, { take }, params)).findings[0].text).toMatch(after)
  })
  test('the area of the same points is the same before and after the cut', async () => {
    const take = ballOnTable()
    const selection = (await run('tidy.trimTable', { take }, { apply: false })).outputs.selection as Selection
    const { figures } = await run('tidy.cut', { take, selection }, {})
    // Each point for the square of its spacing, as the page reckons it: 3,600 points 2 mm apart.
    expect(Number(figures.areaMm2)).toBeCloseTo(Number(figures.cut) * 2 ** 2, -2)
  })
})

describe('units', () => {
  test.each([
    [0.118, 'm', 1000],
    [118, 'mm', 1],
    [19_000, 'mm', 1],
    [118_000, 'µm', 0.001],
    [1.18e8, 'µm', 0.001],
  ] as const)('%d across: %s', (size, unit, factor) => {
    expect(guessUnit(size).unit).toBe(unit)
    expect(GUESS_MM[guessUnit(size).unit]).toBe(factor)
  })
  test('a file a thousand times too big is doubtful and says what to do; a usual size counts all that was taken', async () => {
    const big = await runOperation(
      inspectShape,
      { shape: { ...cube(1), positions: cube(1).positions.map((v) => v * 118_000) } },
      {},
      context,
    )
    expect(big.findings[0]).toMatchObject({
      verdict: 'doubtful',
      nextMove: 'Bring it to millimetres at Size (× 0.001)',
      text: expect.stringMatching(/a thousand times too big, as if they were micrometres/) as string,
    })
    const usual = await runOperation(inspectShape, { shape: ballOnTable() }, {}, context)
    expect(usual.findings[0].text).toMatch(
      /all points together, with whatever stands about the piece, reach over \d+, a usual size/,
    )
  })
})

describe('size', () => {
  const pairs = (readingMm: number) => [{ from: [0, 0, 0], to: [100, 0, 0], readingMm, uncertaintyMm: 0.05 }]
  test('a reading ten times too small is doubted before anything is scaled', async () => {
    const shape = cube(100)
    await expect(run('size.scale', { shape }, { pairs: pairs(10.02), despite: false })).rejects.toThrow(
      /^The readings are 0\.1 times what the mesh measures: .*Nothing was scaled\. Is a reading off by a decimal place\?/,
    )
    const meant = await run('size.scale', { shape }, { pairs: pairs(10.02), despite: true })
    expect(meant.figures.factor).toBeCloseTo(0.1002, 4)
    expect((await run('size.scale', { shape }, { pairs: pairs(100.2), despite: false })).findings[0].verdict).toBe(
      'sound',
    )
  })
})

describe('a skin stands upright, as the table under the fixed take showed', () => {
  test.each([[[0, 0, -1]], [[1, 0, 0]], [[0.3, -0.5, 0.2]]])('up was %j', async (up) => {
    const [x, y, z] = up as [number, number, number]
    const l = Math.hypot(x, y, z)
    // A lying egg shape: long along what is up for it.
    const standing = spherePoints(20, 6000)
    const tall: PointCloud = {
      kind: 'cloud',
      positions: standing.positions.map((v, i) => (i % 3 === 2 ? v * 2 : v)),
      normals: standing.normals!.map((v, i) => (i % 3 === 2 ? v / 2 : v)),
    }
    const axis: [number, number, number] =
      Math.hypot(x, y) > 1e-9 ? [-y / Math.hypot(x, y), x / Math.hypot(x, y), 0] : [1, 0, 0]
    const turn = rotationMotion(axis, Math.acos(z / l))
    const lying: PointCloud = { kind: 'cloud', positions: transformPoints(turn, tall.positions) }
    const { outputs } = await run(
      'skin.make',
      { takes: [lying], motions: { kind: 'motions', motions: {} } },
      { names: ['a'], spacingMm: 2, up },
    )
    const { min, max } = boundsOf((outputs.mesh as TriangleMesh).positions)
    expect(max[2] - min[2]).toBeGreaterThan(77)
    expect(max[0] - min[0]).toBeLessThan(44)
    expect(max[1] - min[1]).toBeLessThan(44)
  })
  test('a table that is level within a degree changes no byte', async () => {
    const take = spherePoints(20, 2000)
    const made = async (up: number[] | null) =>
      (
        await run(
          'skin.make',
          { takes: [take], motions: { kind: 'motions', motions: {} } },
          { names: ['a'], spacingMm: 2, up },
        )
      ).outputs.mesh
    expect(await made([0.01, 0, 1])).toEqual(await made(null))
  })
})

describe('what is missing', () => {
  const found = (unseen: number): Completeness =>
    ({
      seenMm2: 900,
      thinMm2: 0,
      openMm2: 1000 * unseen,
      hiddenMm2: 0,
      unseen: { share: unseen, low: unseen, high: unseen },
      unseenThatMatters: unseen,
      gaps: [],
      proposal: null,
    }) as unknown as Completeness
  const laid = { how: 'join' as const, left: [] }
  test('planned takes that were not taken are named; they matter where something is missing', () => {
    expect(
      completenessFindings(found(0.2), null, laid, ['side', 'top']).find((f) => f.id === 'complete.toCome'),
    ).toMatchObject({ verdict: 'doubtful', text: '“side”, “top” are planned and not taken yet.' })
    expect(completenessFindings(found(0), null, laid, ['side']).find((f) => f.id === 'complete.toCome')).toMatchObject({
      verdict: 'sound',
      text: '“side” is planned and not taken; what matters is there without it.',
    })
    expect(completenessFindings(found(0), null, laid).some((f) => f.id === 'complete.toCome')).toBe(false)
  })
})

test('health reads the same from a mesh and from the figures a step keeps', () => {
  const open: TriangleMesh = { ...cube(2), indices: cube(2).indices.slice(3) }
  for (const mesh of [cube(2), open]) {
    const health = checkHealth(mesh, context)
    const kept = JSON.parse(JSON.stringify(healthFigures(health))) as ReturnType<typeof healthFigures>
    expect(healthOf(kept)).toEqual(healthOf(healthFigures(health)))
  }
  expect(healthOf(healthFigures(checkHealth(open, context))).verdict).toBe('unsound')
})
