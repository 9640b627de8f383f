import { describe, expect, test } from 'vitest'
import { quietContext } from '../context'
import { identityMotion, shiftMotion } from '../linear/rigid'
import type { TriangleMesh } from '../shapes'
import { angleBeam, scanOf, spherePoints } from '../testing/solids'
import { liesApart } from './lies-apart'
import { runOperation } from './operation'
import { skinTakes } from './skin'
import { skinEdges } from './skin-edges'
import { edgesFinding } from './skin-findings'

const ball = spherePoints(20, 12_000, 0.05)
const skin = (params: Record<string, unknown>) =>
  runOperation(
    skinTakes,
    { takes: [ball], motions: { kind: 'motions', motions: {} } },
    { names: ['a'], ...params },
    quietContext(),
  )

describe('a skin is asked for', () => {
  test('by a number of triangles: the spacing follows, and is told', async () => {
    const { figures, outputs } = await skin({ triangles: 9000 })
    const faces = (outputs.mesh as TriangleMesh).indices.length / 3
    expect(figures.faces).toBe(faces)
    expect(Math.abs(faces / 9000 - 1)).toBeLessThan(0.03)
    // 4πr² of 2.31 to a square of the spacing (geometry).
    expect(Number(figures.spacingMm)).toBeGreaterThan(Math.sqrt((2.2 * 1600 * Math.PI) / 9000))
    expect(Number(figures.spacingMm)).toBeLessThan(Math.sqrt((2.45 * 1600 * Math.PI) / 9000))
    expect(Number(figures.offRmsMm)).toBeLessThan(0.05 * Number(figures.spacingMm))
  })
  test.each([
    [{}, /a spacing, or a number of triangles/],
    [{ spacingMm: 0 }, /larger than 0 mm/],
    [{ triangles: 12 }, /at least 500 triangles/],
    [{ triangles: 30_000_000 }, /at most 20,000,000 triangles/],
    [{ triangles: 9000, dense: true }, /one or the other/],
  ])('%j is refused in a sentence', (params, says) => expect(skin(params)).rejects.toThrow(says))
})

test('takes that lie apart make a skin that says so, and that is not sound', async () => {
  const two = [1, 2].map((seed) => spherePoints(20, 12_000, 0.05, seed))
  const apart = async (shiftMm: number) => {
    const motions = { a: identityMotion(), b: shiftMotion(shiftMm, 0, 0) }
    const { findings } = await runOperation(
      skinTakes,
      { takes: two, motions: { kind: 'motions', motions } },
      { names: ['a', 'b'], spacingMm: 1 },
      quietContext(),
    )
    return findings.find((f) => f.id === 'skin.apart')!
  }
  expect(await apart(0)).toMatchObject({ verdict: 'sound' })
  expect((await apart(0)).text).toMatch(/^On the \d+\.\d % that two takes saw they agree within 0\.1\d mm/)
  const wrong = await apart(0.8)
  expect(wrong.verdict).toBe('unsound')
  expect(wrong.text).toContain('the skin runs between two layers there')
  expect(wrong.nextMove).toContain('join')
})

test('where takes lie apart is marked on the skin: not along the shift, and nowhere where they agree', async () => {
  const two = [1, 2].map((seed) => spherePoints(20, 12_000, 0.05, seed))
  const marks = async (shiftMm: number) => {
    const motions = { kind: 'motions' as const, motions: { a: identityMotion(), b: shiftMotion(shiftMm, 0, 0) } }
    const params = { names: ['a', 'b'], spacingMm: 1, up: null }
    const { outputs } = await runOperation(skinTakes, { takes: two, motions }, params, quietContext())
    const mesh = outputs.mesh as TriangleMesh
    const mark = liesApart(mesh, { takes: two, motions }, params, 1, quietContext())
    const share = (isThere: (x: number) => boolean): number => {
      const there = Array.from(mark).filter((_, v) => isThere(mesh.positions[v * 3]))
      return there.filter((m) => m === 1).length / there.length
    }
    return { poles: share((x) => Math.abs(x) > 16), belt: share((x) => Math.abs(x) < 1) }
  }
  expect(await marks(0)).toEqual({ poles: 0, belt: 0 })
  const { poles, belt } = await marks(0.8)
  expect(poles).toBeGreaterThan(0.95)
  expect(belt).toBeLessThan(0.05)
})

