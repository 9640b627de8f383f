import { GLB_BUFFER, WebIO, type Document, type Node, type Primitive } from '@gltf-transform/core'
import { EXTMeshoptCompression, KHRDracoMeshCompression, KHRMeshQuantization } from '@gltf-transform/extensions'
import { GeometryError } from '../errors'
import type { Shape } from '../shapes'
import { weldVertices } from '../mesh/weld'
import type { Beside, FoundPicture } from './beside'
import { ShapeBuilder, type Told } from './builder'
import { looksOf, picturesOf, PLAIN, type Look, type PicturedJson } from './gltf-look'
import { dataOf, decodedName } from './gltf-names'
import { nestsDeeper } from './json-depth'
import { nameOf } from './names'

/*
 * glTF 2.0 of other programs, meshes and points, through @gltf-transform/core. Metres with Y up become millimetres with
 * Z up.
 */

const MM = 1000
/** Points there may be in all: some for each byte of the file. */
const MAX_COPIES = 8
const MIN_POINTS = 100_000
const POINTS = 0
const JSON_CHUNK = 0x4e4f534a
const BIN_CHUNK = 0x004e4942
const TRIANGLES = 4

/** @throws FORMAT for files that need other files, compression this reader does not know, or hold nothing */
export async function readForeignGltf(
  bytes: Uint8Array,
  binary: boolean,
  told?: Told,
  beside: Beside = {},
): Promise<Shape> {
  const { document, pictures, looks } = await parse(bytes, binary, beside)
  const builder = new ShapeBuilder(told)
  builder.pictures = pictures
  const lookOf = new Map<Primitive, Look>()
  document
    .getRoot()
    .listMeshes()
    .forEach((mesh, m) => mesh.listPrimitives().forEach((p, k) => lookOf.set(p, looks[m]?.[k] ?? PLAIN)))
  const mostPoints = Math.max(MIN_POINTS, bytes.length * MAX_COPIES)
  const scene = document.getRoot().getDefaultScene() ?? document.getRoot().listScenes()[0]
  const nodes = scene
    ? scene.listChildren()
    : document
        .getRoot()
        .listNodes()
        .filter((n) => !n.getParentNode())
  const colours: boolean[] = []
  const visit = (node: Node): void => {
    for (const primitive of node.getMesh()?.listPrimitives() ?? [])
      colours.push(primitive.getAttribute('COLOR_0') !== null || primitive.getAttribute('_SRGB') !== null)
    for (const child of node.listChildren()) visit(child)
  }
  nodes.forEach(visit)
  const keepColours = colours.length > 0 && colours.every(Boolean)
  const add = (node: Node): void => {
    const m = node.getWorldMatrix()
    for (const primitive of node.getMesh()?.listPrimitives() ?? [])
      addPrimitive(builder, primitive, m, { keepColours, mostPoints, look: lookOf.get(primitive) ?? PLAIN })
    for (const child of node.listChildren()) add(child)
  }
  nodes.forEach(add)
  const shape = builder.finish()
  // A point that has several normals or places in a picture is written several times: torn edges that are none.
  if (shape.kind !== 'mesh') return shape
  const { normals: _normals, ...welded } = weldVertices(shape)
  return welded.positions.length === shape.positions.length ? shape : welded
}

interface ForeignJson extends PicturedJson {
  extensionsUsed?: unknown
  bufferViews?: {
    buffer?: number
    byteOffset?: number
    byteLength?: number
    extensions?: Record<string, { count?: unknown; byteStride?: unknown } | undefined>
  }[]
  buffers?: { uri?: string }[]
  accessors?: { bufferView?: number; count?: number; type?: string; componentType?: number; sparse?: unknown }[]
  nodes?: { children?: unknown }[]
}

/** Deepest nesting of the JSON text, and of nodes within nodes. */
const DEEPEST_JSON = 64
const DEEPEST_NODE = 128
/**
 * Bytes of a component by its number (glTF 2.0, 3.6.2.2); a stride may share bytes, so a part of them must be there at
 * least.
 */
const COMPONENT_BYTES: Readonly<Record<number, number>> = { 5120: 1, 5121: 1, 5122: 2, 5123: 2, 5125: 4, 5126: 4 }

/**
 * Refuses claims the file cannot hold, before a library allocates for them: points without bytes, nodes without end.
 */
