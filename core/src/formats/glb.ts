import { GeometryError } from '../errors'
import {
  CORNER_ATTRIBUTES,
  pickPoints,
  POINT_ATTRIBUTES,
  type Attribute,
  type Picture,
  type Shape,
  type TriangleMesh,
} from '../shapes'
import { assertFits } from '../sound-shape'
import { COMPONENT, GENERATOR, layoutOf, MAGIC, POINT_NUMBER, SEMANTIC, type Gltf } from './glb-layout'
import { nestsDeeper } from './json-depth'

/** Deepest nesting of a header: what this program writes has six. */
const DEEPEST_HEADER = 16

/** Whether a glTF binary says that this program wrote it. */
export function isOwnGlb(bytes: Uint8Array): boolean {
  if (bytes.length < 28) return false
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength)
  if (view.getUint32(0, true) !== MAGIC) return false
  const head = new TextDecoder().decode(bytes.subarray(20, Math.min(bytes.length, 20 + view.getUint32(12, true), 4096)))
  return head.includes(`"generator":"${GENERATOR}"`)
}

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
  const primitives = json.meshes?.[0]?.primitives
  if (!Array.isArray(primitives) || !primitives[0]?.attributes)
    throw new GeometryError('FORMAT', 'The glTF file holds no shape.')
  if (primitives[0].attributes.POSITION === undefined)
    throw new GeometryError('FORMAT', 'The glTF file has no positions.')
  const stored = new StoredParts(bytes, 28 + jsonLength, json)
  const { attributes } = primitives[0]
  const values: Record<string, unknown> = {}
  for (const [name, attribute] of Object.entries(POINT_ATTRIBUTES)) {
    const semantic = SEMANTIC[name as keyof typeof POINT_ATTRIBUTES]
    if (attributes[semantic] !== undefined) values[name] = stored.attribute(semantic, attributes[semantic], attribute)
  }
  const { extras } = json.meshes[0]
  const origin = extras?.holosoma?.originMm ? places(extras.holosoma.originMm, 'its origin') : null
  if (origin && origin.length !== 3) throw damaged('its origin is no place')
  const common = {
    positions: stored.attribute('POSITION', attributes.POSITION, PLACE) as Float32Array,
    ...values,
    ...(origin && { originMm: origin as unknown as readonly [number, number, number] }),
  }
  const frames = extras?.holosoma?.frameOriginsMm
  const shape: Shape =
    primitives[0].indices !== undefined
      ? { kind: 'mesh', ...common, ...facesOf(stored, json) }
      : {
          kind: 'cloud',
          ...common,
          ...(frames !== undefined && { frameOrigins: Float64Array.from(places(frames, 'where its frames stood')) }),
        }
  assertFits(shape)
  return shape.kind === 'mesh' && attributes[POINT_NUMBER] !== undefined
    ? joinedAtSeams(shape, stored.attribute(POINT_NUMBER, attributes[POINT_NUMBER], NUMBER) as Uint8Array)
    : shape
}

const PLACE: Attribute = { width: 3, Store: Float32Array, noun: 'places' }
const NUMBER: Attribute = { width: 4, Store: Uint8Array, noun: 'numbers of points' }

const damaged = (what: string): GeometryError => new GeometryError('FORMAT', `This glTF file is damaged: ${what}.`)

