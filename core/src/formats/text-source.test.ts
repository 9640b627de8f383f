import { describe, expect, test } from 'vitest'
import { bytesSource, readShape } from './index'

const OFF = 'OFF\n4 1 0\n0 0 0\n1 0 0\n0 1 0\n0 0 1\n3 0 1 2\n'
const OBJ = 'v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n'
const XYZ = '0 0 0\n1 0 0\n0 1 0\n0.5 0.25 3\n'

/** Text as two bytes a letter, with the mark that says in which order. */
function utf16(text: string, little: boolean): Uint8Array {
  const out = new Uint8Array(2 + text.length * 2)
  const view = new DataView(out.buffer)
  view.setUint16(0, 0xfeff, little)
  for (let i = 0; i < text.length; i++) view.setUint16(2 + i * 2, text.charCodeAt(i), little)
  return out
}

describe('text in two-byte letters', () => {
  test.each([
    ['scan.xyz', XYZ],
    ['scan.obj', OBJ],
    ['scan.off', OFF],
  ])('%s says the same in either order, whatever the pieces it comes in', async (name, text) => {
    const plain = await readShape(bytesSource(new TextEncoder().encode(text)), name)
    for (const little of [true, false])
      for (const piece of [1, 7, 1 << 16])
        expect(await readShape(bytesSource(utf16(text, little), piece), name)).toEqual(plain)
  })
})

describe('points without a place', () => {
  const read = async (text: string, name: string) => {
    const told: string[] = []
    const shape = await readShape(bytesSource(new TextEncoder().encode(text)), name, (what, n) =>
      told.push(`${n} ${what}`),
    )
    return { shape, told }
  }
  const ply = (rows: string, faces = ''): string =>
    `ply\nformat ascii 1.0\nelement vertex ${rows.trim().split('\n').length}\nproperty float x\nproperty float y\n` +
    `property float z\nproperty uchar red\nproperty uchar green\nproperty uchar blue\n` +
    (faces ? `element face ${faces.trim().split('\n').length}\nproperty list uchar int vertex_indices\n` : '') +
    `end_header\n${rows}${faces}`
  test('are left out of a cloud, with all that belongs to them, and counted', async () => {
    const { shape, told } = await read(ply('0 0 0 1 2 3\nnan nan nan 0 0 0\n5 6 7 9 8 7\ninf 0 0 1 1 1\n'), 'scan.ply')
    expect(Array.from(shape.positions)).toEqual([0, 0, 0, 5, 6, 7])
    expect(Array.from(shape.colours!)).toEqual([1, 2, 3, 9, 8, 7])
    expect(told).toEqual(['2 points without a place, which is how a device marks what it did not see'])
  })
  test('no face needs them: faces keep their points; one needs them: refused with the place', async () => {
    const rows = '0 0 0 1 1 1\nnan nan nan 0 0 0\n1 0 0 2 2 2\n0 1 0 3 3 3\n'
    const { shape } = await read(ply(rows, '3 0 2 3\n'), 'scan.ply')
    expect(shape.kind === 'mesh' && Array.from(shape.indices)).toEqual([0, 1, 2])
    await expect(read(ply(rows, '3 0 1 2\n'), 'scan.ply')).rejects.toThrow(
      /has a coordinate that is not a number, and a face needs it/,
    )
    await expect(read(ply(rows, '4 0 2 3 1\n'), 'scan.ply')).rejects.toThrow(/a face needs it/)
  })
  test('a file of nothing else is empty', async () =>
    await expect(read(ply('nan nan nan 0 0 0\nnan nan nan 0 0 0\n'), 'scan.ply')).rejects.toThrow(
      'No point in this file',
    ))
})