function assertHolds(json: ForeignJson, fileBytes: number): void {
  const { accessors = [], nodes = [], bufferViews = [] } = json
  if (!Array.isArray(accessors) || !Array.isArray(nodes) || !Array.isArray(bufferViews)) throw new Error('no lists')
  const packed = uses(json, DRACO)
  const most = fileBytes * (packed || uses(json, MESHOPT) ? MAX_PACKED : 1)
  let unpacked = 0
  for (const view of bufferViews) {
    const own = view?.extensions?.[MESHOPT]
    if (own) unpacked += Number(own.count) * Number(own.byteStride)
  }
  if (!(unpacked <= most))
    throw new GeometryError('RANGE', 'This glTF claims to unpack to more than a file of its size can hold.')
  for (const a of accessors) {
    const count = Number(a?.count)
    const bytes = COMPONENT_BYTES[Number(a?.componentType)] ?? 1
    if (a?.bufferView === undefined && !a?.sparse && !packed)
      throw new GeometryError('TRUNCATED', `This glTF claims ${count} values and holds none of them.`)
    if (!Number.isInteger(count) || count < 0 || count * bytes > most)
      throw new GeometryError(
        'RANGE',
        `This glTF claims ${count} values, more than a file of ${fileBytes} bytes can hold.`,
      )
  }
  // Depth of each node below the one that holds it; one that is held twice, or holds itself, is no tree.
  const parent = new Int32Array(nodes.length).fill(-1)
  nodes.forEach((node, i) => {
    for (const child of Array.isArray(node?.children) ? (node.children as unknown[]) : []) {
      const c = Number(child)
      if (!Number.isInteger(c) || c < 0 || c >= nodes.length || parent[c] !== -1 || c === i)
        throw new GeometryError('FORMAT', 'The parts of this glTF do not hang together as a tree.')
      parent[c] = i
    }
  })
  for (let i = 0; i < nodes.length; i++) {
    let depth = 0
    for (let at = parent[i]; at >= 0; at = parent[at]!)
      if (++depth > DEEPEST_NODE) throw new GeometryError('FORMAT', 'The parts of this glTF nest without end.')
  }
}

const DRACO = 'KHR_draco_mesh_compression'
const MESHOPT = 'EXT_meshopt_compression'
/** Bytes that a packed byte can stand for; a real mesh comes to a tenth of this. */
const MAX_PACKED = 200

const uses = ({ extensionsUsed }: ForeignJson, name: string): boolean =>
  Array.isArray(extensionsUsed) && extensionsUsed.includes(name)

/** The decoders a file asks for, and no others. */
async function withDecoders(io: WebIO, json: ForeignJson): Promise<void> {
  if (uses(json, MESHOPT)) {
    const { MeshoptDecoder } = await import('meshoptimizer')
    await MeshoptDecoder.ready
    io.registerDependencies({ 'meshopt.decoder': MeshoptDecoder })
  }
  if (uses(json, DRACO)) {
    const { default: draco } = await import('draco3dgltf')
    io.registerDependencies({ 'draco3d.decoder': await draco.createDecoderModule() })
  }
}

async function parse(
  bytes: Uint8Array,
  binary: boolean,
  { find }: Beside,
): Promise<{ document: Document; pictures: FoundPicture[]; looks: readonly (readonly Look[])[] }> {
  try {
    const io = new WebIO().registerExtensions([EXTMeshoptCompression, KHRDracoMeshCompression, KHRMeshQuantization])
    const glb = binary ? splitGlb(bytes) : null
    const text = new TextDecoder().decode(glb?.json ?? bytes)
    if (nestsDeeper(text, DEEPEST_JSON))
      throw new GeometryError('FORMAT', 'This glTF nests deeper than any scene does; it is not opened.')
    const json = JSON.parse(text) as ForeignJson
    await withDecoders(io, json)
    const inside = inlined(json.buffers ?? [])
    let outsideBytes = 0
    for (const { uri } of json.buffers ?? []) {
      if (uri === undefined || uri.startsWith('data:')) continue
      const name = nameOf(decodedName(uri))
      const found = find ? await find(name) : null
      if (!found)
        throw new GeometryError(
          'FORMAT',
          `This glTF keeps its points in another file, “${name.slice(0, 80)}”, which did not come with it. ` +
            'Drop both together, or as a folder or ZIP; or save it as one file: GLB.',
        )
      inside[uri] = found
      outsideBytes += found.length
    }
    assertHolds(json, bytes.length + outsideBytes)
    const buffers = (json.buffers ?? []).map(({ uri }) => (uri === undefined ? glb?.bin : inside[uri]) ?? null)
    const pictures = await picturesOf(json, buffers, find)
    // What faces look like is read here, and bounded; the library gets geometry alone.
    const document = await io.readJSON({
      json: { ...json, images: [], textures: [], materials: [] } as never,
      resources: { ...inside, ...(glb?.bin && { [GLB_BUFFER]: glb.bin }) },
    })
    return { document, pictures, looks: looksOf(json) }
  } catch (error) {
    if (error instanceof GeometryError) throw error
    const text = error instanceof Error ? error.message : String(error)
    throw new GeometryError(
      'FORMAT',
      /required extension|Missing required/i.test(text)
        ? 'This glTF is compressed in a way that can’t be read here; save it without compression.'
        : 'This is no glTF 2.0 file that can be read: its structure is broken.',
    )
  }
}

