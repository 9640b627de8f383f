import { describe, expect, test } from 'vitest'
import { ShapeBuilder } from './builder'
import { ByteReader, bytesSource, GrowingFloat32, GrowingUint32 } from './byte-reader'

const reader = (text: string, chunk: number): ByteReader =>
  new ByteReader(bytesSource(new TextEncoder().encode(text), chunk))

async function allLines(r: ByteReader): Promise<string[]> {
  const out: string[] = []
  for (let line = await r.readLine(); line !== null; line = await r.readLine()) out.push(line)
  return out
}

async function allBatches(r: ByteReader): Promise<[number, string][]> {
  const out: [number, string][] = []
  for (let batch = await r.readLines(); batch; batch = await r.readLines()) {
    batch.lines.forEach((line, i) => out.push([batch.first + i, line]))
  }
  return out
}

describe('lines, however the bytes are cut', () => {
  const cases: [string, string, string[]][] = [
    ['unix', 'a\nbb\nccc\n', ['a', 'bb', 'ccc']],
    ['windows', 'a\r\nbb\r\n', ['a', 'bb']],
    ['old mac', 'a\rbb\rccc', ['a', 'bb', 'ccc']],
    ['mixed', 'a\r\nb\nc\rd', ['a', 'b', 'c', 'd']],
    ['empty ones between', 'a\n\n\r\nb', ['a', '', '', 'b']],
    ['no end on the last', 'a\nb', ['a', 'b']],
    ['nothing at all', '', []],
    ['two-byte letters across a border', 'ééé\nüü\n', ['ééé', 'üü']],
  ]
  test.each(cases)('%s', async (_name, text, lines) => {
    for (const chunk of [1, 2, 3, 5, 1000]) {
      const r = reader(text, chunk)
      expect(await allLines(r), `pieces of ${chunk}`).toEqual(lines)
      expect(r.line).toBe(lines.length)
    }
  })
  test('many at once carry their numbers, also after single ones', async () => {
    for (const chunk of [1, 4, 100]) {
      const r = reader('head\none\ntwo\nthree\nfour', chunk)
      expect(await r.readLine()).toBe('head')
      expect(await allBatches(r)).toEqual([
        [2, 'one'],
        [3, 'two'],
        [4, 'three'],
        [5, 'four'],
      ])
    }
  })
  test('a line without end is refused before it fills the memory', async () => {
    const endless = {
      chunks: (async function* () {
        for (;;) yield new Uint8Array(1 << 18).fill(65)
      })(),
    }
    await expect(new ByteReader(endless).readLine()).rejects.toThrow('longer than a million characters')
  })
})

describe('looking ahead', () => {
  test('keeps what is unread and knows its place in the stream', async () => {
    const r = reader('0123456789', 3)
    expect(await r.ensure(4)).toBe(true)
    expect(r.bytes[r.at]).toBe(48)
    r.at += 4
    expect(r.offset).toBe(4)
    expect(await r.ensure(6)).toBe(true)
    expect(r.available).toBe(6)
    expect(r.view().getUint8(r.at)).toBe(52)
    expect(await r.ensure(7)).toBe(false)
    expect(r.offset).toBe(4)
  })
  test('tells the stream when it is no longer wanted', async () => {
    let closed = false
    const source = {
      chunks: (async function* () {
        try {
          for (;;) yield new Uint8Array(8)
        } finally {
          closed = true
        }
      })(),
    }
    const r = new ByteReader(source)
    await r.ensure(4)
    await r.close()
    expect(closed).toBe(true)
  })
})

test('growing arrays keep everything and give exactly what was put in', () => {
  const f = new GrowingFloat32(3)
  const u = new GrowingUint32(3)
  for (let i = 0; i < 1000; i++) {
    f.push3(i, i + 0.5, -i)
    u.push3(i, i + 1, i + 2)
  }
  f.push(7)
  expect(f.finish().length).toBe(3001)
  expect(f.finish()[2998]).toBe(999.5)
  expect(f.finish()[3000]).toBe(7)
  expect(u.finish().length).toBe(3000)
  expect(u.finish()[2999]).toBe(1001)
})

describe('the builder', () => {
  const here = (): string => 'line 1'
  test('attributes that are not there for every point are left out', () => {
    const b = new ShapeBuilder()
    b.point(0, 0, 0, here)
    b.colour(1, 2, 3)
    b.point(1, 0, 0, here)
    const shape = b.finish()
    expect(shape.colours).toBeUndefined()
    expect(shape.positions.length).toBe(6)
  })
  test('colours from 0 to 1 become bytes, bytes stay', () => {
    const unit = new ShapeBuilder()
    unit.point(0, 0, 0, here)
    unit.colour(0.5, 1, 0)
    expect(Array.from(unit.finish().colours!)).toEqual([128, 255, 0])
    const bytes = new ShapeBuilder()
    bytes.point(0, 0, 0, here)
    bytes.colour(200, 300, -5)
    expect(Array.from(bytes.finish().colours!)).toEqual([200, 255, 0])
  })
  test('normals of no length stay marked as unknown', () => {
    const b = new ShapeBuilder()
    b.point(0, 0, 0, here)
    b.normal(0, 0, 0)
    expect(Array.from(b.finish().normals!)).toEqual([0, 0, 0])
  })
  test('the origin follows the first point and adds back exactly', () => {
    const b = new ShapeBuilder()
    b.point(123456.75, -9000.25, 3, here)
    b.point(123457.75, -9000.5, 3.5, here)
    const { positions, originMm } = b.finish()
    expect(originMm).toEqual([123457, -9000, 3])
    expect(Array.from(positions, (v, i) => v + originMm![i % 3])).toEqual([
      123456.75, -9000.25, 3, 123457.75, -9000.5, 3.5,
    ])
  })
})
