import { mkdtempSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { strToU8, zipSync } from 'fflate'
import sharp from 'sharp'
import { afterEach, describe, expect, test } from 'vitest'
import { readShape, bytesSource, writeShape, type PointCloud } from '@holosoma/core'
import { ForeignReader, READ_LIMITS, type ForeignFile, type ReadLimits } from './foreign-reader'

const readers: ForeignReader[] = []
const pids: number[] = []
const reader = (limits: Partial<ReadLimits> = {}, cancelled = (): boolean => false): ForeignReader => {
  const r = new ForeignReader({ cancelled, started: (pid) => pid > 0 && pids.push(pid) }, { ...READ_LIMITS, ...limits })
  readers.push(r)
  return r
}
afterEach(() => {
  for (const r of readers.splice(0)) r.close()
  pids.length = 0
  delete process.env.HOLOSOMA_READER
})
const file = (name: string, bytes: Uint8Array | string): ForeignFile => {
  const all = typeof bytes === 'string' ? new TextEncoder().encode(bytes) : bytes
  return { name, sizeBytes: all.length, chunks: [all.subarray(0, 7), all.subarray(7)] }
}
const gone = (pid: number): boolean => {
  try {
    process.kill(pid, 0)
    return false
  } catch {
    return true
  }
}
/** A reading process that does what the file's name says, in place of the real one. */
function standIn(): void {
  const script = join(mkdtempSync(join(tmpdir(), 'holosoma-reader-')), 'reader.mjs')
  writeFileSync(
    script,
    `
process.stdin.once('data', (part) => {
  const name = part.toString('utf8')
  if (name.includes('spin')) for (;;);
  if (name.includes('eat')) { const held = []; setInterval(() => { for (let i = 0; i < 8; i++) held.push(Buffer.alloc(1 << 23, 1)) }, 20) }
  if (name.includes('die')) process.exit(3)
})
setInterval(() => undefined, 1000)
`,
  )
  process.env.HOLOSOMA_READER = script
}

describe('foreign files are read in a process of their own', () => {
  test('a shape has the pictures that came with it, and the next one does not have them', async () => {
    const png = await sharp({ create: { width: 4, height: 4, channels: 3, background: '#c08040' } })
      .png()
      .toBuffer()
    const obj = 'mtllib A.mtl\nv 0 0 0\nv 1 0 0\nv 0 1 0\nvt 0 0\nusemtl m\nf 1/1 2/1 3/1\n'
    const r = reader()
    const beside = [file('a.MTL', 'newmtl m\nmap_Kd dir/c.png\n'), file('C.png', png)]
    const { shape, left } = await r.shape(file('a.obj', obj), beside)
    expect(left).toEqual([])
    expect([...shape.colours!]).toEqual([0xc0, 0x80, 0x40, 0xc0, 0x80, 0x40, 0xc0, 0x80, 0x40])
    const bare = await r.shape(file('a.obj', obj))
    expect(bare.shape.colours).toBeUndefined()
    expect(bare.left.map(([what]) => what)).toEqual(['list of materials, which did not come with it (“A.mtl”)'])
    expect(pids).toHaveLength(1)
  })
  test('a shape comes through the same as when it is read here; what was left out is told', async () => {
    const cloud: PointCloud = {
      kind: 'cloud',
      positions: Float32Array.from({ length: 30_000 }, (_, i) => Math.sin(i) * 50),
      normals: Float32Array.from({ length: 30_000 }, (_, i) => (i % 3 === 2 ? 1 : 0)),
    }
    const bytes = Buffer.concat([...writeShape(cloud, 'ply')])
    const { shape, left } = await reader().shape(file('a.ply', bytes))
    expect(shape).toEqual(await readShape(bytesSource(bytes), 'a.ply'))
    expect(left).toEqual([])
    const pcd =
      'VERSION .7\nFIELDS x y z\nSIZE 4 4 4\nTYPE F F F\nCOUNT 1 1 1\nWIDTH 2\nHEIGHT 1\nPOINTS 2\nDATA ascii\n1 2 3\nnan nan nan\n'
    expect((await reader().shape(file('a.pcd', pcd))).left).toEqual([
      ['points without a place, which is how the device marks what it did not see', 1],
    ])
  })
  test('one process reads file after file; a refusal comes in words and costs it nothing', async () => {
    const r = reader()
    for (let i = 0; i < 3; i++) {
      await expect(r.shape(file('a.ply', 'ply\nnonsense\n'))).rejects.toThrow(/Line 2 of the PLY header/)
      expect((await r.shape(file('b.xyz', '1 2 3\n4 5 6\n'))).shape.positions.length).toBe(6)
    }
    expect(pids).toHaveLength(1)
  })
  test('a file that comes short, or whose source fails, is refused; the next one is read', async () => {
    const r = reader()
    await expect(r.shape({ name: 'a.xyz', sizeBytes: 100, chunks: [new Uint8Array(10).fill(49)] })).rejects.toThrow(
      '“a.xyz” did not arrive whole',
    )
    const failing = (async function* (): AsyncGenerator<Uint8Array> {
      yield new Uint8Array(4)
      await Promise.reject(new Error('the store is gone'))
    })()
    await expect(r.shape({ name: 'a.xyz', sizeBytes: 100, chunks: failing })).rejects.toThrow('the store is gone')
    expect((await r.shape(file('b.xyz', '1 2 3\n'))).shape.positions.length).toBe(3)
  })
  test('archives are unpacked a file at a time', async () => {
    const seen: [string, number][] = []
    await reader().archive(
      file('a.zip', zipSync({ 'set/a.ply': strToU8('ply\n'), '../b.xyz': strToU8('1 2 3\n') })),
      (name, bytes) => Promise.resolve(void seen.push([name, bytes.length])),
    )
    expect(seen).toEqual([
      ['a.ply', 4],
      ['b.xyz', 6],
    ])
    await expect(reader().archive(file('a.zip', 'no archive'), () => Promise.resolve())).rejects.toThrow(
      'broken or not a ZIP file',
    )
  })
})

describe('one that takes too much is ended', () => {
  test('too long: with a sentence, and no process is left', async () => {
    standIn()
    await expect(reader({ seconds: 0.6, secondsPerMb: 0 }).shape(file('spin.xyz', '1 2 3\n'))).rejects.toThrow(
      /“spin\.xyz” could not be read within 1 s/,
    )
    await new Promise((r) => setTimeout(r, 200))
    expect(pids.map(gone)).toEqual([true])
  })
  test('too much memory', async () => {
    standIn()
    await expect(reader({ bytes: 300 * 2 ** 20, bytesPerByte: 0 }).shape(file('eat.xyz', '1 2 3\n'))).rejects.toThrow(
      /“eat\.xyz” needed more than 300 MB to be read/,
    )
  })
  test('a cancel ends it at once, however busy it is', async () => {
    standIn()
    let asked = false
    setTimeout(() => (asked = true), 400)
    // It would go on for ever; no limit comes near.
    await expect(reader({}, () => asked).shape(file('spin.xyz', '1 2 3\n'))).rejects.toThrow('Stopped at your request')
    await new Promise((r) => setTimeout(r, 200))
    expect(pids.map(gone)).toEqual([true])
  })
  test('one that breaks down by itself is told as that, and the next file gets a new one', async () => {
    standIn()
    const r = reader()
    await expect(r.shape(file('die.xyz', '1 2 3\n'))).rejects.toThrow(
      '“die.xyz” could not be read: the process that was reading it broke down over it. Nothing was changed.',
    )
    await expect(r.photo(file('die.jpg', '1 2 3\n'))).rejects.toThrow('“die.jpg” could not be read: the process')
    delete process.env.HOLOSOMA_READER
    expect((await r.shape(file('b.xyz', '1 2 3\n'))).shape.positions.length).toBe(3)
  })
})

describe('photos', () => {
  test('a picture of more pixels than any camera takes is refused before it is decoded', async () => {
    const bomb = await sharp({ create: { width: 16_000, height: 16_000, channels: 3, background: '#888' } })
      .png()
      .toBuffer()
    expect(bomb.length).toBeLessThan(2e6)
    await expect(reader().photo(file('a.png', bomb))).rejects.toThrow(
      /“a\.png” has 16000 × 16000 pixels; photos of up to 120 million/,
    )
  })
  test('camera data that point to themselves are passed over, the photo is taken', async () => {
    const jpeg = await sharp({ create: { width: 40, height: 30, channels: 3, background: '#a52' } })
      .withExif({ IFD0: { Model: 'M' } })
      .jpeg()
      .toBuffer()
    const at = jpeg.indexOf('Exif\0\0', 0, 'latin1') + 6
    const hurt = Buffer.from(jpeg)
    const little = hurt.toString('latin1', at, at + 2) === 'II'
    const entries = little ? hurt.readUInt16LE(at + 8) : hurt.readUInt16BE(at + 8)
    // The link to the next directory leads back to this one.
    const next = at + 10 + entries * 12
    if (little) hurt.writeUInt32LE(8, next)
    else hurt.writeUInt32BE(8, next)
    // Who follows it reads for ever, and is ended by the reader's own limit.
    expect(await reader().photo(file('a.jpg', hurt))).toMatchObject({ width: 40, height: 30 })
  })
  test('one that breaks off is refused', async () => {
    const jpeg = await sharp({ create: { width: 900, height: 700, channels: 3, background: '#a52' } })
      .jpeg()
      .toBuffer()
    await expect(reader().photo(file('a.jpg', jpeg.subarray(0, jpeg.length >> 1)))).rejects.toThrow(
      /breaks off before its end/,
    )
  })
})
