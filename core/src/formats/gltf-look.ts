import { GeometryError } from '../errors'
import { assertFewPictures, foundPicture, NO_PICTURE, type Beside, type FoundPicture } from './beside'
import { dataOf, decodedName } from './gltf-names'
import { nameOf } from './names'

/*
 * What the faces of a glTF look like: the picture of each primitive's base colour (glTF 2.0, 3.9) and where in it they
 * stand, a transform of the texture among it (KHR_texture_transform).
 */

export interface PicturedJson {
  bufferViews?: { buffer?: number; byteOffset?: number; byteLength?: number; extensions?: object }[]
  images?: { uri?: unknown; bufferView?: unknown; mimeType?: unknown }[]
  textures?: { source?: unknown; extensions?: Record<string, { source?: unknown } | undefined> }[]
  materials?: { pbrMetallicRoughness?: { baseColorTexture?: TextureInfo } }[]
  meshes?: { primitives?: { material?: unknown }[] }[]
}

interface TextureInfo {
  index?: unknown
  texCoord?: unknown
  extensions?: { KHR_texture_transform?: { offset?: unknown; rotation?: unknown; scale?: unknown; texCoord?: unknown } }
}

/** How a primitive has its colour from a picture. */
export interface Look {
  /** One more than the image's place; 0 for none. */
  readonly picture: number
  readonly texCoord: number
  /** Two rows of three: what turns a place as written into one in the picture. */
  readonly uv: readonly number[]
}

const AS_WRITTEN = [1, 0, 0, 0, 1, 0]
export const PLAIN: Look = { picture: 0, texCoord: 0, uv: AS_WRITTEN }
/** Sets of places in pictures that a primitive may have. */
const MAX_SETS = 16

/** The look of each primitive of each mesh. */
export function looksOf({ meshes, materials, textures, images }: PicturedJson): Look[][] {
  const list = <T>(v: readonly T[] | undefined): readonly T[] => (Array.isArray(v) ? v : [])
  const looks = list(materials).map((material): Look => {
    const info = material?.pbrMetallicRoughness?.baseColorTexture
    const texture = info && list(textures)[Number(info.index)]
    if (!info || !texture) return PLAIN
    const image = Number(texture.source ?? Object.values(texture.extensions ?? {}).find((e) => e?.source)?.source)
    if (!Number.isInteger(image) || image < 0 || image >= list(images).length) return PLAIN
    const transform = info.extensions?.KHR_texture_transform
    const texCoord = Number(transform?.texCoord ?? info.texCoord ?? 0)
    if (!Number.isInteger(texCoord) || texCoord < 0 || texCoord >= MAX_SETS) return PLAIN
    return { picture: image + 1, texCoord, uv: transform ? transformOf(transform) : AS_WRITTEN }
  })
  return list(meshes).map((mesh) =>
    list(mesh?.primitives).map((p) => (p?.material === undefined ? PLAIN : (looks[Number(p.material)] ?? PLAIN))),
  )
}

/** Scaled, turned, shifted, in that order (KHR_texture_transform). */
function transformOf({ offset, rotation, scale }: { offset?: unknown; rotation?: unknown; scale?: unknown }): number[] {
  const pair = (v: unknown, usual: number): [number, number] =>
    Array.isArray(v) && v.length === 2 && v.every((x) => Number.isFinite(x))
      ? [Number(v[0]), Number(v[1])]
      : [usual, usual]
  const [ox, oy] = pair(offset, 0)
  const [sx, sy] = pair(scale, 1)
  const r = Number.isFinite(rotation) ? Number(rotation) : 0
  const [c, s] = [Math.cos(r), Math.sin(r)]
  return [c * sx, s * sy, ox, -s * sx, c * sy, oy]
}

/** The pictures, in the order of the images: those that are there and of a kind that is kept. */
export async function picturesOf(
  json: PicturedJson,
  buffers: readonly (Uint8Array | null)[],
  find: Beside['find'],
): Promise<FoundPicture[]> {
  const images = Array.isArray(json.images) ? json.images : []
  assertFewPictures(images.length)
  const out: FoundPicture[] = []
  for (const [i, image] of images.entries()) {
    if (typeof image?.uri === 'string') {
      const inside = dataOf(image.uri)
      const name = inside ? `picture ${i + 1}` : nameOf(decodedName(image.uri))
      out.push(foundPicture(name, inside ?? (find ? await find(name) : null)))
    } else
      out.push(
        image?.bufferView === undefined
          ? NO_PICTURE
          : foundPicture(`picture ${i + 1}`, inView(json, buffers, Number(image.bufferView))),
      )
  }
  return out
}

function inView({ bufferViews }: PicturedJson, buffers: readonly (Uint8Array | null)[], index: number): Uint8Array {
  const view = bufferViews?.[index]
  const buffer = buffers[Number(view?.buffer ?? 0)]
  const from = Number(view?.byteOffset ?? 0),
    length = Number(view?.byteLength)
  if (!view || !buffer || !(from >= 0) || !(length >= 0) || from + length > buffer.length)
    throw new GeometryError('TRUNCATED', 'A picture of this glTF reaches past the end of the file.')
  return buffer.slice(from, from + length)
}
