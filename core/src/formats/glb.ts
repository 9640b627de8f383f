import { GeometryError } from '../errors'
import { nestsDeeper } from './json-depth'
import type { Shape } from '../shapes'
import { assertFits } from '../sound-shape'

/**
 * Shapes as valid glTF 2.0 binaries (Khronos, glTF 2.0 specification, sections 3 and 4.4). Buffers hold millimetres
 * with Z up; the root node turns and scales them to glTF's metres with Y up. Extra attributes: _SRGB (sRGB bytes),
 * _EVIDENCE, _FRAME, _CONFIDENCE.
 */

/** Column-major: x → x, z → y, −y → z, each × 0.001. */
const MM_Z_UP_TO_M_Y_UP = [0.001, 0, 0, 0, 0, 0, -0.001, 0, 0, 0.001, 0, 0, 0, 0, 0, 1]

const COMPONENT = { uint8: 5121, uint16: 5123, uint32: 5125, float: 5126 } as const
const GENERATOR = 'Holosoma'
const MAGIC = 0x46546c67
/** Deepest nesting of a header: what this program writes has six. */
const DEEPEST_HEADER = 16
const JSON_CHUNK = 0x4e4f534a
const BIN_CHUNK = 0x004e4942

interface Accessor {
  bufferView: number
  componentType: number
  count: number
  type: string
  min?: number[]
  max?: number[]
}
interface View {
  buffer: 0
  byteOffset: number
  byteLength: number
  byteStride?: number
  target?: number
}
interface Extras {
  holosoma?: { originMm?: unknown; frameOriginsMm?: unknown }
}
interface Gltf {
  asset: { version: string; generator?: string }
  scene: 0
  scenes: { nodes: number[] }[]
  nodes: { mesh: 0; matrix: number[] }[]
  meshes: { primitives: { attributes: Record<string, number>; indices?: number; mode: number }[]; extras?: Extras }[]
  accessors: Accessor[]
  bufferViews: View[]
  buffers: { byteLength: number }[]
}

