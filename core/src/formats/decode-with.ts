import { GeometryError } from '../errors'
import type { PictureDecoder } from '../pictures'

/** As much of the picture library as is used: hosts on Node hand it in, so that the core needs none. */
export interface PictureLibrary {
  (
    bytes: Uint8Array,
    options: { limitInputPixels: number | false; failOn?: 'truncated'; sequentialRead?: boolean; autoOrient?: boolean },
  ): {
    metadata(): Promise<{ width?: number; height?: number; autoOrient?: { width: number; height: number } }>
    resize(width: number, height: number, options: { fit: 'fill' }): Decoding
  }
}
interface Decoding {
  removeAlpha(): Decoding
  toColourspace(name: 'srgb'): Decoding
  raw(): Decoding
  toBuffer(options: { resolveWithObject: true }): Promise<{ data: Uint8Array; info: { width: number; height: number } }>
}

/** Largest picture that is decoded: those of today's scanners have a quarter of it. */
const MAX_PIXELS = 120e6

/** A decoder of pictures made of the library of the host (libvips). */
export const decodeWith =
  (library: PictureLibrary): PictureDecoder =>
  async ({ bytes }, mostTexels, upright = false) => {
    const said = await library(bytes, { limitInputPixels: false })
      .metadata()
      .catch(() => {
        throw new GeometryError('FORMAT', 'One of its pictures cannot be read.')
      })
    const { width = 0, height = 0 } = upright && said.autoOrient ? said.autoOrient : said
    if (!(width * height > 0) || width * height > MAX_PIXELS)
      throw new GeometryError(
        'RANGE',
        `A picture has ${width} × ${height} texels; up to ${MAX_PIXELS / 1e6} million are read.`,
      )
    const shrink = Math.min(1, Math.sqrt(mostTexels / (width * height)))
    try {
      const { data, info } = await library(bytes, {
        limitInputPixels: MAX_PIXELS,
        failOn: 'truncated',
        // Turned, rows are wanted in another order than they come.
        sequentialRead: !upright,
        autoOrient: upright,
      })
        .resize(Math.max(1, Math.floor(width * shrink)), Math.max(1, Math.floor(height * shrink)), { fit: 'fill' })
        .removeAlpha()
        .toColourspace('srgb')
        .raw()
        .toBuffer({ resolveWithObject: true })
      return { width: info.width, height: info.height, rgb: data }
    } catch {
      throw new GeometryError('TRUNCATED', 'One of its pictures breaks off before its end.')
    }
  }
