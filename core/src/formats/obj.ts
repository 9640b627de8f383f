import { GeometryError } from '../errors'
import type { Shape } from '../shapes'
import { NO_PICTURE, type Beside } from './beside'
import { ByteReader, GrowingFloat32, type ByteSource } from './byte-reader'
import { ShapeBuilder, type Told } from './builder'
import { MAX_LIBRARIES, picturesOfMaterials } from './materials'

/**
 * Wavefront OBJ: v (with optional colours), f (polygons, negative numbers, v/vt/vn forms), vt with the pictures of its
 * materials; vn belong to corners, not points, and are left out; groups and the rest are passed over. Source:
 * Wavefront, Advanced Visualizer manual, appendix B1; of materials, the colour picture alone (map_Kd).
 */
export async function readObj(source: ByteSource, told?: Told, beside: Beside = {}): Promise<Shape> {
  const reader = new ByteReader(source)
  const builder = new ShapeBuilder(told)
  builder.unitColours = true
  const places = new GrowingFloat32()
  const libraries = new Set<string>()
  /** Materials in the order in which faces name them: their place is the face's picture. */
  const materials = new Map<string, number>()
  let carry = ''
  try {
    for (let batch = await reader.readLines(); batch; batch = await reader.readLines()) {
      for (let i = 0; i < batch.lines.length; i++) {
        let line = carry + batch.lines[i].trim()
        carry = ''
        if (line.endsWith('\\')) {
          carry = `${line.slice(0, -1)} `
          continue
        }
        const comment = line.indexOf('#')
        if (comment >= 0) line = line.slice(0, comment)
        const place = batch.first + i
        const where = (): string => `line ${place}`
        if (line.startsWith('v ') || line.startsWith('v\t')) {
          const words = line.split(/\s+/)
          if (words.length < 4) throw new GeometryError('FORMAT', `Line ${place} is a point without three numbers.`)
          builder.point(numberIn(words[1], where), numberIn(words[2], where), numberIn(words[3], where), where)
          if (words.length >= 7) builder.colour(Number(words[4]), Number(words[5]), Number(words[6]))
        } else if (line.startsWith('f ') || line.startsWith('f\t')) {
          const words = line.trim().split(/\s+/).slice(1)
          const corners = words.map((word) => {
            const v = Number(word.split('/', 1)[0])
            const index = v < 0 ? builder.pointCount + v : v - 1
            if (!Number.isInteger(v) || v === 0 || index < 0)
              throw new GeometryError('RANGE', `Line ${place} names point "${word.slice(0, 20)}", which cannot be.`)
            return index
          })
          builder.polygon(corners, where, builder.picture > 0 ? placesOf(words, places) : undefined)
        } else if (/^vt\s/.test(line)) {
          const words = line.split(/\s+/)
          // Up from the lower edge here, down from the upper one in a shape.
          places.push3(Number(words[1]), 1 - Number(words[2] ?? 0), 0)
        } else if (/^usemtl\s/.test(line)) {
          const name = line.slice(7).trim()
          if (!materials.has(name)) materials.set(name, materials.size + 1)
          builder.picture = materials.get(name)!
        } else if (/^mtllib\s/.test(line)) {
          if (libraries.size < MAX_LIBRARIES) libraries.add(line.slice(7).trim())
        } else if (/^[lp]\s/.test(line)) builder.leaveOut('lines and single points, which are no surface')
        else if (/^(curv2?|surf|cstype|bmat|deg)\s/.test(line))
          builder.leaveOut('statements about curves and free-form surfaces')
        else if (builder.pointCount === 0 && place > 200 && !/^(\s*|#.*|(o|g|s|vn|vp)\b.*)$/.test(line)) {
          throw new GeometryError('FORMAT', `Line ${place} is not part of an OBJ file.`)
        }
      }
    }
    if (materials.size >= 65535) throw new GeometryError('RANGE', 'This file has more materials than can be kept.')
    if (places.length > 0)
      builder.pictures = await picturesOfMaterials([...materials.keys()], libraries, beside, builder)
    else builder.pictures = [...materials].map(() => NO_PICTURE)
    return builder.finish()
  } finally {
    await reader.close()
  }
}

/** Where the corners of a face stand in its picture; undefined where not all of them do. */
function placesOf(words: readonly string[], places: GrowingFloat32): number[] | undefined {
  const out: number[] = []
  for (const word of words) {
    const t = Number(word.split('/')[1] || NaN)
    const at = (t < 0 ? places.length / 3 + t : t - 1) * 3
    const u = places.data[at],
      v = places.data[at + 1]
    if (!Number.isInteger(t) || at < 0 || at >= places.length || !Number.isFinite(u) || !Number.isFinite(v))
      return undefined
    out.push(u, v)
  }
  return out
}

/** A coordinate, or none where the file says so; another word is no number. */
function numberIn(word: string | undefined, where: () => string): number {
  const v = Number(word)
  if (Number.isNaN(v) && !/^[+-]?(nan|inf|infinity)$/i.test(word ?? ''))
    throw new GeometryError('FORMAT', `A point at ${where()} holds “${word ?? ''}” where a number belongs.`)
  return v
}
