import { splitAtSeams } from '../mesh/split-at-seams'
import {
  attributesOf,
  boundsOf,
  CORNER_ATTRIBUTES,
  pickPoints,
  type Attribute,
  type Shape,
  type TriangleMesh,
} from '../shapes'
import {
  BIN_CHUNK,
  COMPONENT,
  GENERATOR,
  JSON_CHUNK,
  layoutOf,
  MAGIC,
  POINT_NUMBER,
  SEMANTIC,
  type Accessor,
  type Gltf,
  type Primitive,
  type View,
} from './glb-layout'

/** Column-major: x → x, z → y, −y → z, each × 0.001. */
const MM_Z_UP_TO_M_Y_UP = [0.001, 0, 0, 0, 0, 0, -0.001, 0, 0, 0.001, 0, 0, 0, 0, 0, 1]

type Bytes = Float32Array | Uint32Array | Uint16Array | Uint8Array
const bytesOf = (a: Bytes): Uint8Array => new Uint8Array(a.buffer, a.byteOffset, a.byteLength)

/** Collects what goes into the binary chunk: every view begins on a multiple of four bytes. */
class Chunk {
  readonly views: View[] = []
  readonly accessors: Accessor[] = []
  readonly parts: { bytes: Uint8Array; at: number }[] = []
  length = 0

  view(bytes: Uint8Array, more: Partial<View> = {}): number {
    this.length = Math.ceil(this.length / 4) * 4
    this.parts.push({ bytes, at: this.length })
    this.views.push({ buffer: 0, byteOffset: this.length, byteLength: bytes.byteLength, ...more })
    this.length += bytes.byteLength
    return this.views.length - 1
  }

  accessor(bytes: Uint8Array, accessor: Omit<Accessor, 'bufferView'>, view: Partial<View>): number {
    this.accessors.push({ bufferView: this.view(bytes, view), ...accessor })
    return this.accessors.length - 1
  }

  attribute(values: Bytes, attribute: Attribute): number {
    const { componentType, type, elementBytes, strideBytes } = layoutOf(attribute)
    const count = values.length / attribute.width
    const tight = elementBytes === strideBytes
    return this.accessor(
      tight ? bytesOf(values) : padded(bytesOf(values), elementBytes, strideBytes),
      { componentType, count, type },
      { target: 34962, ...(!tight && { byteStride: strideBytes }) },
    )
  }

  triangles(indices: Uint32Array): number {
    return this.accessor(
      bytesOf(indices),
      { componentType: COMPONENT.uint32, count: indices.length, type: 'SCALAR' },
      { target: 34963 },
    )
  }
}

function padded(bytes: Uint8Array, elementBytes: number, strideBytes: number): Uint8Array {
  const n = bytes.length / elementBytes
  const out = new Uint8Array(n * strideBytes)
  for (let i = 0; i < n; i++)
    for (let c = 0; c < elementBytes; c++) out[i * strideBytes + c] = bytes[i * elementBytes + c]
  return out
}

/**
 * A shape as a valid glTF 2.0 binary (Khronos, glTF 2.0 specification, sections 3 and 4.4). Buffers hold millimetres
 * with Z up; the root node turns and scales them to glTF's metres with Y up. Extra attributes: _SRGB (sRGB bytes),
 * _EVIDENCE, _FRAME, _CONFIDENCE, and _POINT where corners of one point have several places in a picture. Faces that
 * follow one another and have the same picture are a primitive.
 */
export function writeGlb(shape: Shape): Uint8Array<ArrayBuffer> {
  const split = shape.kind === 'mesh' && shape.uvs ? splitAtSeams(shape, shape.uvs) : null
  const vertices = split ? pickPoints(split.mesh, split.pointOf) : shape
  const chunk = new Chunk()
  const { min, max } = boundsOf(vertices.positions)
  const attributes: Record<string, number> = {
    POSITION: chunk.accessor(
      bytesOf(vertices.positions),
      { componentType: COMPONENT.float, count: vertices.positions.length / 3, type: 'VEC3', min, max },
      { target: 34962 },
    ),
  }
  for (const { name, values, attribute } of attributesOf(vertices))
    attributes[SEMANTIC[name]] = chunk.attribute(
      name === 'normals' ? unitNormals(values as Float32Array) : values,
      attribute,
    )
  if (split) {
    attributes[SEMANTIC.uvs] = chunk.attribute(split.uvs, CORNER_ATTRIBUTES.uvs)
    if (split.pointOf.length > shape.positions.length / 3)
      attributes[POINT_NUMBER] = chunk.accessor(
        littleEndian(split.pointOf),
        { componentType: COMPONENT.uint8, count: split.pointOf.length, type: 'VEC4' },
        { target: 34962 },
      )
  }
  const primitives: Primitive[] =
    shape.kind === 'mesh'
      ? runsOf(shape).map(({ from, to, picture }) => ({
          attributes,
          indices: chunk.triangles((split?.mesh ?? shape).indices.subarray(from * 3, to * 3)),
          mode: 4,
          ...(picture > 0 && { material: picture - 1 }),
        }))
      : [{ attributes, mode: 0 }]
  const pictures = (shape.kind === 'mesh' && shape.pictures) || []
  const holosoma = {
    ...(shape.originMm && { originMm: [...shape.originMm] }),
    ...(shape.kind === 'cloud' && shape.frameOrigins && { frameOriginsMm: Array.from(shape.frameOrigins) }),
  }
  const images = pictures.map((p) => ({ bufferView: chunk.view(p.bytes), mimeType: p.mime }))
  return packed(
    {
      asset: { version: '2.0', generator: GENERATOR },
      scene: 0,
      scenes: [{ nodes: [0] }],
      nodes: [{ mesh: 0, matrix: MM_Z_UP_TO_M_Y_UP }],
      meshes: [{ primitives, ...(Object.keys(holosoma).length > 0 && { extras: { holosoma } }) }],
      ...(images.length > 0 && {
        materials: images.map((_, index) => ({
          pbrMetallicRoughness: { baseColorTexture: { index }, metallicFactor: 0, roughnessFactor: 1 },
        })),
        textures: images.map((_, source) => ({ source })),
        images,
      }),
      accessors: chunk.accessors,
      bufferViews: chunk.views,
      buffers: [{ byteLength: Math.ceil(chunk.length / 4) * 4 }],
    },
    chunk.parts,
  )
}

function packed(json: Gltf, parts: readonly { bytes: Uint8Array; at: number }[]): Uint8Array<ArrayBuffer> {
  const header = new TextEncoder().encode(JSON.stringify(json))
  const text = new Uint8Array(Math.ceil(header.length / 4) * 4).fill(0x20)
  text.set(header)
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

/** Faces that follow one another and have the same picture. */
function runsOf({ indices, picture }: TriangleMesh): { from: number; to: number; picture: number }[] {
  const faces = indices.length / 3
  if (!picture) return [{ from: 0, to: faces, picture: 0 }]
  const runs: { from: number; to: number; picture: number }[] = []
  for (let f = 0; f < faces; f++) {
    const last = runs.at(-1)
    if (last?.picture === picture[f]) last.to = f + 1
    else runs.push({ from: f, to: f + 1, picture: picture[f] })
  }
  return runs
}

function littleEndian(values: Uint32Array): Uint8Array {
  const out = new Uint8Array(values.length * 4)
  const view = new DataView(out.buffer)
  for (let i = 0; i < values.length; i++) view.setUint32(i * 4, values[i], true)
  return out
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
