import { GeometryError, isGeometryError } from '../errors'
import type { Shape } from '../shapes'
import { assertSound } from '../sound-shape'
import { colouredByPictures, type Beside } from './beside'
import type { Told } from './builder'
import { bytesSource, type ByteSource } from './byte-reader'
import { isOwnGlb, readGlb } from './glb'
import { writeGlb } from './glb-writer'
import { EXTENSIONS, READ_EXTENSIONS, type ReadFormat } from './kinds'
import { readObj } from './obj'
import { readOff } from './off'
import { readPcd } from './pcd'
import { readPly } from './ply'
import { readStl } from './stl'
import { asUtf8 } from './text-source'
import { readXyz } from './xyz'

/** Kinds that are text and nothing else. */
const TEXTS: ReadonlySet<ReadFormat> = new Set(['obj', 'xyz', 'off'])

/**
 * Reads one scan file; the name's ending says which reader, and the reader checks that the content agrees.
 * @param told hears what was left out of the file, and how much
 * @param beside the files that came with it, and what decodes its pictures
 */
export async function readShape(
  source: ByteSource,
  fileName: string,
  told: Told = () => undefined,
  beside: Beside = {},
): Promise<Shape> {
  const shape = await readByKind(source, fileName, told, beside)
  return beside.decode ? colouredByPictures(shape, beside.decode, told) : shape
}

async function readByKind(source: ByteSource, fileName: string, told: Told, beside: Beside): Promise<Shape> {
  const ending = fileName.toLowerCase().split('.').at(-1) ?? ''
  const format = EXTENSIONS[ending]
  if (!format) {
    throw new GeometryError(
      'FORMAT',
      `"${fileName}" is of no kind that can be read. Known: ${READ_EXTENSIONS.join(', ')}.`,
    )
  }
  if (source.sizeBytes === 0) throw new GeometryError('EMPTY', `"${fileName}" is empty (0 bytes).`)
  const text = TEXTS.has(format) ? await asUtf8(source) : source
  switch (format) {
    case 'ply':
      return readPly(source, told)
    case 'stl':
      return readStl(source, told)
    case 'obj':
      return readObj(text, told, beside)
    case 'xyz':
      return readXyz(text, told)
    case 'off':
      return readOff(text, told)
    case 'pcd':
      return readPcd(source, told)
    case 'glb': {
      const all = await whole(source)
      return isOwnGlb(all) ? readOwn(all) : (await foreign()).readForeignGltf(all, true, told, beside)
    }
    case 'gltf':
      return (await foreign()).readForeignGltf(await whole(source), false, told, beside)
    case '3mf':
      return (await import('./threemf')).readThreeMf(await whole(source), told)
  }
}

/** Loaded when first wanted: these readers bring libraries with them that most runs never need. */
const foreign = (): Promise<typeof import('./foreign-gltf')> => import('./foreign-gltf')

/** A stored shape that comes back as a file may have been damaged on the way. */
function readOwn(bytes: Uint8Array): Shape {
  try {
    const shape = readGlb(bytes)
    assertSound(shape)
    return shape
  } catch (error) {
    if (isGeometryError(error)) throw error
    throw new GeometryError('FORMAT', 'This glTF file is damaged.')
  }
}

/** For containers whose index stands at their end, or which are read by offsets. */
async function whole(source: ByteSource): Promise<Uint8Array<ArrayBuffer>> {
  const parts: Uint8Array[] = []
  for await (const chunk of source.chunks) parts.push(chunk)
  const all = new Uint8Array(parts.reduce((n, p) => n + p.length, 0))
  parts.reduce((at, p) => (all.set(p, at), at + p.length), 0)
  return all
}

export { writeFilesIn, writeShape, writeShapeIn } from './write'
export type { NamedFile } from './obj-writer'
export { zipped } from './zip-writer'
export * from './kinds'
export { nestsDeeper } from './json-depth'
export { assembleFrames, readPoseList, type FramePoseLine } from './frames'
export * from './companions'
export * from './names'
export { MAX_PICTURES, type Beside } from './beside'
export { decodeWith, type PictureLibrary } from './decode-with'
export { encodeWith, type PictureWriter } from './encode-with'
export type { Told } from './builder'
export { bytesSource, type ByteSource, readGlb, writeGlb }
export * from './zip'
