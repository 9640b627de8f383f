import Joi from 'joi'
import { bakePhotos } from '../colour/bake-photos'
import { cameraOf, cameraRecordsSchema, type CameraRecord } from '../colour/camera-record'
import { GeometryError } from '../errors'
import { grouped, mm, percent, type Finding } from '../findings'
import { EVIDENCE, type TriangleMesh } from '../shapes'
import { LARGEST_SHEET_PX } from '../unwrap'
import { WORKS_ON } from './inputs'
import { defineOperation } from './operation'

interface Params {
  /** One for each photo, in their order. */
  cameras: CameraRecord[]
  /** Texels an inch of surface; or the edge of the sheet. */
  dpi: number | null
  sheetPx: number | null
}

const INCH_MM = 25.4
/** As dense as copies are usually coloured (common practice: 70 to 150). */
const USUAL_DPI = 100
/** More of the surface than this without a photo is a doubt. */
const MUCH_UNSEEN = 0.02
/** A spread larger than this says that photos disagree: cameras that are off, another piece, another light. */
const APART = 0.12
/** Photos whose cameras all stand on one ring about one axis see a piece in one pose. */
const ONE_RING = 0.02

export const bakeColour = defineOperation({
  name: 'colour.bake',
  version: 1,
  inputs: { mesh: WORKS_ON.skin, photos: WORKS_ON.photos },
  params: Joi.object<Params>({
    cameras: cameraRecordsSchema.required(),
    dpi: Joi.number().min(5).max(2400).allow(null).default(null).label('texels an inch'),
    sheetPx: Joi.number().integer().min(64).max(LARGEST_SHEET_PX).allow(null).default(null).label('edge of the sheet'),
  }),
  onPiece: { track: 'mesh', doing: () => 'Colouring' },
  estimate: ({ mesh, photos }, { sheetPx }) => ({
    work: mesh.indices.length / 3e5 + photos.photos.length / 6 + ((sheetPx ?? 2048) / 2048) ** 2 * 3,
    bytes:
      mesh.indices.byteLength * 12 + photos.photos.length * (mesh.positions.length / 3) + 24 * (sheetPx ?? 2048) ** 2,
  }),
  async run({ mesh, photos }, { cameras, dpi, sheetPx }, context) {
    if (photos.photos.length !== cameras.length)
      throw new GeometryError('PARAMS', `There are ${photos.photos.length} photos and ${cameras.length} cameras.`)
    if (dpi !== null && sheetPx !== null)
      throw new GeometryError('PARAMS', 'Say how dense the texels are, or how large the sheet is, not both.')
    if (!context.encodePicture) throw new GeometryError('PARAMS', 'Pictures cannot be written here.')
    const sources = photos.photos.map((photo, i) => ({ ...photo, name: cameras[i].file, camera: cameraOf(cameras[i]) }))
    const size = sheetPx === null ? { texelMm: INCH_MM / (dpi ?? USUAL_DPI) } : { sheetPx }
    const baked = await bakePhotos(mesh, sources, size, context)
    const { unwrapped, levelled } = baked
    const side = unwrapped.sheetPx
    context.progress(0.97, 'Writing the picture')
    const picture = await context.encodePicture({ width: side, height: side, rgb: baked.sheet })
    const faces = baked.mesh.indices.length / 3
    const coloured: TriangleMesh = {
      ...baked.mesh,
      colourEvidence: evidenceOf(baked.mesh, baked.told),
      picture: new Uint16Array(faces).fill(1),
      pictures: [picture],
    }
    return {
      outputs: { mesh: coloured },
      figures: {
        faces,
        photos: cameras.length,
        usedPhotos: baked.usedPhotos,
        sheetPx: side,
        texelMm: unwrapped.texelMm,
        dpi: INCH_MM / unwrapped.texelMm,
        charts: unwrapped.charts,
        use: unwrapped.use,
        stretchP99: unwrapped.stretchP99,
        seen: baked.seenShare,
        invented: baked.inventedShare,
        spread: levelled.spread,
        pictureBytes: picture.bytes.length,
      },
      findings: findingsOf(baked.inventedShare, levelled.spread, cameras),
    }
  },
  describe: (_params, f) =>
    `Coloured from ${grouped(Number(f.usedPhotos))} photos: a picture of ${grouped(Number(f.sheetPx))} × ` +
    `${grouped(Number(f.sheetPx))} texels of ${mm(Number(f.texelMm), 2)}; ${percent(Number(f.seen))} of the surface seen`,
})

/** A point's colour was seen where a photo told one of its faces. */
function evidenceOf({ indices, positions }: TriangleMesh, told: Uint8Array): Uint8Array {
  const out = new Uint8Array(positions.length / 3).fill(EVIDENCE.invented)
  for (let f = 0; f < told.length; f++)
    if (told[f]) for (let c = 0; c < 3; c++) out[indices[f * 3 + c]] = EVIDENCE.measured
  return out
}

function findingsOf(unseen: number, spread: number, cameras: readonly CameraRecord[]): Finding[] {
  const findings: Finding[] = [
    unseen > MUCH_UNSEEN
      ? {
          id: 'colour.unseen',
          verdict: 'doubtful',
          text: `No photo shows ${percent(unseen)} of the surface; its colour is invented there, smoothly from its rim.`,
          nextMove: 'Take a turn of photos of the piece lying on its side',
        }
      : {
          id: 'colour.unseen',
          verdict: 'sound',
          text:
            unseen > 0
              ? `Photos show ${percent(1 - unseen)} of the surface; the rest is marked as invented.`
              : 'Photos show all of the surface.',
        },
  ]
  if (spread > APART)
    findings.push({
      id: 'colour.spread',
      verdict: 'unsound',
      text:
        `Photos of one place differ by ${percent(spread)} of its light. They are of another piece or another light, ` +
        'or their cameras stood elsewhere.',
      nextMove: 'Look whether the photos are of this piece, and lie where they should',
    })
  if (oneRing(cameras))
    findings.push({
      id: 'colour.oneRing',
      verdict: 'doubtful',
      text:
        'All photos are of one turn: light that falls from above cannot be told from colour that grows paler upwards, ' +
        'and stays in the picture.',
      nextMove: 'Take a turn of photos of the piece in another pose',
    })
  return findings
}

/** Whether all cameras stand in one plane and look at it alike, as those of one turn do. */
function oneRing(cameras: readonly CameraRecord[]): boolean {
  const ups = cameras.map(({ motion: m }) => [-m[1][0], -m[1][1], -m[1][2]])
  const mean = [0, 1, 2].map((c) => ups.reduce((s, u) => s + u[c], 0) / ups.length)
  const l = Math.hypot(...mean)
  if (l < 1e-6) return false
  // In one turn every camera's up leans towards the axis alike.
  const leans = ups.map((u) => (u[0] * mean[0] + u[1] * mean[1] + u[2] * mean[2]) / l)
  return Math.max(...leans) - Math.min(...leans) < ONE_RING
}
