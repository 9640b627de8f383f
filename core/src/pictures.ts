import { NO_COLOUR, type Picture, type TriangleMesh } from './shapes'

/** A picture in the clear: rows from the top, three sRGB bytes a texel. */
export interface Pixels {
  readonly width: number
  readonly height: number
  readonly rgb: Uint8Array
}

/**
 * Decodes a picture; hosts bring the decoder of where they run.
 * @param mostTexels a larger picture is made smaller, evenly
 * @param upright turned as its camera was held, for photos; pictures of a mesh lie as they are written
 * @throws FORMAT, RANGE, TRUNCATED for pictures that cannot be read
 */
export type PictureDecoder = (picture: Picture, mostTexels: number, upright?: boolean) => Promise<Pixels>

/** Encodes a picture without losing anything that is seen; hosts bring the encoder of where they run. */
export type PictureEncoder = (pixels: Pixels) => Promise<Picture>

/** Texels of all pictures of a mesh together that are held at once. */
const MOST_TEXELS = 32e6

const PNG = [0x89, 0x50, 0x4e, 0x47]
const JPEG = [0xff, 0xd8, 0xff]

/** What an image says it is by its first bytes; null for kinds that are not kept. */
export function pictureOf(bytes: Uint8Array): Picture | null {
  const begins = (mark: readonly number[]): boolean => mark.every((b, i) => bytes[i] === b)
  if (begins(PNG)) return { mime: 'image/png', bytes }
  if (begins(JPEG)) return { mime: 'image/jpeg', bytes }
  return null
}

/** All pictures of a mesh, decoded one after the other. */
export async function decodePictures(pictures: readonly Picture[], decode: PictureDecoder): Promise<Pixels[]> {
  const share = Math.floor(MOST_TEXELS / Math.max(1, pictures.length))
  const out: Pixels[] = []
  for (const picture of pictures) out.push(await decode(picture, share))
  return out
}

/**
 * The colour of a place in a picture, mixed of the four texels round it; beyond its edges the picture repeats (glTF 2.0,
 * 3.8.4: a texel's colour stands in its middle).
 * @param out gets three bytes from `at` on
 */
export function texelAt({ width, height, rgb }: Pixels, u: number, v: number, out: Uint8Array, at: number): void {
  const x = (u - Math.floor(u)) * width - 0.5,
    y = (v - Math.floor(v)) * height - 0.5
  const x0 = Math.floor(x),
    y0 = Math.floor(y)
  const fx = x - x0,
    fy = y - y0
  const left = (x0 + width) % width,
    right = (x0 + 1) % width
  const upper = ((y0 + height) % height) * width,
    lower = ((y0 + 1) % height) * width
  for (let c = 0; c < 3; c++) {
    const above = rgb[(upper + left) * 3 + c] * (1 - fx) + rgb[(upper + right) * 3 + c] * fx
    const below = rgb[(lower + left) * 3 + c] * (1 - fx) + rgb[(lower + right) * 3 + c] * fx
    out[at + c] = Math.round(above * (1 - fy) + below * fy)
  }
}

/**
 * The colour of each point of a textured mesh: the mean of what its corners have in their pictures.
 * @param pixels one for each of the mesh's pictures
 * @returns n×3 sRGB bytes, grey where no picture is; null for a mesh without pictures
 */
export function pointColours(mesh: TriangleMesh, pixels: readonly Pixels[]): Uint8Array | null {
  const { indices, uvs, picture } = mesh
  if (!uvs || !picture || pixels.length === 0) return null
  const n = mesh.positions.length / 3
  const sums = new Float32Array(n * 3)
  const counts = new Uint16Array(n)
  const texel = new Uint8Array(3)
  for (let i = 0; i < indices.length; i++) {
    const p = picture[(i / 3) | 0]
    if (p === 0 || counts[indices[i]] === 65535) continue
    texelAt(pixels[p - 1], uvs[i * 2], uvs[i * 2 + 1], texel, 0)
    for (let c = 0; c < 3; c++) sums[indices[i] * 3 + c] += texel[c]
    counts[indices[i]]++
  }
  const out = new Uint8Array(n * 3).fill(NO_COLOUR)
  for (let i = 0; i < n * 3; i++) {
    const k = counts[(i / 3) | 0]
    if (k > 0) out[i] = Math.round(sums[i] / k)
  }
  return out
}