export function writeGlb(shape: Shape): Uint8Array<ArrayBuffer> {
  const n = shape.positions.length / 3
  const views: View[] = []
  const accessors: Accessor[] = []
  const parts: { bytes: Uint8Array; at: number }[] = []
  let length = 0
  const add = (bytes: Uint8Array, accessor: Omit<Accessor, 'bufferView'>, view: Partial<View>): number => {
    length = Math.ceil(length / 4) * 4
    parts.push({ bytes, at: length })
    views.push({ buffer: 0, byteOffset: length, byteLength: bytes.byteLength, ...view })
    accessors.push({ bufferView: views.length - 1, ...accessor })
    length += bytes.byteLength
    return accessors.length - 1
  }
  const bytesOf = (a: Float32Array | Uint32Array | Uint8Array): Uint8Array =>
    new Uint8Array(a.buffer, a.byteOffset, a.byteLength)
  const min = [Infinity, Infinity, Infinity]
  const max = [-Infinity, -Infinity, -Infinity]
  for (let i = 0; i < shape.positions.length; i++) {
    const v = shape.positions[i]
    if (v < min[i % 3]) min[i % 3] = v
    if (v > max[i % 3]) max[i % 3] = v
  }
  const vertexView = { target: 34962 }
  const attributes: Record<string, number> = {
    POSITION: add(
      bytesOf(shape.positions),
      { componentType: COMPONENT.float, count: n, type: 'VEC3', min, max },
      vertexView,
    ),
  }
  if (shape.normals)
    attributes.NORMAL = add(
      bytesOf(unitNormals(shape.normals)),
      { componentType: COMPONENT.float, count: n, type: 'VEC3' },
      vertexView,
    )
  // Attributes start on multiples of four bytes; the fourth byte pads.
  const padded = (from: Uint8Array, size: 1 | 3): Uint8Array => {
    const out = new Uint8Array(n * 4)
    for (let i = 0; i < n; i++) for (let c = 0; c < size; c++) out[i * 4 + c] = from[i * size + c]!
    return out
  }
  if (shape.colours)
    attributes._SRGB = add(
      padded(shape.colours, 3),
      { componentType: COMPONENT.uint8, count: n, type: 'VEC3' },
      { ...vertexView, byteStride: 4 },
    )
  if (shape.kind === 'mesh' && shape.evidence)
    attributes._EVIDENCE = add(
      padded(shape.evidence, 1),
      { componentType: COMPONENT.uint8, count: n, type: 'SCALAR' },
      { ...vertexView, byteStride: 4 },
    )
  if (shape.kind === 'cloud' && shape.frame) {
    const wide = new Uint16Array(n * 2)
    for (let i = 0; i < n; i++) wide[i * 2] = shape.frame[i]!
    attributes._FRAME = add(
      new Uint8Array(wide.buffer),
      { componentType: COMPONENT.uint16, count: n, type: 'SCALAR' },
      { ...vertexView, byteStride: 4 },
    )
  }
  if (shape.kind === 'cloud' && shape.confidence)
    attributes._CONFIDENCE = add(
      bytesOf(shape.confidence),
      { componentType: COMPONENT.float, count: n, type: 'SCALAR' },
      vertexView,
    )
  const indices =
    shape.kind === 'mesh'
      ? add(
          bytesOf(shape.indices),
          { componentType: COMPONENT.uint32, count: shape.indices.length, type: 'SCALAR' },
          { target: 34963 },
        )
      : undefined
  const holosoma = {
    ...(shape.originMm && { originMm: [...shape.originMm] }),
    ...(shape.kind === 'cloud' && shape.frameOrigins && { frameOriginsMm: Array.from(shape.frameOrigins) }),
  }
  const json: Gltf = {
    asset: { version: '2.0', generator: GENERATOR },
    scene: 0,
    scenes: [{ nodes: [0] }],
    nodes: [{ mesh: 0, matrix: MM_Z_UP_TO_M_Y_UP }],
    meshes: [
      {
        primitives: [{ attributes, ...(indices !== undefined && { indices }), mode: indices === undefined ? 0 : 4 }],
        ...(Object.keys(holosoma).length > 0 && { extras: { holosoma } }),
      },
    ],
    accessors,
    bufferViews: views,
    buffers: [{ byteLength: Math.ceil(length / 4) * 4 }],
  }
  let text = new TextEncoder().encode(JSON.stringify(json))
  if (text.length % 4 !== 0) {
    const spaced = new Uint8Array(Math.ceil(text.length / 4) * 4).fill(0x20)
    spaced.set(text)
    text = spaced
  }
  const binLength = json.buffers[0].byteLength
  const total = 12 + 8 + text.length + 8 + binLength
  const out = new Uint8Array(total)
  const view = new DataView(out.buffer)
  view.setUint32(0, MAGIC, true)
  view.setUint32(4, 2, true)
  view.setUint32(8, total, true)
  view.setUint32(12, text.length, true)
  view.setUint32(16, JSON_CHUNK, true)
  out.set(text, 20)
  view.setUint32(20 + text.length, binLength, true)
  view.setUint32(24 + text.length, BIN_CHUNK, true)
  for (const part of parts) out.set(part.bytes, 28 + text.length + part.at)
  return out
}

function parseHeader(bytes: Uint8Array): Gltf {
  try {
    const text = new TextDecoder().decode(Uint8Array.from(bytes))
    if (nestsDeeper(text, DEEPEST_HEADER)) throw new RangeError('too deep')
    return JSON.parse(text) as Gltf
  } catch {
    throw new GeometryError('FORMAT', 'The header of this glTF binary cannot be read.')
  }
}

/** glTF wants unit normals; where a cloud has none for a point, up is as good as any. */
function unitNormals(normals: Float32Array): Float32Array {
  let out = normals
  for (let i = 0; i < normals.length; i += 3) {
    if (normals[i] === 0 && normals[i + 1] === 0 && normals[i + 2] === 0) {
      if (out === normals) out = normals.slice()
      out[i + 2] = 1
    }
  }
  return out
}

/** Whether a glTF binary says that this program wrote it. */
export function isOwnGlb(bytes: Uint8Array): boolean {
  if (bytes.length < 28) return false
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength)
  if (view.getUint32(0, true) !== MAGIC) return false
  const head = new TextDecoder().decode(bytes.subarray(20, Math.min(bytes.length, 20 + view.getUint32(12, true), 4096)))
  return head.includes(`"generator":"${GENERATOR}"`)
}

const FLOAT = { type: COMPONENT.float, bytes: 4 }

/**
 * Reads a shape this program stored; other glTF files are refused, since their nodes, units and compression would be
 * misread. Every count is held against the bytes that are there: a stored shape may come back as a file that someone
 * has changed.
 * @throws FORMAT, TRUNCATED, RANGE
 */
