import type { PictureEncoder } from '../pictures'

/** As much of the picture library as is used: hosts on Node hand it in, so that the core needs none. */
export interface PictureWriter {
  (
    bytes: Uint8Array,
    options: { raw: { width: number; height: number; channels: 3 }; limitInputPixels: false },
  ): Encoding
}
interface Encoding {
  withIccProfile(name: 'srgb'): Encoding
  png(options: { compressionLevel: number }): Encoding
  jpeg(options: { quality: number; chromaSubsampling: '4:4:4' }): Encoding
  toBuffer(): Promise<Uint8Array>
}

/** Up to this side a picture loses nothing; a larger one would take hundreds of megabytes. */
const WHOLE_SIDE = 4096
const QUALITY = 95

/** An encoder of pictures made of the library of the host (libvips); what it writes is tagged as sRGB. */
export const encodeWith =
  (library: PictureWriter): PictureEncoder =>
  async ({ width, height, rgb }) => {
    const raw = library(rgb, { raw: { width, height, channels: 3 }, limitInputPixels: false }).withIccProfile('srgb')
    return Math.max(width, height) <= WHOLE_SIDE
      ? { mime: 'image/png', bytes: await raw.png({ compressionLevel: 6 }).toBuffer() }
      : { mime: 'image/jpeg', bytes: await raw.jpeg({ quality: QUALITY, chromaSubsampling: '4:4:4' }).toBuffer() }
  }
