import { SaxesParser, type SaxesAttributePlain } from 'saxes'
import { GeometryError, isGeometryError } from '../errors'
import type { Shape } from '../shapes'
import { assertFewPictures, foundPicture, type FoundPicture } from './beside'
import { ShapeBuilder, type Told } from './builder'
import { listZip, readZipEntry } from './zip'

/*
 * 3MF, core specification 1.3: the meshes of the build in their places, in millimetres, Z up; of the materials
 * extension (1.2.1) the pictures on triangles (texture2dgroup). Other colours and extensions are passed over.
 */

const UNIT_MM: Readonly<Record<string, number>> = {
  micron: 0.001,
  millimeter: 1,
  centimeter: 10,
  inch: 25.4,
  foot: 304.8,
  meter: 1000,
}
const DEEPEST = 32
const MAX_PARTS = 100_000
const MAX_COPIES = 64
const MIN_POINTS = 100_000
const IDENTITY = [1, 0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0] as const

interface Part {
  readonly id: string
  readonly transform: readonly number[]
}
interface Model {
  unit: number
  readonly objects: Map<string, Mesh>
  readonly build: Part[]
  /** Textures by id: the path of each picture in the archive. */
  readonly textures: Map<string, string>
  /** Groups of places by id: their texture, and two numbers a place, v up from the lower edge. */
  readonly groups: Map<string, { texture: string; uvs: number[] }>
}
interface Mesh {
  readonly points: number[]
  readonly triangles: number[]
  readonly parts: Part[]
  /** What stands on triangles: the group's id and its places for the corners; sparse. */
  readonly looks: Map<number, { group: string; at: readonly [number, number, number] }>
}

