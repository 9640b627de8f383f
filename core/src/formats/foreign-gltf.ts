import { GLB_BUFFER, WebIO, type Document, type Node, type Primitive } from '@gltf-transform/core'
import { EXTMeshoptCompression, KHRDracoMeshCompression, KHRMeshQuantization } from '@gltf-transform/extensions'
import { GeometryError } from '../errors'
import type { Shape } from '../shapes'
import { nestsDeeper } from './json-depth'
import { ShapeBuilder } from './builder'

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
export async function readForeignGltf(bytes: Uint8Array, binary: boolean): Promise<Shape> {
  const document = await parse(bytes, binary)
  const builder = new ShapeBuilder()
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
      addPrimitive(builder, primitive, m, keepColours, mostPoints)
    for (const child of node.listChildren()) add(child)
  }
  nodes.forEach(add)
  return builder.finish()
}

interface ForeignJson {
  extensionsUsed?: unknown
  bufferViews?: { extensions?: Record<string, { count?: unknown; byteStride?: unknown } | undefined> }[]
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

async function parse(bytes: Uint8Array, binary: boolean): Promise<Document> {
  try {
    const io = new WebIO().registerExtensions([EXTMeshoptCompression, KHRDracoMeshCompression, KHRMeshQuantization])
    const glb = binary ? splitGlb(bytes) : null
    const text = new TextDecoder().decode(glb?.json ?? bytes)
    if (nestsDeeper(text, DEEPEST_JSON))
      throw new GeometryError('FORMAT', 'This glTF nests deeper than any scene does; it is not opened.')
    const json = JSON.parse(text) as ForeignJson
    assertHolds(json, bytes.length)
    await withDecoders(io, json)
    const outside = json.buffers?.find((b) => b.uri !== undefined && !b.uri.startsWith('data:'))
    if (outside)
      throw new GeometryError(
        'FORMAT',
        `This glTF keeps its points in another file, "${outside.uri}". Save it as one file: GLB.`,
      )
    // Pictures are not wanted here, and may lie in other files.
    return await io.readJSON({
      json: { ...json, images: [], textures: [], materials: [] } as never,
      resources: { ...inlined(json.buffers ?? []), ...(glb?.bin && { [GLB_BUFFER]: glb.bin }) },
    })
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
    const data = uri?.match(/^data:[^,]*;base64,(.*)$/)?.[1]
    if (uri !== undefined && data !== undefined) out[uri] = Uint8Array.from(atob(data), (c) => c.charCodeAt(0))
  }
  return out
}

function addPrimitive(
  builder: ShapeBuilder,
  primitive: Primitive,
  m: readonly number[],
  keepColours: boolean,
  mostPoints: number,
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
  for (let i = 0; i + 2 < n; i += 3) builder.triangle(at(i), at(i + 1), at(i + 2))
}

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