describe('edges of a skin that stands', () => {
  const beam = scanOf(angleBeam(20, 8, 24), 30_000, 0.03)
  const away = { ...beam, originMm: [5000, 0, 0] as const }
  test('are put in where its takes tell of them, its evidence with them, and it stays where it was', async () => {
    const skinned = await runOperation(skinTakes, { takes: [away] }, { names: ['a'], spacingMm: 0.8 }, quietContext())
    const mesh = skinned.outputs.mesh as TriangleMesh
    const { outputs, figures, findings } = await runOperation(
      skinEdges,
      { takes: [away], mesh },
      { names: ['a'] },
      quietContext(),
    )
    const sharp = outputs.mesh as TriangleMesh
    expect(sharp.originMm).toEqual([5000, 0, 0])
    expect(sharp.evidence).toHaveLength(sharp.positions.length / 3)
    // Six edges of 24 mm and two outlines of 80 mm (the beam's own measure).
    expect(Math.abs(Number(figures.edgesMm) - 304)).toBeLessThan(12)
    expect(figures).toMatchObject({ closed: true, crossings: 0, genus: 0 })
    expect(findings.find((f) => f.id === 'skin.edges')).toMatchObject({ verdict: 'sound' })
  })
  test('a ball has none, and is told so', async () => {
    const { outputs } = await skin({ spacingMm: 1 })
    const asked = { takes: [ball], mesh: outputs.mesh as TriangleMesh }
    await expect(runOperation(skinEdges, asked, { names: ['a'] }, quietContext())).rejects.toThrow(/no sharp edge/)
  })
})

test('edges that could not be set, and those believed readily, are never called sound', () => {
  const set = { segments: new Float32Array(0), lengthMm: 300, outwardMm: 280, inwardMm: 20, corners: 1, meanAngle: 90 }
  const told = (leftRound: number, choice: 'careful' | 'strong', lengthMm = 300) =>
    edgesFinding({ ...set, lengthMm, leftRound }, choice)
  expect(told(0, 'careful')).toMatchObject({
    verdict: 'sound',
    text: '300 mm of edges are sharp, 1 corner among them.',
  })
  expect(told(0.2, 'careful')).toMatchObject({ verdict: 'doubtful', nextMove: expect.stringContaining('finer') })
  expect(told(0.2, 'careful').text).toContain('20.0 % of what was seen of edges stayed round')
  expect(told(0, 'strong')).toMatchObject({ verdict: 'doubtful', nextMove: expect.stringContaining('carefully') })
  expect(told(1, 'careful', 0)).toMatchObject({ verdict: 'doubtful' })
  expect(told(1, 'careful', 0).text).toContain('none could be made sharp')
  expect(told(0, 'strong', 0).verdict).toBe('sound')
})

test('a take that faces into the piece makes no skin; turned over, the skin is closed and told so', async () => {
  const inwards = { ...ball, normals: ball.normals!.map((v) => -v) }
  const other = spherePoints(20, 12_000, 0.05, 2)
  const made = (turn: boolean) =>
    runOperation(
      skinTakes,
      { takes: [other, inwards], motions: { kind: 'motions', motions: { a: identityMotion(), b: identityMotion() } } },
      { names: ['a', 'b'], spacingMm: 1, turn },
      quietContext(),
    )
  await expect(made(false)).rejects.toThrow(/^“b” faces into the piece, not out of it/)
  const cured = await made(true)
  expect(cured.findings.find((f) => f.id === 'skin.insideOut')).toMatchObject({ verdict: 'doubtful' })
  // 4/3 π r³ (geometry).
  expect(Math.abs(Number(cured.figures.volumeMm3) / ((4 / 3) * Math.PI * 8000) - 1)).toBeLessThan(0.005)
})
