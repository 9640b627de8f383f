import { GeometryError } from '../errors'
import type { Unit } from '../measure/scale'
import { attributesOf, EVIDENCE, type Attribute, type PointAttributeName, type Shape } from '../shapes'
import { ByteReader, type ByteSource } from './byte-reader'
import { ShapeBuilder, type Told } from './builder'

/** Reader and writer of the Stanford polygon format. Source: G. Turk, "The PLY Polygon File Format", 1994. */

type Scalar = 'int8' | 'uint8' | 'int16' | 'uint16' | 'int32' | 'uint32' | 'float32' | 'float64'

const TYPES: Readonly<Record<string, Scalar>> = {
  char: 'int8',
  int8: 'int8',
  uchar: 'uint8',
  uint8: 'uint8',
  short: 'int16',
  int16: 'int16',
  ushort: 'uint16',
  uint16: 'uint16',
  int: 'int32',
  int32: 'int32',
  uint: 'uint32',
  uint32: 'uint32',
  float: 'float32',
  float32: 'float32',
  double: 'float64',
  float64: 'float64',
}
const SIZE: Readonly<Record<Scalar, number>> = {
  int8: 1,
  uint8: 1,
  int16: 2,
  uint16: 2,
  int32: 4,
  uint32: 4,
  float32: 4,
  float64: 8,
}

interface Property {
  readonly name: string
  readonly type: Scalar
  readonly countType?: Scalar
}
interface Element {
  readonly name: string
  readonly count: number
  readonly properties: Property[]
}
interface Header {
  readonly format: 'ascii' | 'little' | 'big'
  readonly elements: Element[]
}

const MAX_HEADER_LINES = 2000
const MAX_CORNERS = 1 << 16

/** Reads a PLY file, ASCII or binary of either order. @throws FORMAT, TRUNCATED, RANGE, NOT_FINITE, EMPTY */
export async function readPly(source: ByteSource, told?: Told): Promise<Shape> {
  const reader = new ByteReader(source)
  try {
    const header = await readHeader(reader)
    boundCounts(header, source.sizeBytes, reader.offset)
    const builder = new ShapeBuilder(told)
    for (const element of header.elements) {
      if (header.format === 'ascii') await readAsciiElement(reader, element, builder)
      else await readBinaryElement(reader, element, builder, header.format === 'little')
      if (element.name !== 'vertex' && element.name !== 'face' && element.count > 0)
        builder.leaveOut(`entries of “${element.name.slice(0, 40)}”, which is neither points nor faces`, element.count)
    }
    await tellRest(reader, header, builder)
    return builder.finish()
  } finally {
    await reader.close()
  }
}

/** What follows the last element has no place in the header. */
async function tellRest(reader: ByteReader, header: Header, builder: ShapeBuilder): Promise<void> {
  if (header.format !== 'ascii') {
    if (await reader.ensure(1))
      builder.leaveOut(
        'bytes after the last element',
        reader.source.sizeBytes === undefined ? reader.available : reader.source.sizeBytes - reader.offset,
      )
    return
  }
  for (let batch = await reader.readLines(); batch; batch = await reader.readLines()) {
    const rows = batch.lines.filter((l) => l.trim() !== '').length
    if (rows > 0) builder.leaveOut('lines after the last element', rows)
  }
}

async function readHeader(reader: ByteReader): Promise<Header> {
  if ((await reader.readLine())?.trim() !== 'ply')
    throw new GeometryError('FORMAT', 'This is not a PLY file: its first line is not "ply".')
  let format: Header['format'] | undefined
  let before: string = reader.lineEnd
  const elements: Element[] = []
  for (let i = 0; ; i++) {
    const raw = await reader.readLine()
    if (raw === null || i > MAX_HEADER_LINES)
      throw new GeometryError('TRUNCATED', 'The PLY header has no "end_header" line.')
    const words = raw.trim().split(/\s+/)
    const refuse = (why: string): never => {
      throw new GeometryError('FORMAT', `Line ${reader.line} of the PLY header ${why}.`)
    }
    if (words[0] === 'end_header') {
      // In a header whose lines end in \r, a \n after the last one is the first byte of the data.
      if (reader.lineEnd === '\r\n' && before === '\r') reader.at--
      break
    }
    before = reader.lineEnd
    if (words[0] === 'format') {
      format = ({ ascii: 'ascii', binary_little_endian: 'little', binary_big_endian: 'big' } as const)[words[1] ?? '']
      if (!format)
        refuse(`names the format "${words[1] ?? ''}"; ascii, binary_little_endian and binary_big_endian are known`)
    } else if (words[0] === 'element') {
      const count = Number(words[2])
      if (!words[1] || !Number.isInteger(count) || count < 0) refuse('does not give an element with a count')
      elements.push({ name: words[1], count, properties: [] })
    } else if (words[0] === 'property') {
      const element = elements.at(-1)
      if (!element) return refuse('has a property before any element')
      const list = words[1] === 'list'
      const type = TYPES[words[list ? 3 : 1] ?? '']
      const countType = list ? TYPES[words[2] ?? ''] : undefined
      const name = words[list ? 4 : 2]
      if (!type || !name || (list && !countType))
        return refuse(`has a property this reader does not know: "${raw.trim().slice(0, 60)}"`)
      element.properties.push({ name, type, ...(countType && { countType }) })
    } else if (words[0] !== 'comment' && words[0] !== 'obj_info' && words[0] !== '')
      refuse(`starts with "${words[0].slice(0, 30)}"`)
  }
  if (!format) throw new GeometryError('FORMAT', 'The PLY header has no "format" line.')
  if (!elements.some((e) => e.name === 'vertex'))
    throw new GeometryError('EMPTY', 'The PLY file has no "vertex" element, so there are no points in it.')
  return { format, elements }
}

