import { GeometryError } from '../errors'
import type { Shape } from '../shapes'
import { ByteReader, type ByteSource } from './byte-reader'
import { ShapeBuilder, type Told } from './builder'

/*
 * Point Cloud Data files, version 0.7, ASCII and binary (Point Cloud Library, "The PCD file format"). Points that are
 * not there are NaN by rule and are left out.
 */

interface Field {
  readonly name: string
  readonly size: number
  readonly type: string
  readonly count: number
  readonly offset: number
}

interface Header {
  readonly fields: readonly Field[]
  readonly stride: number
  readonly points: number
  readonly data: string
}

const MAX_HEADER_LINES = 60
const SIZES: Readonly<Record<string, readonly number[]>> = { F: [4, 8], U: [1, 2, 4], I: [1, 2, 4] }

/** Reads a PCD point cloud, ASCII or binary. @throws FORMAT, TRUNCATED, RANGE, NOT_FINITE, EMPTY */
export async function readPcd(source: ByteSource, told?: Told): Promise<Shape> {
  const reader = new ByteReader(source)
  try {
    const header = await readHeader(reader)
    const at = (name: string): Field | undefined => header.fields.find((f) => f.name === name)
    const [x, y, z] = ['x', 'y', 'z'].map(at)
    if (!x || !y || !z)
      throw new GeometryError('FORMAT', 'A PCD file needs the fields x, y and z; this one has not all of them.')
    const least = header.data === 'ascii' ? header.fields.length * 2 : header.stride
    if (source.sizeBytes !== undefined && header.points * least > source.sizeBytes + 64)
      throw new GeometryError(
        'RANGE',
        `The header claims ${header.points} points, more than a file of ${source.sizeBytes} bytes can hold.`,
      )
    const builder = new ShapeBuilder(told)
    const normals = ['normal_x', 'normal_y', 'normal_z'].map(at)
    const packed = at('rgb') ?? at('rgba')
    const add = (value: (f: Field) => number, bits: (f: Field) => number, where: () => string): void => {
      const px = value(x),
        py = value(y),
        pz = value(z)
      if (Number.isNaN(px) || Number.isNaN(py) || Number.isNaN(pz))
        return builder.leaveOut('points without a place, which is how the device marks what it did not see')
      builder.point(px, py, pz, where)
      if (normals.every((f) => f !== undefined)) builder.normal(value(normals[0]), value(normals[1]), value(normals[2]))
      if (packed) {
        const rgb = bits(packed)
        builder.colour((rgb >> 16) & 255, (rgb >> 8) & 255, rgb & 255)
      }
    }
    if (header.data === 'ascii') await readRows(reader, header, add)
    else if (header.data === 'binary') await readRecords(reader, header, add)
    else
      throw new GeometryError(
        'FORMAT',
        `PCD data of the kind "${header.data}" can't be read; save it as ascii or binary.`,
      )
    return builder.finish()
  } finally {
    await reader.close()
  }
}

async function readHeader(reader: ByteReader): Promise<Header> {
  const words: Record<string, string[]> = {}
  for (let i = 0; i < MAX_HEADER_LINES && !words.DATA; i++) {
    const line = await reader.readLine()
    if (line === null) break
    const [key = '', ...rest] = line.trim().split(/\s+/)
    if (i === 0 && !/^(#|VERSION|FIELDS)/.test(line))
      throw new GeometryError('FORMAT', 'This is no PCD file: it does not begin with its header.')
    if (!key.startsWith('#')) words[key.toUpperCase()] = rest
  }
  const names = words.FIELDS
  if (!names || !words.DATA) throw new GeometryError('FORMAT', 'The PCD header has no FIELDS or no DATA line.')
  let offset = 0
  const fields = names.map((name, i): Field => {
    const size = Number(words.SIZE?.[i] ?? 4),
      type = (words.TYPE?.[i] ?? 'F').toUpperCase(),
      count = Number(words.COUNT?.[i] ?? 1)
    if (!SIZES[type]?.includes(size) || !Number.isInteger(count) || count < 1 || count > 4096)
      throw new GeometryError('FORMAT', `The PCD field "${name}" has a size, type or count that can't be.`)
    const field = { name: name.toLowerCase(), size, type, count, offset }
    offset += size * count
    return field
  })
  const points = Number(words.POINTS?.[0] ?? Number(words.WIDTH?.[0]) * Number(words.HEIGHT?.[0] ?? 1))
  if (!Number.isInteger(points) || points < 0)
    throw new GeometryError('RANGE', 'The PCD header does not say how many points there are.')
  return { fields, stride: offset, points, data: words.DATA[0]?.toLowerCase() ?? '' }
}

type Add = (value: (f: Field) => number, bits: (f: Field) => number, where: () => string) => void

async function readRows(reader: ByteReader, { fields, points }: Header, add: Add): Promise<void> {
  const column = new Map<Field, number>()
  let width = 0
  for (const f of fields) {
    column.set(f, width)
    width += f.count
  }
  const single = new DataView(new ArrayBuffer(4))
  for (let i = 0; i < points; i++) {
    const line = await reader.readLine()
    if (line === null) throw new GeometryError('TRUNCATED', `The file ends after ${i} of ${points} points.`)
    const row = line.trim().split(/\s+/)
    if (row.length < width)
      throw new GeometryError(
        'FORMAT',
        `Line ${reader.line} has ${row.length} values where the header promises ${width}.`,
      )
    const value = (f: Field): number => {
      const word = row[column.get(f)!]
      const v = Number(word)
      if (Number.isNaN(v) && !/^[-+]?nan$/i.test(word))
        throw new GeometryError(
          'NOT_FINITE',
          `Line ${reader.line} has "${word.slice(0, 20)}" where a number is wanted.`,
        )
      return v
    }
    add(
      value,
      (f) => {
        const v = value(f)
        // Colours written as the float whose bits they are.
        if (f.type !== 'F') return v
        single.setFloat32(0, v)
        return single.getUint32(0)
      },
      () => `line ${reader.line}`,
    )
  }
}

async function readRecords(reader: ByteReader, { stride, points }: Header, add: Add): Promise<void> {
  for (let i = 0; i < points; i++) {
    if (!(await reader.ensure(stride)))
      throw new GeometryError('TRUNCATED', `The file ends after ${i} of ${points} points.`)
    const view = reader.view()
    const base = reader.at
    const value = (f: Field): number => {
      const o = base + f.offset
      if (f.type === 'F') return f.size === 8 ? view.getFloat64(o, true) : view.getFloat32(o, true)
      if (f.type === 'U')
        return f.size === 1 ? view.getUint8(o) : f.size === 2 ? view.getUint16(o, true) : view.getUint32(o, true)
      return f.size === 1 ? view.getInt8(o) : f.size === 2 ? view.getInt16(o, true) : view.getInt32(o, true)
    }
    add(
      value,
      (f) => (f.size === 4 ? view.getUint32(base + f.offset, true) : value(f)),
      () => `byte ${reader.offset}`,
    )
    reader.at += stride
  }
}
