import { GeometryError } from '../errors'
import { decodePictures, pictureOf, pointColours, type PictureDecoder } from '../pictures'
import type { Picture, Shape } from '../shapes'
import type { Told } from './builder'
import { nameOf } from './names'

/** What a host lends to a reader. */
export interface Beside {
  /** A file that came with the one that is read, by its name without folders; null where none came. */
  readonly find?: (name: string) => Promise<Uint8Array<ArrayBuffer> | null>
  readonly decode?: PictureDecoder
}

/** A picture a file names; null where it did not come, or is of no kind that is kept. */
export interface FoundPicture {
  readonly name: string
  readonly picture: Picture | null
}

/** A material without any. */
export const NO_PICTURE: FoundPicture = { name: '', picture: null }

/** Pictures and other companions of one file: more of them are no model of a piece. */
export const MAX_PICTURES = 256

/** A file's bytes as the picture it is. */
export const foundPicture = (name: string, bytes: Uint8Array | null): FoundPicture => ({
  name: nameOf(name).slice(0, 60),
  picture: bytes && pictureOf(bytes),
})

/** @throws RANGE */
export function assertFewPictures(count: number): void {
  if (count > MAX_PICTURES)
    throw new GeometryError('RANGE', `This file names ${count} pictures; ${MAX_PICTURES} are the most that are read.`)
}

/**
 * A textured mesh with a colour for each of its points, so that colour is there wherever points are looked at. Pictures
 * that cannot be decoded are left out, and told.
 */
export async function colouredByPictures(shape: Shape, decode: PictureDecoder, told: Told): Promise<Shape> {
  if (shape.kind !== 'mesh' || !shape.pictures || shape.colours) return shape
  try {
    const colours = pointColours(shape, await decodePictures(shape.pictures, decode))
    return colours ? { ...shape, colours } : shape
  } catch (error) {
    if (!(error instanceof GeometryError)) throw error
    told(`pictures, since one of them is broken (${error.message.replace(/\.$/, '')})`, shape.pictures.length)
    const { pictures: _pictures, picture: _picture, uvs: _uvs, ...bare } = shape
    return bare
  }
}
