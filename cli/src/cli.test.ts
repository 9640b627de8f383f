import { spawnSync } from 'node:child_process'
import { mkdirSync, mkdtempSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { dirname, join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import { nightTest } from '@holosoma/core/testing/night'
import {
  bytesSource,
  checkHealth,
  motionFromRows,
  quietContext,
  readShape,
  rotationAngle,
  writeShape,
  type Shape,
  type TriangleMesh,
  type WriteFormat,
} from '@holosoma/core'
import { compose, invertRigid } from '@holosoma/core/linear'
import { cube, icosahedron, spherePoints, torus, withoutFaces } from '@holosoma/core/testing/solids'

const bin = join(dirname(fileURLToPath(import.meta.url)), '..', 'bin', 'holosoma.mjs')
const folder = mkdtempSync(join(tmpdir(), 'holosoma-cli-'))
afterAll(() => rmSync(folder, { recursive: true, force: true }))
const at = (name: string) => join(folder, name)

function holosoma(...args: string[]): { code: number | null; out: string; err: string } {
  const r = spawnSync(process.execPath, [bin, ...args], { encoding: 'utf8', cwd: folder, maxBuffer: 1 << 26 })
  return { code: r.status, out: r.stdout, err: r.stderr }
}
/** Runs with --json and gives the one object it prints. */
function json<T = Record<string, unknown>>(...args: string[]): T {
  const r = holosoma(...args, '--json')
  expect(r.err.trim(), r.err).toBe('')
  expect(r.code).toBe(0)
  expect(r.out.trim().split('\n')).toHaveLength(1)
  return JSON.parse(r.out) as T
}
const save = (shape: Shape, name: string): string => {
  writeFileSync(at(name), Buffer.concat([...writeShape(shape, name.split('.').at(-1) as WriteFormat)]))
  return at(name)
}
const load = (name: string) => readShape(bytesSource(readFileSync(at(name))), name)
const moved = (s: Shape, d: readonly number[]): Shape => ({ ...s, positions: s.positions.map((v, i) => v + d[i % 3]) })

describe('the whole road', () => {
  let report: { verdict: string; closed: boolean; faces: number; output: string; steps: { operation: string }[] }
  beforeAll(() => {
    const r = json<{ takes: { points: number }[] }>('simulate', 'lamp', '--out', 'bench', '--seed', '3')
    for (const t of r.takes) {
      expect(t.points).toBeGreaterThan(120_000)
      expect(t.points).toBeLessThan(180_000)
    }
    report = json(
      'run',
      'bench/upright.ply',
      'bench/side.ply',
      '--initial',
      'bench/initial.json',
      '--spacing',
      '0.8',
      '--out',
      'out',
    )
  }, 400_000)

  test('ends in a closed STL, a PLY with evidence, motions and a report', async () => {
    expect(report).toMatchObject({ verdict: 'sound', closed: true })
    expect(report.steps.map((s) => s.operation)).toEqual([
      'tidy.trimTable',
      'tidy.removeStrays',
      'tidy.trimTable',
      'tidy.removeStrays',
      'join.match',
      'skin.make',
      'mend.health',
    ])
    const mesh = (await load('out/piece.stl')) as TriangleMesh
    expect(checkHealth(mesh, quietContext())).toMatchObject({
      closed: true,
      manifold: true,
      crossings: 0,
      genus: 1,
      components: 1,
    })
    expect(statSync(at('out/piece.stl')).size).toBe(84 + 50 * report.faces)
    expect(((await load('out/piece.ply')) as TriangleMesh).evidence!.length).toBe(mesh.positions.length / 3)
    expect(JSON.parse(readFileSync(at('out/report.json'), 'utf8'))).toEqual(report)
  })
  test('the motion found is the true one', () => {
    const motion = (file: string) =>
      motionFromRows(
        (JSON.parse(readFileSync(at(file), 'utf8')) as { unit: string; motions: Record<string, number[][]> }).motions
          .side,
        'side',
      )
    const found = motion('out/motions.json')
    const truth = motion('bench/truth/motions.json')
    expect((rotationAngle(compose(invertRigid(truth), found)) * 180) / Math.PI).toBeLessThan(0.01)
    expect(Math.hypot(found[3] - truth[3], found[7] - truth[7], found[11] - truth[11])).toBeLessThan(0.02)
  })
  test('tidied by itself: stray frames, points seen through, table and floating patches, in that order', () => {
    const r = json<{ points: number; steps: { operation: string; cut: number }[] }>(
      'tidy',
      'bench/upright.ply',
      'auto.ply',
      '--by-itself',
    )
    expect(r.steps.map((s) => s.operation)).toEqual([
      'tidy.removeFarFrames',
      'tidy.removeMixed',
      'tidy.trimTable',
      'tidy.removeStrays',
    ])
    expect(r.steps[2].cut).toBeGreaterThan(50_000)
    const low = json<{ points: number }>('tidy', 'bench/upright.ply', 'low.ply', '--table', 'none', '--holder', '12')
    expect(low.points).toBeLessThan(r.points)
    const benched = json<{ points: number; steps: { operation: string }[] }>(
      'tidy',
      'auto.ply',
      'none.ply',
      '--bench',
      'low.ply',
    )
    expect(benched.steps.map((s) => s.operation)).toEqual(['tidy.subtractBench'])
    expect(benched.points).toBeLessThan(r.points / 2)
  })

  nightTest(
    'step by step gives the same: tidy, join, skin, compare with the truth',
    async () => {
      for (const take of ['upright', 'side'])
        expect(
          json<{ points: number }>('tidy', `bench/${take}.ply`, `tidy/${take}.ply`, '--strays', '2', '--spacing', '0.9')
            .points,
        ).toBeGreaterThan(15_000)
      const joined = json<{
        unit: string
        motions: Record<string, number[][]>
        pairs: { take: string; overlap: number; rmsMm: number }[]
        verdict: string
      }>('join', 'tidy/upright.ply', 'tidy/side.ply', '--initial', 'bench/initial.json', '--out', 'tidy')
      expect(joined).toMatchObject({ unit: 'mm', verdict: 'sound' })
      expect(joined.pairs[0].overlap).toBeGreaterThan(0.4)
      expect(JSON.parse(readFileSync(at('tidy/motions.json'), 'utf8'))).toEqual({ unit: 'mm', motions: joined.motions })
      // Without a start the shapes alone lead to the same place, and everything that was found is told.
      const alone = json<
        typeof joined & {
          byShape: boolean
          slides: { free: boolean; playMm: number }[]
          alternatives: object[]
          doubleWalls: object[]
          conflicts: object[]
          links: string[][]
          closing: { rings: number }
        }
      >('join', 'tidy/upright.ply', 'tidy/side.ply', '--out', 'alone')
      joined.motions.side.forEach((row, r) =>
        row.forEach((v, c) => expect(Math.abs(alone.motions.side[r][c] - v)).toBeLessThan(c === 3 ? 0.02 : 0.0005)),
      )
      expect(alone).toMatchObject({
        byShape: true,
        verdict: 'sound',
        alternatives: [],
        doubleWalls: [],
        conflicts: [],
        links: [['upright', 'side']],
        closing: { rings: 0 },
      })
      expect(alone.slides[0].free).toBe(false)
      expect(alone.slides[0].playMm).toBeLessThan(0.05)
      json(
        'skin',
        'tidy/upright.ply',
        'tidy/side.ply',
        '--motions',
        'tidy/motions.json',
        '--spacing',
        '1',
        '--out',
        'tidy/skin.ply',
      )
      const d = json<{ unsigned: { meanMm: number; p95Mm: number }; signed: { meanMm: number } }>(
        'compare',
        'tidy/skin.ply',
        'bench/truth/mesh.ply',
        '--map',
        'map.ply',
      )
      expect(d.unsigned.meanMm).toBeLessThan(0.08)
      expect(Math.abs(d.signed.meanMm)).toBeLessThan(0.04)
      expect((await load('map.ply')).colours).toBeDefined()
      expect(json<{ closed: boolean; genus: number }>('inspect', 'tidy/skin.ply')).toMatchObject({
        closed: true,
        genus: 1,
        manifold: true,
        selfCrossings: 0,
      })
    },
    400_000,
  )
  nightTest(
    'the same from picks and a recipe with readings',
    () => {
      const truth = JSON.parse(readFileSync(at('bench/truth/motions.json'), 'utf8')) as {
        motions: Record<string, number[][]>
      }
      const side = motionFromRows(truth.motions.side, 'side')
      const spots = [
        [20, 5, 30],
        [-30, 10, 25],
        [5, -30, 10],
        [0, 30, 20],
      ]
      const pairs = spots.map((b) => ({
        a: {
          take: 'upright',
          at: [0, 1, 2].map(
            (r) => side[r * 4] * b[0] + side[r * 4 + 1] * b[1] + side[r * 4 + 2] * b[2] + side[r * 4 + 3] + 0.7,
          ),
        },
        b: { take: 'side', at: b },
      }))
      writeFileSync(at('picks.json'), JSON.stringify({ pairs }))
      writeFileSync(
        at('recipe.json'),
        JSON.stringify({
          skin: { spacingMm: 1.5 },
          scale: { pairs: [{ from: [0, 0, 0], to: [100, 0, 0], readingMm: 101 }] },
          simplify: { faces: 20000 },
        }),
      )
      const r = json<{ closed: boolean; steps: { operation: string; factor?: number }[] }>(
        'run',
        'bench/upright.ply',
        'bench/side.ply',
        '--picks',
        'picks.json',
        '--recipe',
        'recipe.json',
        '--out',
        'again',
      )
      expect(r.closed).toBe(true)
      expect(r.steps.find((s) => s.operation === 'size.scale')!.factor).toBeCloseTo(1.01, 9)
    },
    400_000,
  )
})

describe('small commands', () => {
  test('inspect: kind, counts, loops, genus, unit guess, warnings', () => {
    save(withoutFaces(torus(20, 6, 40, 20), [0, 1, 900]), 'torus.ply')
    expect(json('inspect', 'torus.ply')).toMatchObject({
      kind: 'mesh',
      faces: 1597,
      components: 1,
      boundaryLoops: { n: 2 },
      closed: false,
      genus: null,
      unitGuess: { unit: 'mm' },
      warnings: [],
    })
    save({ ...spherePoints(0.05, 500) }, 'crumb.xyz')
    const crumb = json<{ warnings: string[]; unitGuess: { unit: string } }>('inspect', 'crumb.xyz')
    expect(crumb.unitGuess.unit).toBe('m')
    expect(crumb.warnings[0]).toContain('crumb')
  })
  test('convert between kinds and units', async () => {
    save(icosahedron(), 'ico.stl')
    json('convert', 'ico.stl', 'ico.obj', '--unit', 'in')
    expect(Math.max(...(await load('ico.obj')).positions)).toBeCloseTo(((1 + Math.sqrt(5)) / 2) * 25.4, 4)
    for (const kind of ['ply', 'glb', 'xyz', 'stl']) json('convert', 'ico.obj', `ico2.${kind}`)
    expect((await load('ico2.glb')).positions).toEqual((await load('ico.obj')).positions)
  })
  test("a take of one's own plan at the bench", () => {
    writeFileSync(
      at('plan.json'),
      JSON.stringify({ takes: [{ name: 'inverted', pose: { aboutXDeg: 180 }, steps: 2, elevationDeg: 40 }] }),
    )
    const r = json<{ takes: { points: number }[] }>('simulate', 'lamp', '--takes', 'plan.json', '--out', 'own')
    expect(r.takes).toHaveLength(1)
    expect(JSON.parse(readFileSync(at('own/inverted.frames.json'), 'utf8')).frames).toHaveLength(2)
  })
  test('plan: what a slab’s two takes will see, the slide between them, and the take that cures it', () => {
    const brief = { lengthMm: 140, widthMm: 140, heightMm: 18, detailMm: 1.2 }
    writeFileSync(
      at('session.json'),
      JSON.stringify({ brief, plan: { standIn: { kind: 'box', bevelMm: 2, reliefMm: 3, reliefBelow: true } } }),
    )
    const r = json<{
      seen: Record<string, number>
      join: { free: { kind: string }[]; playMm: number | null }
      next: { freeAfter: number; take: object }
      findings: { verdict: string; text: string }[]
    }>('plan', 'session.json')
    expect(r.seen.well + r.seen.thinly + r.seen.open + r.seen.outOfReach).toBeCloseTo(1, 6)
    expect(r.join).toMatchObject({ free: [{ kind: 'translation' }], playMm: null })
    expect(r.next.freeAfter).toBe(0)
    expect(r.findings.find((f) => f.verdict === 'unsound')!.text).toContain('can slide up and down')
    save(torus(40, 15, 60, 30), 'ring.ply')
    writeFileSync(at('ring.json'), JSON.stringify({ brief: { lengthMm: 110, widthMm: 110, heightMm: 30 } }))
    expect(
      json<{ join: { lookAlikes: { everyAngle: boolean }[] } }>('plan', 'ring.json', '--stand-in', 'ring.ply').join
        .lookAlikes[0].everyAngle,
    ).toBe(true)
  }, 400_000)
  test('mend, simplify, scale', async () => {
    save(withoutFaces(cube(10), [0, 1]), 'open.stl')
    expect(json('mend', 'open.stl', 'closed.stl')).toMatchObject({ closedHoles: 1, closed: true })
    expect(json('mend', 'open.stl', 'left.stl', '--holes', '5')).toMatchObject({ closedHoles: 0, leftOpen: 1 })
    expect(json('mend', 'open.stl', 'none.stl', '--holes', 'none')).toMatchObject({ closed: false })
    expect(json('mend', 'open.stl', 'flat.stl', '--holes', 'flat')).toMatchObject({ closedHoles: 1, facesAdded: 2 })
    const pair = { ...cube(10), positions: cube(10).positions.map((v) => v + 5) }
    save(
      {
        kind: 'mesh',
        positions: Float32Array.from([...cube(10).positions, ...pair.positions]),
        indices: Uint32Array.from([...cube(10).indices, ...pair.indices.map((v) => v + 8)]),
      },
      'pair.ply',
    )
    const healed = json<{ volumeMm3: number; acts: string }>('mend', 'pair.ply', 'one.ply', '--heal')
    expect(healed).toMatchObject({ closed: true, crossings: 0, components: 1 })
    expect(healed.acts).toContain('made one')
    // Two cubes of 10 that share a cube of 5.
    expect(healed.volumeMm3).toBeCloseTo(2000 - 125, 2)
    expect(json('refine', 'one.ply', 'fine-one.ply').closed).toBe(true)
    const sheet = json<{ use: number; sheetPx: number }>('unwrap', 'one.ply', 'laid.glb', '--sheet', '512')
    expect(sheet).toMatchObject({ sheetPx: 512 })
    expect(sheet.use).toBeGreaterThan(0.4)
    expect(((await load('laid.glb')) as TriangleMesh).uvs?.every((v) => v >= 0 && v <= 1)).toBe(true)
    expect(json<{ volumeMm3: number }>('remesh', 'one.ply', 'even.ply', '--edge-length', '2').volumeMm3).toBeCloseTo(
      1875,
      1,
    )
    save(torus(20, 6, 100, 60), 'fine.ply')
    const calm = json<{ mostMm: number }>('denoise', 'fine.ply', 'calm.ply', '--cap', '0.01', '--edges', 'rounded')
    expect(calm).toMatchObject({ closed: true, genus: 1, planes: 0 })
    expect(calm.mostMm).toBeLessThanOrEqual(0.01001)
    const half = json<{ volumeMm3: number; closed: boolean }>(
      ...(['cut', 'fine.ply', 'right.ply', '--plane', '1,0,0,0.5', '--cap', '--other', 'left.ply'] as const),
    )
    expect(half.closed).toBe(true)
    const whole = json<{ volumeMm3: number }>('inspect', 'fine.ply').volumeMm3
    expect((half.volumeMm3 + json<{ volumeMm3: number }>('inspect', 'left.ply').volumeMm3) / whole).toBeCloseTo(1, 4)
    const spliced = json<{ stepMm: number; genus: number }>(
      ...(['splice', 'fine.ply', 'calm.ply', 'one-of-two.ply', '--plane', '2,0,0,1', '--band', '4'] as const),
    )
    expect(spliced).toMatchObject({ closed: true, crossings: 0, genus: 1, rims: 2 })
    expect(spliced.stepMm).toBeLessThan(0.02)
    expect(Number(json('simplify', 'fine.ply', 'few.ply', '--faces', '2000').faces)).toBeLessThanOrEqual(2000)
    expect(json('simplify', 'fine.ply', 'few.ply', '--deviation', '0.05').closed).toBe(true)
    writeFileSync(
      at('distances.json'),
      JSON.stringify({ pairs: [{ from: [0, 0, 0], to: [10, 0, 0], readingMm: 10.2, uncertaintyMm: 0.02 }] }),
    )
    expect(Number(json('scale', 'closed.stl', 'true.stl', '--pairs', 'distances.json').factor)).toBeCloseTo(1.02, 9)
    expect(Math.max(...(await load('true.stl')).positions)).toBeCloseTo(10.2, 5)
  })
  test('takes far from zero: motions are those of the files', async () => {
    const a = spherePoints(20, 5000)
    const bump = (s: Shape): Shape => ({
      ...s,
      positions: s.positions.map(
        (v, i, p) =>
          v *
          (1 +
            0.2 * Math.exp(-((p[i - (i % 3)] - 15) ** 2 + (p[i - (i % 3) + 1] - 8) ** 2) / 30) +
            0.15 * Math.exp(-((p[i - (i % 3) + 1] + 12) ** 2 + (p[i - (i % 3) + 2] - 10) ** 2) / 20)),
      ),
    })
    const piece = { ...bump(a), normals: undefined } as unknown as Shape
    const far = [500_000, 4_000_000, 120]
    // Two takes of one ball share most of their points, not all.
    const write = (name: string, shift: readonly number[], from: number) =>
      writeFileSync(
        at(name),
        Array.from({ length: 4700 }, (_, k) => from + k)
          .map((i) => [0, 1, 2].map((c) => (piece.positions[i * 3 + c] + shift[c]).toFixed(4)).join(' '))
          .join('\n'),
      )
    write('here.xyz', far, 0)
    write('there.xyz', [far[0] + 3, far[1] - 2, far[2] + 1], 300)
    writeFileSync(
      at('start.json'),
      JSON.stringify({
        unit: 'mm',
        motions: {
          there: [
            [1, 0, 0, -2.2],
            [0, 1, 0, 1.5],
            [0, 0, 1, -0.6],
            [0, 0, 0, 1],
          ],
        },
      }),
    )
    const { motions } = json<{ motions: Record<string, number[][]> }>(
      'join',
      'here.xyz',
      'there.xyz',
      '--initial',
      'start.json',
      '--out',
      'far',
    )
    const m = motions.there
    const p = [far[0] + 3, far[1] - 2, far[2] + 1]
    const q = [0, 1, 2].map((r) => m[r][0] * p[0] + m[r][1] * p[1] + m[r][2] * p[2] + m[r][3])
    q.forEach((v, c) => expect(Math.abs(v - far[c])).toBeLessThan(0.02))
    json('skin', 'here.xyz', 'there.xyz', '--motions', 'far/motions.json', '--spacing', '1', '--out', 'far/skin.ply')
    const box = json<{ boundsMm: { min: number[]; max: number[] } }>('inspect', 'far/skin.ply').boundsMm
    expect(Math.abs((box.min[1] + box.max[1]) / 2 - far[1])).toBeLessThan(5)
  })
  test('without --json the same is printed as lines; help exits with 0', () => {
    expect(holosoma('inspect', 'ico.stl').out).toMatch(/faces: 20\n/)
    const help = holosoma('--help')
    expect(help.code).toBe(0)
    for (const command of [
      'inspect',
      'convert',
      'tidy',
      'join',
      'skin',
      'mend',
      'simplify',
      'remesh',
      'refine',
      'denoise',
      'cut',
      'splice',
      'compare',
      'scale',
      'simulate',
      'run',
    ])
      expect(help.out).toContain(command)
  })
})

describe('bad input: exit 2, one clear line, no stack', () => {
  beforeAll(() => {
    mkdirSync(at('bad'), { recursive: true })
    writeFileSync(at('bad/empty.ply'), '')
    writeFileSync(at('bad/text.ply'), 'dear reader\n')
    writeFileSync(at('bad/json.json'), '{ no')
    writeFileSync(at('bad/inch.json'), JSON.stringify({ unit: 'in', motions: {} }))
    writeFileSync(at('bad/none.json'), JSON.stringify({ pairs: [] }))
    writeFileSync(at('bad/plan.json'), JSON.stringify({ takes: [{ name: 'a', steps: 0, elevationDeg: 30 }] }))
    writeFileSync(at('bad/session.json'), JSON.stringify({ brief: { heightMm: 0 } }))
    writeFileSync(at('bad/recipe.json'), JSON.stringify({ polish: {} }))
    writeFileSync(
      at('bad/line.json'),
      JSON.stringify({
        pairs: [0, 1, 2].map((i) => ({ a: { take: 'a', at: [i, 0, 0] }, b: { take: 'b', at: [i, 0, 0] } })),
      }),
    )
    writeFileSync(
      at('bad/two.json'),
      JSON.stringify({
        pairs: [0, 1].map((i) => ({ a: { take: 'a', at: [i, 0, 0] }, b: { take: 'b', at: [i, 0, 0] } })),
      }),
    )
    save(spherePoints(10, 2000), 'bad/a.ply')
    save(moved(spherePoints(10, 2000), [900, 0, 0]), 'bad/b.ply')
    save(icosahedron(), 'bad/ico.ply')
    writeFileSync(at('bad/cut.stl'), readFileSync(save(icosahedron(), 'bad/whole.stl')).subarray(0, 500))
    writeFileSync(
      at('bad/same.json'),
      JSON.stringify({
        unit: 'mm',
        motions: {
          b: [
            [1, 0, 0, 0],
            [0, 1, 0, 0],
            [0, 0, 1, 0],
            [0, 0, 0, 1],
          ],
        },
      }),
    )
  })
  test('two plain balls are joined and not trusted: they turn in each other every way', () => {
    const r = json<{ verdict: string; slides: { kind: string; free: boolean; playMm: number | null }[] }>(
      'join',
      'bad/a.ply',
      'bad/b.ply',
      '--out',
      'balls',
    )
    expect(r.verdict).toBe('unsound')
    expect(r.slides.filter((s) => s.free).map((s) => s.kind)).toEqual(['rotation', 'rotation', 'rotation'])
    expect(r.slides[0].playMm).toBeNull()
  })
  test.each<[string, string[], RegExp]>([
    ['no such file', ['inspect', 'nowhere.ply'], /There is no file "nowhere.ply"/],
    ['an empty file', ['inspect', 'bad/empty.ply'], /empty \(0 bytes\)/],
    ['text renamed .ply', ['inspect', 'bad/text.ply'], /first line is not "ply"/],
    [
      'a truncated binary',
      ['inspect', 'bad/cut.stl'],
      /claims 20 triangles \(1,084 bytes\), but the file has 500 bytes/,
    ],
    ['an unknown kind to write', ['convert', 'bad/ico.ply', 'x.dwg'], /kind "dwg" cannot be written/],
    ['points as STL', ['convert', 'bad/a.ply', 'x.stl'], /STL holds triangles, and this is a cloud/],
    [
      'a wrong unit',
      ['convert', 'bad/ico.ply', 'x.ply', '--unit', 'furlong'],
      /unit "furlong" is not known; mm, cm, m and in are/,
    ],
    [
      'an unknown table mode',
      ['tidy', 'bad/a.ply', 'x.ply', '--table', 'maybe'],
      /--table takes auto, always or none, not "maybe"/,
    ],
    [
      'a holder of an unknown kind',
      ['tidy', 'bad/a.ply', 'x.ply', '--table', 'none', '--holder', 'square'],
      /by must be one of/i,
    ],
    ['dots without colours', ['tidy', 'bad/a.ply', 'x.ply', '--table', 'none', '--dots', '5'], /has no colours/],
    [
      'outliers that are no pair',
      ['tidy', 'bad/a.ply', 'x.ply', '--outliers', 'many'],
      /--outliers takes a count and a factor/,
    ],
    ['one take alone', ['join', 'bad/a.ply', '--out', 'x'], /Joining needs two takes or more/],
    [
      'two picks',
      ['join', 'bad/a.ply', 'bad/b.ply', '--picks', 'bad/two.json', '--out', 'x'],
      /Three pairs or more are needed; there are 2/,
    ],
    [
      'no overlap',
      ['join', 'bad/a.ply', 'bad/b.ply', '--initial', 'bad/same.json', '--out', 'x'],
      /no common surface near this start/,
    ],
    [
      'picks on one line',
      ['join', 'bad/a.ply', 'bad/b.ply', '--picks', 'bad/line.json', '--out', 'x'],
      /lie on one line/,
    ],
    [
      'broken JSON',
      ['join', 'bad/a.ply', 'bad/b.ply', '--initial', 'bad/json.json', '--out', 'x'],
      /is not valid JSON/,
    ],
    [
      'motions in inches',
      ['join', 'bad/a.ply', 'bad/b.ply', '--initial', 'bad/inch.json', '--out', 'x'],
      /is in "in"; motions are wanted in mm/,
    ],
    ['the same take twice', ['join', 'bad/a.ply', 'bad/a.ply', '--out', 'x'], /Two takes have the same name/],
    ['spacing zero', ['skin', 'bad/a.ply', '--spacing', '0', '--out', 'x.stl'], /"0" must be a number larger than 0/],
    [
      'spacing negative',
      ['skin', 'bad/a.ply', '--spacing=-1', '--out', 'x.stl'],
      /"-1" must be a number larger than 0/,
    ],
    [
      'spacing beyond memory',
      ['skin', 'bad/a.ply', '--spacing', '0.001', '--memory', '0.2', '--out', 'x.stl'],
      /The smallest that fits is 0\.\d+ mm/,
    ],
    ['a cloud to mend', ['mend', 'bad/a.ply', 'x.ply'], /holds points without triangles/],
    [
      'a rim that is no number',
      ['mend', 'bad/ico.ply', 'x.ply', '--holes', 'big'],
      /--holes takes all, none, flat, curved or a rim/,
    ],
    ['healing with a rim', ['mend', 'bad/ico.ply', 'x.ply', '--heal', '--holes', '5'], /--heal closes all holes/],
    ['edges of no length', ['remesh', 'bad/ico.ply', 'x.ply', '--edge-length', '0'], /larger than 0/],
    ['both a density and a sheet', ['unwrap', 'bad/ico.ply', 'x.glb', '--dpi', '90', '--sheet', '64'], /not both/],
    ['places in STL', ['unwrap', 'bad/ico.ply', 'x.stl'], /GLB alone/],
    ['nothing to simplify to', ['simplify', 'bad/ico.ply', 'x.ply'], /Say how many faces/],
    ['no readings', ['scale', 'bad/ico.ply', 'x.ply', '--pairs', 'bad/none.json'], /at least one calliper distance/],
    [
      'an unknown piece',
      ['simulate', 'teapot', '--out', 'x'],
      /knows these pieces: lamp, bobbin, tile, jug, gull, cleat; not "teapot"/,
    ],
    [
      'a plan without takes',
      ['simulate', 'lamp', '--takes', 'bad/none.json', '--out', 'x'],
      /The plan of takes: pairs is not allowed|takes is required/,
    ],
    [
      'a plan with a take of no steps',
      ['simulate', 'lamp', '--takes', 'bad/plan.json', '--out', 'x'],
      /steps must be greater than or equal to 1/,
    ],
    ['a brief without size', ['plan', 'bad/session.json'], /height must be a positive number/],
    [
      'a recipe with an unknown step',
      ['run', 'bad/a.ply', '--recipe', 'bad/recipe.json', '--out', 'x'],
      /The recipe "bad\/recipe.json": polish is not allowed/,
    ],
    ['an unknown command', ['polish', 'bad/ico.ply'], /unknown command 'polish'/],
    ['a missing argument', ['skin', 'bad/a.ply', '--spacing', '1'], /required option '--out/],
    ['a skin of no fineness', ['skin', 'bad/a.ply', '--out', 'x.stl'], /needs --spacing or --triangles/],
    [
      'a skin of two finenesses',
      ['skin', 'bad/a.ply', '--spacing', '1', '--triangles', '5000', '--out', 'x.stl'],
      /--spacing or --triangles, not both/,
    ],
  ])('%s', (_what, args, sentence) => {
    const r = holosoma(...args)
    expect(r.code).toBe(2)
    expect(r.err).toMatch(sentence)
    expect(r.err).not.toMatch(/\n\s+at /)
    expect(
      r.err
        .trim()
        .split('\n')
        .filter((l) => l !== '').length,
    ).toBeLessThanOrEqual(2)
    expect(r.out).toBe('')
  })
  test('points without normals go into the skin all the same: they are estimated', () => {
    writeFileSync(
      at('bare.xyz'),
      Array.from({ length: 3000 }, (_, i) =>
        Array.from(spherePoints(10, 3000).positions.subarray(i * 3, i * 3 + 3)).join(' '),
      ).join('\n'),
    )
    expect(json('skin', 'bare.xyz', '--spacing', '1', '--out', 'bare.stl').closed).toBe(true)
  })
})