/** Refuses counts the file cannot hold before anything is allocated. */
function boundCounts(header: Header, sizeBytes: number | undefined, headerBytes: number): void {
  if (sizeBytes === undefined) return
  let least = 0
  for (const e of header.elements) {
    const row =
      header.format === 'ascii'
        ? Math.max(1, e.properties.length * 2)
        : e.properties.reduce((sum, p) => sum + SIZE[p.countType ?? p.type], 0)
    least += e.count * row
    // The last ASCII line may lack its end.
    if (least > sizeBytes - headerBytes + 1) {
      throw new GeometryError(
        'TRUNCATED',
        `The header claims ${e.count.toLocaleString('en')} × ${e.name}, which needs at least ` +
          `${least.toLocaleString('en')} bytes; only ` +
          `${Math.max(0, sizeBytes - headerBytes).toLocaleString('en')} follow the header. The file is ` +
          'cut short or its header is wrong.',
      )
    }
  }
}

interface VertexSlots {
  xyz: number[]
  normal: number[]
  colour: number[]
  confidence: number
  frame: number
  evidence: number
  colourEvidence: number
  floatColour: boolean
}

function vertexSlots(element: Element): VertexSlots {
  const index = (names: string[]): number => element.properties.findIndex((p) => names.includes(p.name))
  const xyz = ['x', 'y', 'z'].map((n) => index([n]))
  if (xyz.some((i) => i < 0)) throw new GeometryError('FORMAT', 'The points of this PLY file have no x, y and z.')
  const colour = [
    index(['red', 'r', 'diffuse_red']),
    index(['green', 'g', 'diffuse_green']),
    index(['blue', 'b', 'diffuse_blue']),
  ]
  return {
    xyz,
    normal: ['nx', 'ny', 'nz'].map((n) => index([n])),
    colour,
    confidence: index(['confidence', 'quality']),
    frame: index(['frame', 'frame_index']),
    evidence: index(['evidence']),
    colourEvidence: index(['colour_evidence']),
    floatColour: colour.every((i) => i >= 0 && element.properties[i].type.startsWith('float')),
  }
}

function addVertex(builder: ShapeBuilder, row: Float64Array, slots: VertexSlots, where: () => string): void {
  const { xyz, normal, colour } = slots
  builder.point(row[xyz[0]], row[xyz[1]], row[xyz[2]], where)
  if (normal[0] >= 0 && normal[1] >= 0 && normal[2] >= 0) builder.normal(row[normal[0]], row[normal[1]], row[normal[2]])
  if (colour[0] >= 0 && colour[1] >= 0 && colour[2] >= 0) {
    const s = slots.floatColour ? 255 : 1
    builder.colour(row[colour[0]] * s, row[colour[1]] * s, row[colour[2]] * s)
  }
  if (slots.confidence >= 0) builder.confidence(row[slots.confidence])
  if (slots.frame >= 0) builder.frame(row[slots.frame])
  if (slots.evidence >= 0) builder.evidenceOf(row[slots.evidence])
  if (slots.colourEvidence >= 0) builder.colourEvidenceOf(row[slots.colourEvidence])
}

const isFaceList = (element: Element, p: Property): boolean =>
  element.name === 'face' && !!p.countType && (p.name === 'vertex_indices' || p.name === 'vertex_index')

