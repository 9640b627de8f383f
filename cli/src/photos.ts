import { open } from 'node:fs/promises'
import { GeometryError, pictureOf, type Picture } from '@holosoma/core'

/** Larger photos are refused before they are read. */
const MAX_PHOTO_BYTES = 200 * 2 ** 20

/** @throws RANGE for what is too large, FORMAT for what is no JPEG and no PNG */
export async function readPhoto(path: string): Promise<Picture> {
  const file = await open(path)
  try {
    const { size } = await file.stat()
    if (size > MAX_PHOTO_BYTES) throw new GeometryError('RANGE', `"${path}" is larger than a photo is.`)
    const picture = pictureOf(await file.readFile())
    if (!picture) throw new GeometryError('FORMAT', `"${path}" is no photo that can be read; JPEG and PNG are.`)
    return picture
  } finally {
    await file.close()
  }
}