/** @throws FORMAT without a model, RANGE for archives that would unpack to too much */
export async function readThreeMf(bytes: Uint8Array, told?: Told): Promise<Shape> {
  const entries = await listZip(bytes)
  const model =
    entries.find((e) => /^\/?3D\/[^/]*\.model$/i.test(e.path)) ??
    entries.find((e) => e.name.toLowerCase().endsWith('.model'))
  if (!model) throw new GeometryError('FORMAT', 'There is no model in this 3MF file.')
  const parsed = parseModel(await readZipEntry(bytes, model.path))
  const builder = new ShapeBuilder(told)
  const paths = [...new Set(parsed.textures.values())]
  assertFewPictures(paths.length)
  const found: FoundPicture[] = []
  for (const path of paths) {
    const entry = entries.find((e) => e.path.replace(/^\//, '') === path.replace(/^\//, ''))
    found.push(foundPicture(path, entry ? await readZipEntry(bytes, entry.path) : null))
  }
  builder.pictures = found
  const pictureOf = (texture: string): number => paths.indexOf(parsed.textures.get(texture) ?? '') + 1
  const wanted =
    parsed.build.length > 0 ? parsed.build : [...parsed.objects.keys()].map((id) => ({ id, transform: IDENTITY }))
  const budget = { parts: MAX_PARTS, points: copiesOf(parsed) }
  for (const part of wanted) place(builder, parsed, part, IDENTITY, 0, budget, pictureOf)
  return builder.finish()
}

/** How many parts, and how many points, may still be placed: parts within parts multiply without any bytes for it. */
interface Budget {
  parts: number
  points: number
}

/** Copies are allowed, but no more of them than a real plate of parts holds. */
function copiesOf({ objects }: Model): number {
  let stored = 0
  for (const { points } of objects.values()) stored += points.length / 3
  return Math.max(MIN_POINTS, stored * MAX_COPIES)
}

function place(
  builder: ShapeBuilder,
  model: Model,
  part: Part,
  outer: readonly number[],
  depth: number,
  budget: Budget,
  pictureOf: (texture: string) => number,
): void {
  const object = model.objects.get(part.id)
  if (!object) throw new GeometryError('FORMAT', `The 3MF file builds object ${part.id}, which it does not hold.`)
  if (depth > DEEPEST) throw new GeometryError('FORMAT', 'The 3MF file nests its parts without end.')
  budget.points -= object.points.length / 3
  if (--budget.parts < 0 || budget.points < 0)
    throw new GeometryError('RANGE', 'The 3MF file repeats its parts more often than can be; it is not opened.')
  const m = times(part.transform, outer)
  const base = builder.pointCount
  const { points, triangles } = object
  for (let i = 0; i < points.length; i += 3) {
    const [x, y, z] = [points[i], points[i + 1], points[i + 2]]
    const at = (c: number): number => model.unit * (m[c] * x + m[3 + c] * y + m[6 + c] * z + m[9 + c])
    builder.point(at(0), at(1), at(2), () => `point ${i / 3 + 1} of object ${part.id}`)
  }
  const n = points.length / 3
  // A mirroring transform turns faces inside out.
  const mirrored =
    m[0] * (m[4] * m[8] - m[5] * m[7]) - m[1] * (m[3] * m[8] - m[5] * m[6]) + m[2] * (m[3] * m[7] - m[4] * m[6]) < 0
  for (let i = 0; i < triangles.length; i += 3) {
    for (let c = 0; c < 3; c++)
      if (triangles[i + c] >= n)
        throw new GeometryError(
          'RANGE',
          `Triangle ${i / 3 + 1} of object ${part.id} names point ${triangles[i + c]}, but it has only ${n}.`,
        )
    const order = mirrored ? [0, 2, 1] : [0, 1, 2]
    const look = object.looks.get(i / 3)
    const group = look && model.groups.get(look.group)
    builder.picture = group ? pictureOf(group.texture) : 0
    const [a, b, c] = order.map((k) => base + triangles[i + k])
    builder.triangle(a, b, c, group && look && order.flatMap((k) => placeIn(group.uvs, look.at[k])))
  }
  for (const child of object.parts) place(builder, model, child, m, depth + 1, budget, pictureOf)
}

/** Up from the lower edge in the file, down from the upper one in a shape. */
const placeIn = (uvs: readonly number[], at: number): [number, number] =>
  at * 2 + 1 < uvs.length ? [uvs[at * 2], 1 - uvs[at * 2 + 1]] : [0, 0]

/** Row vectors: first a, then b. */
function times(a: readonly number[], b: readonly number[]): number[] {
  const out: number[] = []
  for (let r = 0; r < 4; r++)
    for (let c = 0; c < 3; c++)
      out.push((r === 3 ? b[9 + c] : 0) + [0, 1, 2].reduce((s, k) => s + a[r * 3 + k] * b[k * 3 + c], 0))
  return out
}

function parseModel(bytes: Uint8Array): Model {
  const model: Model = { unit: 1, objects: new Map(), build: [], textures: new Map(), groups: new Map() }
  let current: Mesh | null = null
  let group: number[] | null = null
  /** What triangles of the object have that say nothing of their own. */
  let usual: { group: string; at: number } | null = null
  const parser = new SaxesParser()
  const local = (name: string): string => name.split(':').at(-1)!
  const number = (a: Record<string, SaxesAttributePlain | string>, key: string): number => {
    const v = Number(a[key])
    if (a[key] === undefined || !Number.isFinite(v))
      throw new GeometryError('NOT_FINITE', `Line ${parser.line}: “${key}” is not a number.`)
    return v
  }
  const index = (a: Record<string, SaxesAttributePlain | string>, key: string): number => {
    const v = number(a, key)
    if (!Number.isInteger(v) || v < 0)
      throw new GeometryError('RANGE', `Line ${parser.line}: “${key}” is no point number.`)
    return v
  }
  const transformOf = (text: unknown): readonly number[] => {
    if (typeof text !== 'string') return IDENTITY
    const m = text.trim().split(/\s+/).map(Number)
    if (m.length !== 12 || m.some((v) => !Number.isFinite(v)))
      throw new GeometryError('FORMAT', `Line ${parser.line}: a transform has twelve numbers.`)
    return m
  }
  parser.on('error', (error) => {
    throw new GeometryError('FORMAT', `The model inside the 3MF file is broken: ${error.message.slice(0, 80)}.`)
  })
  parser.on('opentag', ({ name, attributes: a }) => {
    switch (local(name)) {
      case 'model': {
        const unit = UNIT_MM[String(a.unit ?? 'millimeter')]
        if (unit === undefined)
          throw new GeometryError('FORMAT', `The 3MF unit “${String(a.unit).slice(0, 20)}” is not known.`)
        model.unit = unit
        break
      }
      case 'object':
        current = { points: [], triangles: [], parts: [], looks: new Map() }
        usual = a.pid === undefined ? null : { group: String(a.pid), at: Number(a.pindex ?? 0) }
        model.objects.set(String(a.id), current)
        break
      case 'vertex':
        current?.points.push(number(a, 'x'), number(a, 'y'), number(a, 'z'))
        break
      case 'triangle':
        if (!current) break
        if (a.p1 !== undefined || usual) {
          const first = Number(a.p1 ?? usual?.at)
          const of = String(a.pid ?? usual?.group)
          // Without its own, a corner has what the first has.
          const at = [first, Number(a.p2 ?? first), Number(a.p3 ?? first)] as const
          if (model.groups.has(of) && at.every((p) => Number.isInteger(p) && p >= 0))
            current.looks.set(current.triangles.length / 3, { group: of, at })
        }
        current.triangles.push(index(a, 'v1'), index(a, 'v2'), index(a, 'v3'))
        break
      case 'texture2d':
        model.textures.set(String(a.id), String(a.path))
        break
      case 'texture2dgroup':
        group = []
        model.groups.set(String(a.id), { texture: String(a.texid), uvs: group })
        break
      case 'tex2coord':
        group?.push(number(a, 'u'), number(a, 'v'))
        break
      case 'component':
        current?.parts.push({ id: String(a.objectid), transform: transformOf(a.transform) })
        break
      case 'item':
        model.build.push({ id: String(a.objectid), transform: transformOf(a.transform) })
        break
    }
  })
  try {
    // In parts, so that the text is never held twice.
    const decoder = new TextDecoder()
    for (let at = 0; at < bytes.length; at += 1 << 20)
      parser.write(decoder.decode(bytes.subarray(at, at + (1 << 20)), { stream: true }))
    parser.write(decoder.decode())
    parser.close()
  } catch (error) {
    if (isGeometryError(error)) throw error
    throw new GeometryError('FORMAT', 'The model inside the 3MF file is broken.')
  }
  return model
}