async function readBinaryElement(
  reader: ByteReader,
  element: Element,
  builder: ShapeBuilder,
  little: boolean,
): Promise<void> {
  const { properties, count } = element
  const fixed = properties.every((p) => !p.countType)
  const stride = properties.reduce((sum, p) => sum + SIZE[p.countType ?? p.type], 0)
  const cut = (i: number): never => {
    throw new GeometryError(
      'TRUNCATED',
      `The file ends at byte ${(reader.offset + reader.available).toLocaleString('en')}, in ` +
        `${element.name} ${(i + 1).toLocaleString('en')} of ${count.toLocaleString('en')}.`,
    )
  }
  if (stride === 0) return
  const slots = element.name === 'vertex' ? vertexSlots(element) : undefined
  const row = new Float64Array(properties.length)
  if (fixed) {
    const readers = properties.map((p) => scalarReader(p.type, little))
    const offsets: number[] = []
    properties.reduce((at, p) => (offsets.push(at), at + SIZE[p.type]), 0)
    for (let i = 0; i < count;) {
      if (!(await reader.ensure(stride))) cut(i)
      const view = reader.view()
      const here = Math.min(count - i, Math.floor(reader.available / stride))
      for (let k = 0; k < here; k++, i++) {
        if (slots) {
          for (let p = 0; p < row.length; p++) row[p] = readers[p](view, reader.at + offsets[p])
          addVertex(builder, row, slots, () => `byte ${reader.offset.toLocaleString('en')}`)
        }
        reader.at += stride
      }
    }
    return
  }
  let corners: number[] = []
  const lists = properties.map((p) => ({
    list: !!p.countType,
    face: isFaceList(element, p),
    size: SIZE[p.type],
    countSize: p.countType ? SIZE[p.countType] : 0,
    read: scalarReader(p.type, little),
    readCount: p.countType ? scalarReader(p.countType, little) : undefined,
  }))
  for (let i = 0; i < count; i++) {
    // Enough for a usual row without waiting; longer lists ask again.
    if (reader.available < stride + 64) await reader.ensure(stride + 64)
    let view = reader.view()
    for (let k = 0; k < lists.length; k++) {
      const p = lists[k]
      if (!p.list) {
        if (reader.available < p.size) {
          if (!(await reader.ensure(p.size))) cut(i)
          view = reader.view()
        }
        row[k] = p.read(view, reader.at)
        reader.at += p.size
        continue
      }
      if (reader.available < p.countSize) {
        if (!(await reader.ensure(p.countSize))) cut(i)
        view = reader.view()
      }
      const length = p.readCount!(view, reader.at)
      reader.at += p.countSize
      if (!(length >= 0 && length <= MAX_CORNERS))
        throw new GeometryError(
          'FORMAT',
          `A list at byte ${reader.offset.toLocaleString('en')} claims ${length} entries.`,
        )
      if (reader.available < length * p.size) {
        if (!(await reader.ensure(length * p.size))) cut(i)
        view = reader.view()
      }
      if (p.face) {
        corners = []
        for (let c = 0; c < length; c++)
          corners.push(
            checkedIndex(p.read(view, reader.at + c * p.size), () => `byte ${reader.offset.toLocaleString('en')}`),
          )
      }
      reader.at += length * p.size
      if (p.face) builder.polygon(corners, () => `byte ${reader.offset.toLocaleString('en')}`)
    }
    if (slots) addVertex(builder, row, slots, () => `byte ${reader.offset.toLocaleString('en')}`)
  }
}

function checkedIndex(v: number, where: () => string): number {
  if (!Number.isInteger(v) || v < 0)
    throw new GeometryError('RANGE', `A face at ${where()} names point ${v}, which cannot be.`)
  return v
}

function scalarReader(type: Scalar, little: boolean): (view: DataView, at: number) => number {
  switch (type) {
    case 'int8':
      return (v, at) => v.getInt8(at)
    case 'uint8':
      return (v, at) => v.getUint8(at)
    case 'int16':
      return (v, at) => v.getInt16(at, little)
    case 'uint16':
      return (v, at) => v.getUint16(at, little)
    case 'int32':
      return (v, at) => v.getInt32(at, little)
    case 'uint32':
      return (v, at) => v.getUint32(at, little)
    case 'float32':
      return (v, at) => v.getFloat32(at, little)
    case 'float64':
      return (v, at) => v.getFloat64(at, little)
  }
}

