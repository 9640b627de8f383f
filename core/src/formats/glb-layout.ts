import type { Attribute, CornerAttributeName, PointAttributeName } from '../shapes'

/** What writer and reader of stored shapes agree on (glTF 2.0, sections 3.6, 3.7 and 4.4). */

export const COMPONENT = { uint8: 5121, uint16: 5123, uint32: 5125, float: 5126 } as const
export const GENERATOR = 'Holosoma'
export const MAGIC = 0x46546c67
export const JSON_CHUNK = 0x4e4f534a
export const BIN_CHUNK = 0x004e4942

/** The names of attributes in the file; those that glTF does not know begin with an underscore. */
export const SEMANTIC: Readonly<Record<PointAttributeName | CornerAttributeName, string>> = {
  normals: 'NORMAL',
  colours: '_SRGB',
  evidence: '_EVIDENCE',
  colourEvidence: '_COLOUR_EVIDENCE',
  frame: '_FRAME',
  confidence: '_CONFIDENCE',
  uvs: 'TEXCOORD_0',
}
/**
 * glTF keeps places in pictures by vertex, so that a point with several of them is written several times. The number of
 * the point each vertex is stands here as four bytes, lowest first: attributes know no 32-bit whole numbers.
 */
export const POINT_NUMBER = '_POINT'

/** How an attribute lies in the file: glTF wants every element to begin on a multiple of four bytes. */
export function layoutOf({ width, Store }: Attribute): {
  readonly componentType: number
  readonly type: string
  readonly elementBytes: number
  readonly strideBytes: number
} {
  const elementBytes = width * Store.BYTES_PER_ELEMENT
  return {
    componentType:
      Store === Float32Array ? COMPONENT.float : Store === Uint16Array ? COMPONENT.uint16 : COMPONENT.uint8,
    type: width === 1 ? 'SCALAR' : `VEC${width}`,
    elementBytes,
    strideBytes: Math.ceil(elementBytes / 4) * 4,
  }
}

export interface Accessor {
  bufferView: number
  componentType: number
  count: number
  type: string
  min?: number[]
  max?: number[]
}
export interface View {
  buffer: 0
  byteOffset: number
  byteLength: number
  byteStride?: number
  target?: number
}
export interface Primitive {
  attributes: Record<string, number>
  indices?: number
  mode: number
  material?: number
}
export interface Gltf {
  asset: { version: string; generator?: string }
  scene: 0
  scenes: { nodes: number[] }[]
  nodes: { mesh: 0; matrix: number[] }[]
  meshes: {
    primitives: Primitive[]
    extras?: { holosoma?: { originMm?: unknown; frameOriginsMm?: unknown } }
  }[]
  materials?: {
    pbrMetallicRoughness: { baseColorTexture: { index: number }; metallicFactor: number; roughnessFactor: number }
  }[]
  textures?: { source: number }[]
  images?: { bufferView: number; mimeType: string }[]
  accessors: Accessor[]
  bufferViews: View[]
  buffers: { byteLength: number }[]
}
