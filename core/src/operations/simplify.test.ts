import { describe, expect, test } from 'vitest'
import { quietContext } from '../context'
import { WRITE_FORMATS } from '../formats/kinds'
import { ballMesh } from '../testing/altered'
import { cube } from '../testing/solids'
import { runOperation } from './operation'
import { fileBytes } from './file-size'
import { simplify } from './simplify'
import type { TriangleMesh } from '../shapes'

const ball = ballMesh(20, 5)
const few = async (mesh: TriangleMesh, params: object) => runOperation(simplify, { mesh }, params, quietContext())

describe('fewer triangles by the size of the file', () => {
  test('a binary STL takes 84 bytes and 50 a triangle (its published layout)', () => {
    expect(fileBytes(cube(), 'stl')).toBe(84 + 12 * 50)
  })
  test.each(WRITE_FORMATS.filter((f) => f !== 'xyz'))('as %s it fits into 300 kB and fills them', async (fileKind) => {
    const { outputs, figures, findings } = await few(ball, { fileBytes: 300_000, fileKind })
    const bytes = fileBytes(outputs.mesh as TriangleMesh, fileKind)
    expect(bytes).toBe(figures.fileBytes)
    expect(bytes).toBeLessThanOrEqual(300_000)
    expect(bytes).toBeGreaterThan(285_000)
    expect(findings.map((f) => f.verdict)).toEqual(['sound'])
  })
  test('one that fits already stays as it is; one that may not move so far is told with its size', async () => {
    expect((await few(ball, { fileBytes: 10_000_000 })).figures.faces).toBe(ball.indices.length / 3)
    const held = await few(ball, { fileBytes: 5_000, capMm: 0.001 })
    expect(Number(held.figures.fileBytes)).toBeGreaterThan(5_000)
    expect(held.findings.find((f) => f.id === 'mend.fileSize')?.text).toContain('not 5 kB')
  })
})