async function readAsciiElement(reader: ByteReader, element: Element, builder: ShapeBuilder): Promise<void> {
  const slots = element.name === 'vertex' ? vertexSlots(element) : undefined
  const row = new Float64Array(element.properties.length)
  for (let i = 0; i < element.count; i++) {
    const line = await reader.readLine()
    if (line === null)
      throw new GeometryError(
        'TRUNCATED',
        `The file ends after ${i.toLocaleString('en')} of ${element.count.toLocaleString('en')} × ${element.name}.`,
      )
    const words = line.trim().split(/\s+/)
    if (words.length === 1 && words[0] === '') {
      i--
      continue
    }
    const where = (): string => `line ${reader.line}`
    let at = 0
    const next = (): number => {
      const word = words[at++]
      const v = word === undefined ? NaN : Number(word)
      if (Number.isNaN(v) && !/^[+-]?(nan|inf|infinity)$/i.test(word ?? '')) {
        throw new GeometryError(
          'FORMAT',
          word === undefined
            ? `Line ${reader.line} has too few numbers for a ${element.name}.`
            : `Line ${reader.line} holds "${word.slice(0, 30)}" where a number belongs.`,
        )
      }
      return v
    }
    element.properties.forEach((p, k) => {
      if (!p.countType) {
        row[k] = next()
        return
      }
      const length = next()
      if (!(length >= 0 && length <= MAX_CORNERS))
        throw new GeometryError('FORMAT', `Line ${reader.line} claims a list of ${length} entries.`)
      const list: number[] = []
      for (let c = 0; c < length; c++) list.push(next())
      if (isFaceList(element, p))
        builder.polygon(
          list.map((v) => checkedIndex(v, where)),
          where,
        )
    })
    if (slots) addVertex(builder, row, slots, where)
  }
}

const PROPERTIES: Readonly<Record<PointAttributeName, readonly string[]>> = {
  normals: ['nx', 'ny', 'nz'],
  colours: ['red', 'green', 'blue'],
  confidence: ['confidence'],
  frame: ['frame'],
  evidence: ['evidence'],
  colourEvidence: ['colour_evidence'],
}
const typeOf = ({ Store }: Attribute): string =>
  Store === Float32Array ? 'float' : Store === Uint16Array ? 'ushort' : 'uchar'

/** Binary little-endian; coordinates as double when the shape carries an origin far from zero. Chunks of whole rows. */
export function* writePly(shape: Shape, unit: Unit = 'mm'): Generator<Uint8Array<ArrayBuffer>> {
  const n = shape.positions.length / 3
  const origin = shape.originMm
  const coordinate = origin ? 'double' : 'float'
  const mesh = shape.kind === 'mesh' ? shape : undefined
  const lines = [
    'ply',
    'format binary_little_endian 1.0',
    `comment unit ${unit}`,
    `element vertex ${n}`,
    ...['x', 'y', 'z'].map((c) => `property ${coordinate} ${c}`),
  ]
  const attributes = attributesOf(shape)
  for (const { name, attribute } of attributes) {
    if (name === 'evidence')
      lines.push(
        `comment evidence ${Object.entries(EVIDENCE)
          .map(([k, v]) => `${v}=${k}`)
          .join(' ')}`,
      )
    for (const property of PROPERTIES[name]) lines.push(`property ${typeOf(attribute)} ${property}`)
  }
  if (mesh) lines.push(`element face ${mesh.indices.length / 3}`, 'property list uchar int vertex_indices')
  lines.push('end_header', '')
  yield new TextEncoder().encode(lines.join('\n'))

  const stride =
    (origin ? 24 : 12) +
    attributes.reduce((n, { attribute }) => n + attribute.width * attribute.Store.BYTES_PER_ELEMENT, 0)
  const rows = 8192
  for (let from = 0; from < n; from += rows) {
    const to = Math.min(n, from + rows)
    const view = new DataView(new ArrayBuffer((to - from) * stride))
    let at = 0
    for (let i = from; i < to; i++) {
      for (let c = 0; c < 3; c++) {
        if (origin) {
          view.setFloat64(at, shape.positions[i * 3 + c] + origin[c], true)
          at += 8
        } else {
          view.setFloat32(at, shape.positions[i * 3 + c], true)
          at += 4
        }
      }
      for (const { values, attribute } of attributes)
        for (let k = i * attribute.width, end = k + attribute.width; k < end; k++) {
          if (attribute.Store === Float32Array) view.setFloat32(at, values[k], true)
          else if (attribute.Store === Uint16Array) view.setUint16(at, values[k], true)
          else view.setUint8(at, values[k])
          at += attribute.Store.BYTES_PER_ELEMENT
        }
    }
    yield new Uint8Array(view.buffer)
  }
  if (!mesh) return
  const faces = mesh.indices.length / 3
  for (let from = 0; from < faces; from += rows) {
    const to = Math.min(faces, from + rows)
    const view = new DataView(new ArrayBuffer((to - from) * 13))
    for (let f = from, at = 0; f < to; f++, at += 13) {
      view.setUint8(at, 3)
      for (let c = 0; c < 3; c++) view.setInt32(at + 1 + c * 4, mesh.indices[f * 3 + c], true)
    }
    yield new Uint8Array(view.buffer)
  }
}
