import { describe, expect, test } from 'vitest'
import { quietContext } from '../context'
import { identityMotion, shiftMotion } from '../linear/rigid'
import type { TriangleMesh } from '../shapes'
import { spherePoints } from '../testing/solids'
import { runOperation } from './operation'
import { skinTakes } from './skin'

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
