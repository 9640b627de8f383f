/**
 * How near the colours of a skin come to the bench's own, and how long they take:
 * npx tsx benchmarks/colour.ts [piece] [poses] [photos a turn] [pixels wide] [sheet] [mm] [cameras off by px]
 */
import sharp from 'sharp'
import { decodeWith, DEMO_PIECES, polygonise, quietContext } from '@holosoma/core'
import { bakePhotos, ciede2000, labOfLight, LIGHT_OF, toLight, type PhotoSource } from '@holosoma/core/colour'
import { compose, rotationMotion, seededRandom } from '@holosoma/core/linear'
import { NO_EFFECTS } from '@holosoma/core/bench'
import type { PoseName } from '@holosoma/core/plan'
import { photoSet } from '@holosoma/core/testing/photo-set'
import { FaceTexels } from '../core/src/colour/face-texels'
import { emptySample } from '../core/src/bench/pieces/piece'

const [name = 'gull', poses = 'upright,left,inverted', perTurn = '48', width = '640', sheetPx = '2048', mm = '1.5'] =
  process.argv.slice(2)
const offPx = Number(process.argv[8] ?? 0)
const piece = DEMO_PIECES[name]
const mesh = polygonise(piece.field, piece.bounds, Number(mm), quietContext())
const random = seededRandom(5)
const photos: PhotoSource[] = []
const effects = { ...NO_EFFECTS, drift: true }
for (const { name: file, photo, camera } of photoSet(
  piece,
  poses.split(',') as PoseName[],
  +perTurn,
  +width,
  7,
  effects,
)) {
  const bytes = await sharp(photo.rgb, { raw: { width: photo.width, height: photo.height, channels: 3 } })
    .jpeg({ quality: 92 })
    .toBuffer()
  // A turn of the camera that moves its picture by so many pixels, whichever way.
  const way = 2 * Math.PI * random.next()
  const turn = rotationMotion([Math.cos(way), Math.sin(way), 0], offPx / camera.focalPx)
  photos.push({
    name: file,
    camera: { ...camera, motion: compose(turn, camera.motion) },
    read: () => Promise.resolve({ mime: 'image/jpeg', bytes }),
  })
}
const begun = process.cpuUsage()
const baked = await bakePhotos(
  mesh,
  photos,
  { sheetPx: Number(sheetPx) },
  { ...quietContext(), decodePicture: decodeWith(sharp) },
)
const { user, system } = process.cpuUsage(begun)
const { mesh: laid, sheet, told, unwrapped, levelled } = baked
console.log(
  `${name}, ${photos.length} photos of ${width} px, ${laid.indices.length / 3} faces, sheet ${unwrapped.sheetPx}: ` +
    `${((user + system) / 1e6).toFixed(1)} s of processor; seen ${(100 * baked.seenShare).toFixed(2)} %, ` +
    `photos differ by ${(100 * levelled.spread).toFixed(1)} %`,
)

const texels = new FaceTexels(laid.uvs!, unwrapped.sheetPx)
const sample = emptySample()
const { positions: p, indices: t } = laid
const step = Math.max(1, Math.floor(told.length / 60_000))
const places: { light: number[]; truth: number[]; seen: boolean; border: boolean }[] = []
for (let f = 0; f < told.length; f += step) {
  texels.fill(f)
  if (texels.count === 0) continue
  const i = texels.count >> 1
  const [b, c] = [texels.second[i], texels.third[i]]
  const [x, y, z] = [0, 1, 2].map(
    (k) => (1 - b - c) * p[t[f * 3] * 3 + k] + b * p[t[f * 3 + 1] * 3 + k] + c * p[t[f * 3 + 2] * 3 + k],
  )
  const zoneAt = (dx: number, dy: number, dz: number): number => {
    piece.surface(x + dx, y + dy, z + dz, sample)
    return sample.zone
  }
  const zone = zoneAt(0, 0, 0)
  const truth = [sample.red, sample.green, sample.blue].map((v) => toLight(v / 255))
  // Within a millimetre of another colour, whichever way.
  const border = [-1, 1].some((d) => [zoneAt(d, 0, 0), zoneAt(0, d, 0), zoneAt(0, 0, d)].some((o) => o !== zone))
  const light = [0, 1, 2].map((k) => LIGHT_OF[sheet[texels.at[i] * 3 + k]])
  places.push({ light, truth, seen: told[f] === 1, border })
}
const factor = [0, 1, 2].map((k) => {
  const ratios = places.filter((q) => q.seen).map((q) => (q.truth[k] + 0.002) / (q.light[k] + 0.002))
  return ratios.sort((a, b) => a - b)[ratios.length >> 1]
})
const [one, other] = [new Float64Array(3), new Float64Array(3)]
const told2000 = (label: string, of: typeof places): void => {
  const off = of
    .map(({ light, truth }) => {
      labOfLight(light[0] * factor[0], light[1] * factor[1], light[2] * factor[2], one)
      labOfLight(truth[0], truth[1], truth[2], other)
      return ciede2000(one, other)
    })
    .sort((a, b) => a - b)
  const at = (share: number): string => (off[Math.floor(share * (off.length - 1))] ?? NaN).toFixed(2)
  console.log(`  ${label}: ${off.length} places, ΔE2000 median ${at(0.5)}, 95 of 100 ${at(0.95)}`)
}
told2000(
  'seen',
  places.filter((q) => q.seen),
)
told2000(
  'seen, within 1 mm of a border of colour',
  places.filter((q) => q.seen && q.border),
)
told2000(
  'invented',
  places.filter((q) => !q.seen),
)
