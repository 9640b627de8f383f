import exifr from 'exifr'
import sharp, { type Sharp } from 'sharp'
import { GeometryError } from '@holosoma/core'
import type { PhotoCamera } from '../photos/photo-store'

/** What is known of a photo from its file. */
export interface PhotoFacts {
  readonly width: number
  readonly height: number
  readonly bytes: number
  readonly camera: PhotoCamera
}

/**
 * Largest photo taken: cameras of today stay under it, and decoded by rows it needs no more than a few of them at a
 * time.
 */
const MAX_PIXELS = 120e6
const MAX_BYTES = 200 * 2 ** 20
/** What a camera writes about a picture stands at its beginning and is short. */
const MAX_EXIF_BYTES = 256 * 1024

/**
 * Size and camera of a JPEG or PNG; the whole picture is decoded, row by row, so that a broken one is found now.
 * @throws FORMAT, RANGE or TRUNCATED, naming the file
 */
export async function readPhoto(bytes: Uint8Array, name: string): Promise<PhotoFacts> {
  if (bytes.length === 0) throw new GeometryError('EMPTY', `“${name}” is empty (0 bytes).`)
  if (bytes.length > MAX_BYTES)
    throw new GeometryError(
      'RANGE',
      `“${name}” has ${Math.round(bytes.length / 2 ** 20)} MB; photos of up to ${MAX_BYTES / 2 ** 20} MB are taken.`,
    )
  const picture = (): Sharp =>
    sharp(bytes, { failOn: 'truncated', sequentialRead: true, limitInputPixels: MAX_PIXELS, unlimited: false })
  // As the camera was held, which it writes beside the picture.
  const {
    format,
    autoOrient: { width, height },
    exif,
  } = await sharp(bytes, { limitInputPixels: false })
    .metadata()
    .catch(() => {
      throw new GeometryError('FORMAT', `“${name}” is no photo that can be read; JPEG and PNG are.`)
    })
  if (format !== 'jpeg' && format !== 'png')
    throw new GeometryError('FORMAT', `“${name}” is a picture of another kind (${format}); save it as JPEG or PNG.`)
  if (width * height > MAX_PIXELS)
    throw new GeometryError(
      'RANGE',
      `“${name}” has ${width} × ${height} pixels; photos of up to ${MAX_PIXELS / 1e6} million are taken.`,
    )
  try {
    // A few pixels of the result, all rows of the file.
    await picture().resize(16, 16, { fit: 'fill', fastShrinkOnLoad: true }).raw().toBuffer()
  } catch {
    throw new GeometryError('TRUNCATED', `“${name}” breaks off before its end; nothing of it was kept.`)
  }
  return { width, height, bytes: bytes.length, camera: await cameraOf(exif) }
}

const TAGS = ['Model', 'FocalLength', 'FocalLengthIn35mmFormat', 'FNumber', 'ExposureTime', 'DateTimeOriginal']

/**
 * Of the block a camera wrote, taken out of the file by the picture library; what lies elsewhere in the file is never
 * followed.
 */
async function cameraOf(exif: Buffer | undefined): Promise<PhotoCamera> {
  const block = exif && exif.length <= MAX_EXIF_BYTES ? exif : undefined
  // The reader wants the block without its own mark.
  const tiff = block?.subarray(block.toString('latin1', 0, 4) === 'Exif' ? 6 : 0)
  const said = tiff && ((await exifr.parse(tiff, TAGS).catch(() => undefined)) as Record<string, unknown> | undefined)
  const number = (v: unknown): number | null => (typeof v === 'number' && Number.isFinite(v) && v > 0 ? v : null)
  return {
    model:
      typeof said?.Model === 'string'
        ? said.Model.replace(/\p{Cc}/gu, ' ')
            .trim()
            .slice(0, 80)
        : null,
    focalMm: number(said?.FocalLength),
    focal35Mm: number(said?.FocalLengthIn35mmFormat),
    fNumber: number(said?.FNumber),
    exposureSeconds: number(said?.ExposureTime),
    takenAt:
      said?.DateTimeOriginal instanceof Date && Number.isFinite(said.DateTimeOriginal.getTime())
        ? said.DateTimeOriginal.toISOString()
        : null,
    pose: null,
  }
}