/** The two chunks of a binary glTF (glTF 2.0, 4.4). */
function splitGlb(bytes: Uint8Array): { json: Uint8Array; bin: Uint8Array<ArrayBuffer> | null } {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength)
  const chunk = (at: number, type: number): Uint8Array<ArrayBuffer> | null => {
    if (at + 8 > bytes.length || view.getUint32(at + 4, true) !== type) return null
    const length = view.getUint32(at, true)
    if (at + 8 + length > bytes.length) throw new GeometryError('TRUNCATED', 'This GLB file breaks off before its end.')
    return bytes.slice(at + 8, at + 8 + length)
  }
  const json = chunk(12, JSON_CHUNK)
  if (!json || view.getUint32(4, true) !== 2)
    throw new GeometryError('FORMAT', 'This is no glTF 2.0 file that can be read: its structure is broken.')
  return { json, bin: chunk(20 + json.length, BIN_CHUNK) }
}

function inlined(buffers: readonly { uri?: string }[]): Record<string, Uint8Array<ArrayBuffer>> {
  const out: Record<string, Uint8Array<ArrayBuffer>> = {}
  for (const { uri } of buffers) {
    const data = uri === undefined ? null : dataOf(uri)
    if (uri !== undefined && data) out[uri] = data
  }
  return out
}

function addPrimitive(
  builder: ShapeBuilder,
  primitive: Primitive,
  m: readonly number[],
  { keepColours, mostPoints, look }: { keepColours: boolean; mostPoints: number; look: Look },
): void {
  const position = primitive.getAttribute('POSITION')
  if (!position) return
  const mode = primitive.getMode()
  if (mode !== POINTS && mode !== TRIANGLES)
    throw new GeometryError('FORMAT', 'This glTF draws lines or strips; only points and triangles can be taken.')
  const normal = primitive.getAttribute('NORMAL')
  const colour = keepColours ? primitive.getAttribute('COLOR_0') : null
  const base = builder.pointCount
  // Nodes may show one mesh many times without any bytes for it.
  if (base + position.getCount() > mostPoints)
    throw new GeometryError('RANGE', 'This glTF repeats its parts more often than can be; it is not opened.')
  const p: number[] = [],
    c: number[] = []
  for (let i = 0; i < position.getCount(); i++) {
    position.getElement(i, p)
    const [x, y, z] = place(m, p, 1)
    builder.point(x * MM, -z * MM, y * MM, () => `point ${i + 1}`)
    if (normal) {
      normal.getElement(i, p)
      const [nx, ny, nz] = place(m, p, 0)
      builder.normal(nx, -nz, ny)
    }
    if (colour) {
      // Linear light by rule (glTF 2.0, 3.7.2.1); screens and scans want sRGB.
      colour.getElement(i, c)
      builder.colour(toSrgb(c[0]), toSrgb(c[1]), toSrgb(c[2]))
    }
  }
  if (mode === POINTS) return
  const indices = primitive.getIndices()
  const n = indices ? indices.getCount() : position.getCount()
  const at = (i: number): number => {
    const v = indices ? indices.getScalar(i) : i
    if (v >= position.getCount())
      throw new GeometryError('RANGE', `A triangle names point ${v}, but there are only ${position.getCount()}.`)
    return base + v
  }
  const texcoord = look.picture > 0 ? primitive.getAttribute(`TEXCOORD_${look.texCoord}`) : null
  builder.picture = texcoord ? look.picture : 0
  const places = texcoord && new Float32Array(texcoord.getCount() * 2)
  if (texcoord && places)
    for (let i = 0; i < texcoord.getCount(); i++) {
      texcoord.getElement(i, p)
      places[i * 2] = look.uv[0] * p[0] + look.uv[1] * p[1] + look.uv[2]
      places[i * 2 + 1] = look.uv[3] * p[0] + look.uv[4] * p[1] + look.uv[5]
    }
  const turned = isMirrored(m)
  for (let i = 0; i + 2 < n; i += 3) {
    const corners = [at(i), at(i + (turned ? 2 : 1)), at(i + (turned ? 1 : 2))] as const
    builder.triangle(...corners, places ? corners.flatMap((v) => placeIn(places, v - base)) : undefined)
  }
}

const placeIn = (places: Float32Array, v: number): [number, number] => {
  const u = places[v * 2],
    w = places[v * 2 + 1]
  return Number.isFinite(u) && Number.isFinite(w) ? [u, w] : [0, 0]
}

/** A transform that mirrors turns faces inside out (glTF 2.0, 3.7.4). */
const isMirrored = (m: readonly number[]): boolean =>
  m[0] * (m[5] * m[10] - m[6] * m[9]) - m[4] * (m[1] * m[10] - m[2] * m[9]) + m[8] * (m[1] * m[6] - m[2] * m[5]) < 0

/** Column-major; w is 1 for points and 0 for directions. */
function place(m: readonly number[], v: readonly number[], w: 0 | 1): [number, number, number] {
  return [0, 1, 2].map((r) => m[r] * v[0] + m[4 + r] * v[1] + m[8 + r] * v[2] + m[12 + r] * w) as [
    number,
    number,
    number,
  ]
}

/** Linear 0–1 to sRGB bytes (IEC 61966-2-1). */
function toSrgb(v: number): number {
  const s = v <= 0.0031308 ? 12.92 * v : 1.055 * v ** (1 / 2.4) - 0.055
  return Math.round(255 * Math.min(1, Math.max(0, s)))
}