export function readGlb(bytes: Uint8Array): Shape {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength)
  if (bytes.length < 28 || view.getUint32(0, true) !== MAGIC)
    throw new GeometryError('FORMAT', 'This is not a glTF binary.')
  if (view.getUint32(8, true) !== bytes.length)
    throw new GeometryError(
      'TRUNCATED',
      `The stored shape should have ${view.getUint32(8, true)} bytes, not ${bytes.length}.`,
    )
  const jsonLength = view.getUint32(12, true)
  if (28 + jsonLength > bytes.length)
    throw new GeometryError('TRUNCATED', 'The header of this glTF binary is longer than the file.')
  const json = parseHeader(bytes.subarray(20, 20 + jsonLength))
  if (json.asset?.generator !== GENERATOR)
    throw new GeometryError(
      'FORMAT',
      'This glTF file was not written by Holosoma. Export the scan as PLY, STL, OBJ or XYZ text instead.',
    )
  const bin = 28 + jsonLength
  const primitive = json.meshes?.[0]?.primitives?.[0]
  if (!primitive?.attributes) throw new GeometryError('FORMAT', 'The glTF file holds no shape.')
  const damaged = (what: string): GeometryError => new GeometryError('FORMAT', `This glTF file is damaged: ${what}.`)
  /** The bytes of an accessor, `stride` for each of its elements. */
  const slice = (
    name: string,
    index: number,
    component: number,
    stride: number,
  ): { buffer: ArrayBuffer; count: number } => {
    const a = json.accessors?.[index]
    const v = a && json.bufferViews?.[a.bufferView]
    const whole = [a?.count, v?.byteOffset, v?.byteLength].every((n) => Number.isInteger(n) && n >= 0)
    if (!a || !v || !whole || a.componentType !== component) throw damaged(`${name} is not where it says`)
    if (v.byteOffset + v.byteLength > bytes.length - bin) throw damaged(`${name} reaches past the end of the file`)
    if (v.byteLength !== a.count * stride)
      throw damaged(`${name} claims ${a.count} entries, and there are bytes for ${Math.floor(v.byteLength / stride)}`)
    const from = bytes.byteOffset + bin + v.byteOffset
    return { buffer: bytes.buffer.slice(from, from + v.byteLength) as ArrayBuffer, count: a.count }
  }
  const { attributes } = primitive
  if (attributes.POSITION === undefined) throw new GeometryError('FORMAT', 'The glTF file has no positions.')
  const floats = (name: string, width: number): Float32Array =>
    new Float32Array(slice(name, attributes[name], FLOAT.type, FLOAT.bytes * width).buffer)
  const unpad = (name: string, size: 1 | 3): Uint8Array => {
    const { buffer, count } = slice(name, attributes[name], COMPONENT.uint8, 4)
    const from = new Uint8Array(buffer)
    const out = new Uint8Array(count * size)
    for (let i = 0; i < count; i++) for (let c = 0; c < size; c++) out[i * size + c] = from[i * 4 + c]!
    return out
  }
  const extras = json.meshes[0].extras?.holosoma
  const numbers = (list: unknown, what: string): readonly number[] => {
    if (
      !Array.isArray(list) ||
      !list.every((v) => typeof v === 'number' && Number.isFinite(v)) ||
      list.length % 3 !== 0
    )
      throw damaged(`${what} is no list of places`)
    return list as readonly number[]
  }
  const origin = extras?.originMm ? numbers(extras.originMm, 'its origin') : null
  if (origin && origin.length !== 3) throw damaged('its origin is no place')
  const common = {
    positions: floats('POSITION', 3),
    ...(attributes.NORMAL !== undefined && { normals: floats('NORMAL', 3) }),
    ...(attributes._SRGB !== undefined && { colours: unpad('_SRGB', 3) }),
    ...(origin && { originMm: origin as unknown as readonly [number, number, number] }),
  }
  const shape: Shape =
    primitive.indices !== undefined
      ? {
          kind: 'mesh',
          ...common,
          indices: new Uint32Array(slice('its triangles', primitive.indices, COMPONENT.uint32, 4).buffer),
          ...(attributes._EVIDENCE !== undefined && { evidence: unpad('_EVIDENCE', 1) }),
        }
      : {
          kind: 'cloud',
          ...common,
          ...(attributes._FRAME !== undefined && {
            frame: everySecond(new Uint16Array(slice('_FRAME', attributes._FRAME, COMPONENT.uint16, 4).buffer)),
          }),
          ...(attributes._CONFIDENCE !== undefined && { confidence: floats('_CONFIDENCE', 1) }),
          ...(extras?.frameOriginsMm !== undefined && {
            frameOrigins: Float64Array.from(numbers(extras.frameOriginsMm, 'where its frames stood')),
          }),
        }
  assertFits(shape)
  return shape
}

function everySecond(wide: Uint16Array): Uint16Array {
  const out = new Uint16Array(wide.length / 2)
  for (let i = 0; i < out.length; i++) out[i] = wide[i * 2]!
  return out
}
