import { readdirSync, readFileSync } from 'node:fs'
import { dirname, join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { describe, expect, test } from 'vitest'
import { quietContext } from '../context'
import { worst } from '../findings'
import {
  compose,
  identityMotion,
  invertRigid,
  motionRows,
  rotationMotion,
  transformPoints,
  type Motion,
} from '../linear/rigid'
import { assertSound } from '../sound-shape'
import { indicesWhere, pickPoints, type PointCloud, type Shape, type TriangleMesh } from '../shapes'
import { NEW_TAKE } from '../plan/takes'
import { captureTake, LAMP_TAKES, roughMotion, TABLETOP_DEVICE } from '../bench/capture'
import { OIL_LAMP } from '../bench/pieces'
import { makePreview, makeThumb, previewIndices, THUMB_POINTS } from '../mesh/preview'
import { boxPoints, cube, icosahedron, spherePoints, torus, withoutFaces } from '../testing/solids'
import {
  adoptMesh,
  closeHoles,
  compareWith,
  healthCheck,
  inspectShape,
  joinTakes,
  operationNamed,
  operationNames,
  removeStrays,
  runOperation,
  scaleShape,
  simplify,
  simulateTake,
  skinTakes,
  thinTake,
  trimTable,
  type Motions,
  type Scalars,
  type Selection,
} from './index'
import { hasBit } from '../select/bits'
import { selectionOf } from './selection'

const context = () => quietContext()
const coarse = { pitchMm: 1.2, spacingMm: 0.7 }
const captured = LAMP_TAKES.map((plan, i) => captureTake(OIL_LAMP, plan, TABLETOP_DEVICE, 20 + i, context(), coarse))
const [upright, side] = captured.map((c) => c.cloud) as [PointCloud, PointCloud]
const truth = compose(captured[0].truth, invertRigid(captured[1].truth))
const tidy = await Promise.all(
  [upright, side].map(
    async (take) => (await runOperation(trimTable, { take }, {}, context())).outputs.take as PointCloud,
  ),
)

describe('the registry', () => {
  test('knows every operation by name; names are told apart', () => {
    // Whatever file of this folder defines one, the registry knows it: none is forgotten in the list of the room.
    const folder = dirname(fileURLToPath(import.meta.url))
    const defined = readdirSync(folder)
      .filter((f) => !f.endsWith('.test.ts'))
      .flatMap((f) => [...readFileSync(join(folder, f), 'utf8').matchAll(/defineOperation\(\{\s*name: '([^']+)'/g)])
      .map(([, name]) => name)
    expect(defined.length).toBeGreaterThan(25)
    expect(operationNames()).toEqual(defined.sort())
    expect(operationNamed('skin.make')).toBe(skinTakes)
    expect(() => operationNamed('skin.peel')).toThrow('There is no operation called "skin.peel"')
  })
  test('parameters are checked, unknown ones refused, defaults filled in', async () => {
    await expect(runOperation(thinTake, { take: upright }, { spacingMm: -1 }, context())).rejects.toThrow(
      /Spacing must be a positive number/,
    )
    await expect(runOperation(trimTable, { take: upright }, { ofsetMm: 1 }, context())).rejects.toThrow(
      'OfsetMm is not allowed',
    )
    await expect(
      runOperation(
        skinTakes,
        { takes: [upright], motions: { kind: 'motions', motions: {} } },
        { names: ['a'], spacingMm: 0 },
        context(),
      ),
    ).rejects.toThrow('The spacing must be larger than 0 mm')
    expect((await runOperation(trimTable, { take: upright }, {}, context())).params).toMatchObject({
      offsetMm: 0.6,
      force: false,
    })
  })
  test('inputs of the wrong kind are refused in words', async () => {
    await expect(
      runOperation(trimTable, { take: icosahedron() as unknown as PointCloud }, {}, context()),
    ).rejects.toThrow('tidy.trimTable needs a cloud as "take"')
    await expect(runOperation(operationNamed('mend.closeHoles'), {}, {}, context())).rejects.toThrow(
      'mend.closeHoles needs "mesh"',
    )
    await expect(
      runOperation(
        joinTakes,
        { takes: [icosahedron() as unknown as PointCloud] },
        { names: ['a'], fixed: 'a' },
        context(),
      ),
    ).rejects.toThrow('list of clouds')
  })
  test('pure: the same inputs, parameters and seed give the same bytes', async () => {
    const run = async () =>
      (
        await runOperation(
          joinTakes,
          { takes: tidy },
          { names: ['u', 's'], fixed: 'u', initial: { s: motionRows(truth) } },
          context(),
        )
      ).outputs.motions as Motions
    expect((await run()).motions).toEqual((await run()).motions)
  })
  test('estimates grow with the work', () => {
    const estimate = (spacingMm: number) =>
      skinTakes.estimate(
        { takes: tidy, motions: { kind: 'motions', motions: {} } },
        {
          ...{ names: [], triangles: null, largeWhereFlat: false, dense: false, edges: 'off' as const, turn: false },
          spacingMm,
          closed: true,
          allParts: false,
          up: null,
        },
      )
    expect(estimate(0.5).work).toBeGreaterThan(3 * estimate(1).work - 4)
    expect(estimate(0.5).bytes).toBeGreaterThan(estimate(1).bytes)
    for (const [operation, inputs, params] of [
      [trimTable, { take: upright }, {}],
      [healthCheck, { mesh: cube() }, {}],
      [scaleShape, { shape: upright }, {}],
    ] as const)
      expect((operation as typeof trimTable).estimate(inputs as never, params as never).work).toBeGreaterThan(0)
  })
})

describe('tidy', () => {
  test('the selection that is shown is what is cut', async () => {
    const shown = (await runOperation(trimTable, { take: upright }, { apply: false }, context())).outputs
      .selection as Selection
    const cut = tidy[0]
    let selected = 0
    for (let i = 0; i < shown.count; i++) if (hasBit(shown.bits, i)) selected++
    expect(selected).toBe(shown.count - cut.positions.length / 3)
    expect(cut.frame!.length).toBe(cut.positions.length / 3)
  })
  test('a take without a table is left alone and says so; forced, it is cut', async () => {
    const again = await runOperation(trimTable, { take: tidy[0] }, {}, context())
    expect(again.figures).toMatchObject({ cut: 0, table: false })
    expect(again.findings[0].text).toContain('Nothing was cut')
    expect(trimTable.describe(again.params, again.figures)).toContain('nothing was cut')
    const box: PointCloud = {
      kind: 'cloud',
      positions: boxPoints(4000, [60, 60, 20]).map((v, i, a) =>
        i % 3 === 2 && Math.floor(i / 3) % 3 > 0
          ? 10
          : i % 3 === 0 && Math.floor(i / 3) % 3 === 0
            ? a[i] > 0
              ? 30
              : -30
            : v,
      ),
    }
    const flat = await runOperation(trimTable, { take: box }, {}, context())
    expect(flat.figures).toMatchObject({ cut: 0, table: false })
    expect(flat.findings[0]).toMatchObject({ verdict: 'doubtful' })
    expect((await runOperation(trimTable, { take: box }, { force: true }, context())).figures.cut).toBeGreaterThan(2000)
  })
  test('a table with normals unknown is found too', async () => {
    const { positions } = upright
    expect((await runOperation(trimTable, { take: { kind: 'cloud', positions } }, {}, context())).figures.table).toBe(
      true,
    )
  })
  test('strays: floating patches go, counted; large parts stay and are asked about', async () => {
    const ball = spherePoints(20, 3000)
    const with_ = (extra: number[]): PointCloud => ({
      kind: 'cloud',
      positions: Float32Array.from([...ball.positions, ...extra]),
    })
    const few = await runOperation(removeStrays, { take: with_([40, 0, 0, 40.1, 0, 0]) }, {}, context())
    expect(few.figures).toMatchObject({ cut: 2, patches: 1, keptParts: 1 })
    expect(few.findings[0].text).toContain('2 strays in 1 floating patch hung apart from the piece and are gone')
    const two = await runOperation(
      removeStrays,
      { take: with_([...spherePoints(20, 3000).positions.map((v, i) => (i % 3 === 0 ? v + 60 : v))]) },
      {},
      context(),
    )
    expect(two.figures).toMatchObject({ cut: 0, keptParts: 2 })
    expect(two.findings[0].verdict).toBe('doubtful')
    const outliers = await runOperation(
      removeStrays,
      { take: with_([30, 0, 0]) },
      { gapMm: 50, outlierNeighbours: 20, outlierSigma: 4 },
      context(),
    )
    expect(outliers.figures.cut).toBe(1)
  })
  test('thinning', async () => {
    const r = await runOperation(thinTake, { take: upright }, { spacingMm: 2 }, context())
    expect(Number(r.figures.cut)).toBeGreaterThan(Number(r.figures.before) * 0.5)
  })
  test('bits of a selection', () => {
    const s = selectionOf(Uint8Array.of(1, 0, 0, 1, 1, 1, 1, 1, 0, 1), 0)
    expect([0, 1, 2, 3, 8, 9].map((i) => hasBit(s.bits, i))).toEqual([false, true, true, false, true, false])
  })
})

describe('join', () => {
  const names = ['upright', 'side']
  const at = (m: Motion, p: readonly number[]) => Array.from(transformPoints(m, Float32Array.from(p)))
  const spots = [
    [60, 0, 30],
    [-48, 0, 20],
    [0, 30, 20],
    [0, -30, 25],
  ]
  const picks = (count: number, off = 1) =>
    spots.slice(0, count).map((p, i) => ({
      a: { take: 'upright', at: at(captured[0].truth, p).map((v) => v + off * Math.sin(i + 1)) },
      b: { take: 'side', at: at(captured[1].truth, p) },
    }))
  const moved = (m: Motion): number =>
    Math.max(
      ...spots.map((p) => {
        const q = at(captured[1].truth, p)
        const x = at(m, q),
          y = at(truth, q)
        return Math.hypot(...x.map((v, i) => v - y[i]))
      }),
    )
  test('from picks a millimetre off to the truth; the finding is sound and its figures are there', async () => {
    const r = await runOperation(joinTakes, { takes: tidy }, { names, fixed: 'upright', picks: picks(4) }, context())
    expect(moved((r.outputs.motions as Motions).motions.side)).toBeLessThan(0.05)
    expect(worst(r.findings)).toBe('sound')
    expect(Number(r.figures.overlap)).toBeGreaterThan(0.4)
    expect(r.details.pairs[0]).toMatchObject({
      take: 'side',
      fixed: 'upright',
      verdict: 'sound',
      free: 0,
    })
    expect(r.figures).toMatchObject({ byShape: false, stop: 'converged' })
  })
  test('from rough motions, and with the other take fixed: the inverse', async () => {
    const rough = roughMotion(truth, [0, 0, 20], 3, 8, 5)
    const a = (
      await runOperation(
        joinTakes,
        { takes: tidy },
        { names, fixed: 'upright', initial: { side: motionRows(rough) } },
        context(),
      )
    ).outputs.motions as Motions
    const b = (
      await runOperation(
        joinTakes,
        { takes: tidy },
        { names, fixed: 'side', initial: { upright: motionRows(identityMotion()), side: motionRows(rough) } },
        context(),
      )
    ).outputs.motions as Motions
    expect(moved(a.motions.side)).toBeLessThan(0.05)
    expect(Array.from(b.motions.side)).toEqual(Array.from(identityMotion()))
    expect(moved(invertRigid(b.motions.upright))).toBeLessThan(0.05)
  })
  test('without the fine match the picks alone place the take', async () => {
    const r = await runOperation(
      joinTakes,
      { takes: tidy },
      { names, fixed: 'upright', picks: picks(4, 0), fine: false },
      context(),
    )
    expect(moved((r.outputs.motions as Motions).motions.side)).toBeLessThan(0.01)
  })
  test('without any start: by their shapes, wherever the second take lies', async () => {
    const r = await runOperation(joinTakes, { takes: tidy }, { names, fixed: 'upright' }, context())
    expect(moved((r.outputs.motions as Motions).motions.side)).toBeLessThan(0.05)
    expect(r.figures).toMatchObject({ byShape: true, verdict: 'sound' })
    expect(r.findings.map((f) => f.id)).toEqual(['join.overlap', 'join.residual', 'join.slide', 'join.alike'])
  })
  test('the very same points twice are refused, and a take in another unit is named', async () => {
    await expect(
      runOperation(joinTakes, { takes: [tidy[0], tidy[0]] }, { names, fixed: 'upright' }, context()),
    ).rejects.toThrow('“upright” and “side” hold the very same points')
    const inches = { ...tidy[1], positions: tidy[1].positions.map((v) => v / 25.4) }
    await expect(
      runOperation(joinTakes, { takes: [tidy[0], inches] }, { names, fixed: 'upright' }, context()),
    ).rejects.toThrow('probably one is in inches, the other in mm')
  })
  test('three takes in a chain: the third is picked on the second', async () => {
    const third = captureTake(
      OIL_LAMP,
      { ...LAMP_TAKES[1], name: 'other side', aboutXDeg: -100, headingDeg: 10 },
      TABLETOP_DEVICE,
      33,
      context(),
      coarse,
    )
    const keep = indicesWhere(
      Uint8Array.from({ length: third.cloud.positions.length / 3 }, (_, i) =>
        third.cloud.positions[i * 3 + 2] > 0.6 ? 1 : 0,
      ),
      1,
    )
    const chain = [
      ...picks(4),
      ...spots.map((p) => ({
        a: { take: 'other side', at: at(third.truth, p) },
        b: { take: 'side', at: at(captured[1].truth, p) },
      })),
    ]
    const r = await runOperation(
      joinTakes,
      { takes: [...tidy, pickPoints(third.cloud, keep)] },
      { names: [...names, 'other side'], fixed: 'upright', picks: chain },
      context(),
    )
    const found = (r.outputs.motions as Motions).motions['other side']
    const exact = compose(captured[0].truth, invertRigid(third.truth))
    const q = at(third.truth, [60, 0, 30])
    expect(Math.hypot(...at(found, q).map((v, i) => v - at(exact, q)[i]))).toBeLessThan(0.08)
  })
  test('one area marked on both takes is enough of a start; areas that hold nothing are refused', async () => {
    const area = (take: string, p: readonly [number, number, number], t: Motion, radiusMm: number) => ({
      take,
      at: at(t, p),
      radiusMm,
    })
    const marked = (radiusMm: number, spot = spots[0] as unknown as readonly [number, number, number]) => [
      { a: area('upright', spot, captured[0].truth, radiusMm), b: area('side', spot, captured[1].truth, radiusMm) },
    ]
    const r = await runOperation(joinTakes, { takes: tidy }, { names, fixed: 'upright', areas: marked(28) }, context())
    const found = (r.outputs.motions as Motions).motions.side
    const q = at(captured[1].truth, [60, 0, 30])
    expect(Math.hypot(...at(found, q).map((v, i) => v - at(truth, q)[i]))).toBeLessThan(0.08)
    expect(r.figures.byShape).toBe(false)
    await expect(
      runOperation(joinTakes, { takes: tidy }, { names, fixed: 'upright', areas: marked(0.5) }, context()),
    ).rejects.toThrow(/The area marked on “.*” holds \d+ points; mark a larger one/)
  })
  test('a wrong place is not called sound: takes of different pieces, or a start far off', async () => {
    const wrong = compose(truth, rotationMotion([0, 0, 1], 2))
    const r = await runOperation(
      joinTakes,
      { takes: tidy },
      { names, fixed: 'upright', initial: { side: motionRows(wrong) } },
      context(),
    ).then(
      (x) => worst(x.findings),
      (e: Error) => e.message,
    )
    expect(r).not.toBe('sound')
  })
  test.each<[string, object, RegExp]>([
    [
      'no start and no match wanted',
      { names, fixed: 'upright', fine: false },
      /There is no start for side: pick three points or more/,
    ],
    [
      'all takes locked',
      { names, fixed: 'upright', initial: { side: motionRows(identityMotion()) }, groups: [names] },
      /All takes are locked to each other/,
    ],
    ['a lock without a known place', { names, fixed: 'upright', groups: [names] }, /its place to them is not known/],
    [
      'a take in two groups',
      { names, fixed: 'upright', initial: { side: motionRows(identityMotion()) }, groups: [names, names] },
      /is in two groups/,
    ],
    ['two picks', { names, fixed: 'upright', picks: picks(2) }, /Three pairs or more are needed; there are 2/],
    [
      'picks on one line',
      {
        names,
        fixed: 'upright',
        picks: [0, 1, 2].map((i) => ({ a: { take: 'upright', at: [i, 0, 0] }, b: { take: 'side', at: [i, 0, 0] } })),
      },
      /lie on one line/,
    ],
    [
      'a fixed take that is not here',
      { names, fixed: 'top' },
      /The fixed take "top" is not among the takes: upright, side/,
    ],
    [
      'a pick on a take that is not here',
      { names, fixed: 'upright', picks: [{ a: { take: 'side', at: [0, 0, 0] }, b: { take: 'top', at: [0, 0, 0] } }] },
      /names the take "top"/,
    ],
    [
      'an order with a take that is not here',
      { names, fixed: 'upright', first: [['upright', 'top']] },
      /The order names the take "top"/,
    ],
    ['fewer names than takes', { names: ['upright'], fixed: 'upright' }, /2 takes but 1 names/],
    [
      'a mirror as a start',
      {
        names,
        fixed: 'upright',
        initial: {
          side: [
            [-1, 0, 0, 0],
            [0, 1, 0, 0],
            [0, 0, 1, 0],
            [0, 0, 0, 1],
          ],
        },
      },
      /mirrors the piece/,
    ],
    [
      'takes a metre apart',
      {
        names,
        fixed: 'upright',
        initial: {
          side: [
            [1, 0, 0, 1000],
            [0, 1, 0, 0],
            [0, 0, 1, 0],
            [0, 0, 0, 1],
          ],
        },
      },
      /no common surface/,
    ],
  ])('%s is refused', async (_what, params, sentence) => {
    await expect(runOperation(joinTakes, { takes: tidy }, params, context())).rejects.toThrow(sentence)
  })
})

describe('skin, mend, size', () => {
  test('points without normals get them first; the skin is closed', async () => {
    const { positions } = spherePoints(15, 6000)
    const r = await runOperation(
      skinTakes,
      { takes: [{ kind: 'cloud', positions }], motions: { kind: 'motions', motions: {} } },
      { names: ['a'], spacingMm: 1 },
      context(),
    )
    const health = await runOperation(healthCheck, { mesh: r.outputs.mesh as TriangleMesh }, {}, context())
    expect(health.figures).toMatchObject({ closed: true, genus: 0, crossings: 0 })
    expect(Number(health.figures.volumeMm3) / ((4 / 3) * Math.PI * 15 ** 3)).toBeCloseTo(1, 1)
    expect(health.findings[0].text).toContain('closed and clean')
  })
  test('a spacing finer than the points hold is said', async () => {
    const r = await runOperation(
      skinTakes,
      { takes: [spherePoints(10, 800)], motions: { kind: 'motions', motions: {} } },
      { names: ['a'], spacingMm: 0.3 },
      context(),
    )
    expect(r.findings.map((f) => f.id)).toContain('skin.finerThanPoints')
  })
  test('takes without a motion are refused', async () => {
    await expect(
      runOperation(
        skinTakes,
        { takes: tidy, motions: { kind: 'motions', motions: {} } },
        { names: ['u', 's'], spacingMm: 1 },
        context(),
      ),
    ).rejects.toThrow('no motion for the take "u"')
  })
  test('takes held near a far origin give a skin with that origin', async () => {
    const far: PointCloud = { ...spherePoints(10, 3000), originMm: [5e5, 0, 1e6] }
    const r = await runOperation(
      skinTakes,
      { takes: [far], motions: { kind: 'motions', motions: {} } },
      { names: ['a'], spacingMm: 1 },
      context(),
    )
    expect((r.outputs.mesh as TriangleMesh).originMm).toEqual([5e5, 0, 1e6])
  })
  test('holes: counted, closed, or left by the limit', async () => {
    const mesh = withoutFaces(cube(4), [0, 1])
    const open = await runOperation(adoptMesh, { mesh }, {}, context())
    expect(open.findings[0]).toMatchObject({ verdict: 'unsound', nextMove: 'Close the holes' })
    expect(open.findings[0].text).toContain('1 hole, the largest with a rim of 16 mm')
    expect((await runOperation(closeHoles, { mesh }, { perimeterMm: 10 }, context())).figures).toMatchObject({
      closedHoles: 0,
      leftOpen: 1,
      closed: false,
    })
    expect((await runOperation(closeHoles, { mesh }, {}, context())).figures).toMatchObject({
      closedHoles: 1,
      closed: true,
    })
  })
  test('simplify keeps it closed', async () => {
    const r = await runOperation(simplify, { mesh: torus(20, 6, 120, 60) }, { faces: 2000 }, context())
    expect(r.figures).toMatchObject({ before: 14400, closed: true, genus: 1 })
  })
  test('scale by readings and by a factor; a slip is named and doubtful', async () => {
    const pairs = [{ from: [0, 0, 0], to: [2, 0, 0], readingMm: 2.04, uncertaintyMm: 0.01 }]
    const r = await runOperation(scaleShape, { shape: cube(2) }, { pairs }, context())
    expect(Math.max(...(r.outputs.shape as Shape).positions)).toBeCloseTo(2.04, 6)
    expect(r.findings[0].text).toMatch(/Scale 1\.02000 ± 0\.\d+ \(95 %\), from 1 reading/)
    const slip = await runOperation(
      scaleShape,
      { shape: cube(2) },
      { pairs: [{ ...pairs[0], readingMm: 2000 }] },
      context(),
    )
    expect(slip.findings[0]).toMatchObject({ verdict: 'doubtful' })
    expect(slip.figures.unitSlip).toContain('metres')
    const inch = await runOperation(
      scaleShape,
      { shape: { ...upright, originMm: [1, 2, 3] as const } },
      { factor: 25.4 },
      context(),
    )
    expect((inch.outputs.shape as PointCloud).originMm).toEqual([25.4, 50.8, 3 * 25.4])
    expect((inch.outputs.shape as PointCloud).frameOrigins![0]).toBeCloseTo(upright.frameOrigins![0] * 25.4, 6)
    await expect(runOperation(scaleShape, { shape: cube() }, {}, context())).rejects.toThrow(
      'at least one calliper distance, or a factor',
    )
  })
})

test('compare and inspect', async () => {
  const r = await runOperation(
    compareWith,
    { shape: { kind: 'cloud', positions: Float32Array.of(0.5, 0.5, 2) }, reference: cube() },
    {},
    context(),
  )
  expect((r.outputs.distances as Scalars).values[0]).toBeCloseTo(1, 6)
  const mesh = await runOperation(inspectShape, { shape: withoutFaces(cube(118), [0]) }, {}, context())
  expect(mesh.figures).toMatchObject({ kind: 'mesh', points: 8, holes: 1, unitGuess: 'mm' })
  expect(mesh.details.perimetersMm).toHaveLength(1)
  const crumb = await runOperation(
    inspectShape,
    { shape: { kind: 'cloud', positions: boxPoints(500, [0.1, 0.1, 0.1]) } },
    { full: false },
    context(),
  )
  expect(crumb.findings[0]).toMatchObject({ verdict: 'doubtful' })
  expect(crumb.figures.unitGuess).toBe('m')
})

test('the simulated bench as an operation; unknown names are refused with the known ones', async () => {
  await expect(runOperation(simulateTake, {}, { piece: 'lamp', take: 'flying' }, context())).rejects.toThrow(
    'the takes upright, side',
  )
  await expect(runOperation(simulateTake, {}, { piece: 'teapot', take: 'side' }, context())).rejects.toThrow(
    'not “teapot”',
  )
})

test('a planned take at the bench, with its faults: light and distance are judged, frames listed, the light changes what comes back', async () => {
  const ask = (over: object) =>
    runOperation(
      simulateTake,
      {},
      { piece: 'jug', take: { ...NEW_TAKE, steps: 3 }, faults: true, spacingMm: 2, ...over },
      context(),
    )
  const bright = await ask({ lights: [4] })
  expect(bright.findings.find((f) => f.id === 'take.meters')).toMatchObject({ verdict: 'unsound' })
  expect(bright.findings.find((f) => f.id === 'take.meters')!.text).toMatch(
    /clipped on “pale glaze”.*too dark on “dark bands”.*too near.*take two or more exposures, move back/,
  )
  expect(bright.details.frames).toHaveLength(3)
  const series = await ask({ lights: [0.5, 4], fartherMm: 30 })
  expect(Number(series.figures.clipped)).toBeLessThan(0.5 * Number(bright.figures.clipped))
  expect(series.figures).toMatchObject({ exposures: 2, spacingMm: 2, lost: 0 })
  expect(simulateTake.describe(series.params as never, series.figures)).toMatch(
    /^Took “upright” at the simulated bench: [\d,]+ points/,
  )
})

describe('previews', () => {
  test('indices are a seeded choice without repeats; the first of them thin evenly', () => {
    const order = previewIndices(1000, 400)
    expect(order.length).toBe(400)
    expect(new Set(order).size).toBe(400)
    expect(previewIndices(1000, 400)).toEqual(order)
    const low = order.subarray(0, 200).filter((i) => i < 500).length
    expect(low).toBeGreaterThan(70)
    expect(low).toBeLessThan(130)
  })
  test('a cloud is shuffled, a large mesh thinned, a small one its own preview', async () => {
    const p = await makePreview(upright)
    expect(p.positions.length).toBe(upright.positions.length)
    expect(await makePreview(icosahedron())).toEqual(icosahedron())
    const big = torus(20, 6, 600, 300)
    const small = (await makePreview(big)) as TriangleMesh
    expect(small.indices.length / 3).toBeLessThan(310_000)
    assertSound(small)
  })
  test('thumbnails', () => {
    const t = makeThumb(upright)
    expect([t.positions.length, t.normals.length]).toEqual([THUMB_POINTS * 3, THUMB_POINTS * 3])
    expect(Math.max(...t.positions)).toBeLessThanOrEqual(32000)
  })
})

test('a shape is checked for what would poison the rest', () => {
  expect(() => assertSound({ kind: 'cloud', positions: new Float32Array(0) })).toThrow('no points')
  expect(() => assertSound({ kind: 'cloud', positions: Float32Array.of(0, NaN, 0) })).toThrow(
    'Point 1 has a coordinate',
  )
  expect(() => assertSound({ ...cube(), indices: Uint32Array.of(0, 1, 99) })).toThrow(
    'names point 99, but there are only 8',
  )
})