function places(list: unknown, what: string): readonly number[] {
  if (!Array.isArray(list) || !list.every((v) => typeof v === 'number' && Number.isFinite(v)) || list.length % 3 !== 0)
    throw damaged(`${what} is no list of places`)
  return list as readonly number[]
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

/** What stands in the binary chunk, each part held against the bytes that are there. */
class StoredParts {
  constructor(
    private readonly bytes: Uint8Array,
    private readonly from: number,
    private readonly json: Gltf,
  ) {}

  private view(name: string, index: number | undefined): Uint8Array<ArrayBuffer> {
    const v = index === undefined ? undefined : this.json.bufferViews?.[index]
    if (!v || ![v.byteOffset, v.byteLength].every((n) => Number.isInteger(n) && n >= 0))
      throw damaged(`${name} is not where it says`)
    if (v.byteOffset + v.byteLength > this.bytes.length - this.from)
      throw damaged(`${name} reaches past the end of the file`)
    const at = this.bytes.byteOffset + this.from + v.byteOffset
    return new Uint8Array(this.bytes.buffer.slice(at, at + v.byteLength) as ArrayBuffer)
  }

  /** The bytes of an accessor, `stride` for each of its elements. */
  private elements(name: string, index: number, component: number, stride: number): Uint8Array<ArrayBuffer> {
    const a = this.json.accessors?.[index]
    if (!a || !Number.isInteger(a.count) || a.count < 0 || a.componentType !== component)
      throw damaged(`${name} is not where it says`)
    const bytes = this.view(name, a.bufferView)
    if (bytes.length !== a.count * stride)
      throw damaged(`${name} claims ${a.count} entries, and there are bytes for ${Math.floor(bytes.length / stride)}`)
    return bytes
  }

  attribute(name: string, index: number, attribute: Attribute): Float32Array | Uint16Array | Uint8Array {
    const { componentType, elementBytes, strideBytes } = layoutOf(attribute)
    const wide = this.elements(name, index, componentType, strideBytes)
    if (elementBytes === strideBytes) return new attribute.Store(wide.buffer)
    const n = wide.length / strideBytes
    const tight = new Uint8Array(n * elementBytes)
    for (let i = 0; i < n; i++)
      for (let c = 0; c < elementBytes; c++) tight[i * elementBytes + c] = wide[i * strideBytes + c]
    return new attribute.Store(tight.buffer)
  }

  triangles(index: number | undefined): Uint32Array {
    if (index === undefined) throw damaged('some of its triangles are missing')
    return new Uint32Array(this.elements('its triangles', index, COMPONENT.uint32, 4).buffer)
  }

  picture(index: number): Picture {
    const image = this.json.images?.[index]
    if (image?.mimeType !== 'image/png' && image?.mimeType !== 'image/jpeg')
      throw damaged(`picture ${index + 1} is of no kind that is known`)
    return { mime: image.mimeType, bytes: this.view(`picture ${index + 1}`, image.bufferView) }
  }
}

/** The faces of all primitives in their order, with the pictures on them. */
function facesOf(
  stored: StoredParts,
  json: Gltf,
): { indices: Uint32Array; uvs?: Float32Array; picture?: Uint16Array; pictures?: Picture[] } {
  const { primitives } = json.meshes[0]
  const runs = primitives.map((p) => stored.triangles(p.indices))
  const count = runs.reduce((n, r) => n + r.length, 0)
  const indices = new Uint32Array(count)
  const picture = new Uint16Array(Math.ceil(count / 3))
  let at = 0
  runs.forEach((run, i) => {
    if (run.length % 3 !== 0) throw damaged('a triangle has not all of its three corners')
    indices.set(run, at)
    const { material } = primitives[i]
    if (material !== undefined && !(Number.isInteger(material) && material >= 0 && material < 65535))
      throw damaged('some of its triangles have a picture that is not there')
    picture.fill(material === undefined ? 0 : material + 1, at / 3, (at + run.length) / 3)
    at += run.length
  })
  const uvs = primitives[0].attributes[SEMANTIC.uvs]
  const pictures = (json.images ?? []).map((_, i) => stored.picture(i))
  return {
    indices,
    ...(uvs !== undefined && {
      uvs: byCorner(stored.attribute(SEMANTIC.uvs, uvs, CORNER_ATTRIBUTES.uvs) as Float32Array, indices),
    }),
    ...(pictures.length > 0 && { picture, pictures }),
  }
}

function byCorner(byVertex: Float32Array, indices: Uint32Array): Float32Array {
  const out = new Float32Array(indices.length * 2)
  for (let i = 0; i < indices.length; i++) {
    if (indices[i] * 2 >= byVertex.length) throw damaged('a triangle names a point that is not there')
    out[i * 2] = byVertex[indices[i] * 2]
    out[i * 2 + 1] = byVertex[indices[i] * 2 + 1]
  }
  return out
}

/** Points that were written several times, once for each place they have in a picture, as one again. */
function joinedAtSeams(mesh: TriangleMesh, numbers: Uint8Array): TriangleMesh {
  const vertices = mesh.positions.length / 3
  if (numbers.length !== vertices * 4) throw damaged('not every vertex says whose it is')
  const view = new DataView(numbers.buffer)
  // The points stand first, under their own numbers.
  let points = 0
  while (points < vertices && view.getUint32(points * 4, true) === points) points++
  const indices = mesh.indices.map((vertex) => {
    const point = vertex < vertices ? view.getUint32(vertex * 4, true) : vertices
    if (point >= points) throw damaged('a triangle names a point that is not there')
    return point
  })
  return {
    ...pickPoints(
      mesh,
      Uint32Array.from({ length: points }, (_, i) => i),
    ),
    indices,
  }
}
