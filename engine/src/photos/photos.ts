import sharp from 'sharp'
import { DEMO_PIECES, GeometryError, grouped, motionRows, type Finding, type RunContext } from '@holosoma/core'
import {
  missingRuns,
  NO_EFFECTS,
  phoneCamera,
  photoRun,
  type PhoneSettings,
  photograph,
  type Photo,
  BenchScene,
  PLAIN_BENCH,
} from '@holosoma/core/bench'
import type { DeviceProfile, PlannedTake } from '@holosoma/core/plan'
import { blobSize, readBlob, storeBlob } from '../blobs/blobs'
import type { ForeignReader } from '../foreign/foreign-reader'
import type { PhotoFacts } from '../foreign/photo'
import type { Database } from '../store/database'
import type { NewPhoto } from './photo-store'

/** What the simulated phone is asked to do. */
export interface PhotoJob {
  readonly kind: 'photos'
  readonly piece: string
  readonly take: PlannedTake
  readonly takeId: number | null
  readonly device: DeviceProfile
  readonly phone: PhoneSettings
  readonly distanceMm: number
  readonly wanted: readonly number[]
  /** Photos of this pose that are here already. */
  readonly here: readonly number[]
  readonly seed: number
  /** ms since 1970: when the run begins. */
  readonly at: number
}

export interface PhotoImportJob {
  readonly kind: 'photoImport'
  readonly files: readonly { readonly name: string; readonly upload: string }[]
  readonly takeId: number | null
  readonly pose: string
}

export interface PhotosDone {
  readonly photos: readonly NewPhoto[]
  readonly findings: readonly Finding[]
  readonly figures: Record<string, number | string | boolean>
  readonly description: string
}

/** Pixels across of the simulated phone's pictures: enough to see and to colour a demo piece by. */
const PIXELS = 640
const QUALITY = 90
export const PHONE_MODEL = 'Holosoma bench phone'

/** Runs the simulated phone: photos as JPEG with EXIF; those it slept through are missing. */
export async function takePhotos(db: Database, job: PhotoJob, context: RunContext): Promise<PhotosDone> {
  const piece = DEMO_PIECES[job.piece]
  if (!piece) throw new GeometryError('PARAMS', `The bench does not have the piece “${job.piece}”.`)
  const shots = photoRun(job.phone, job.wanted)
  const scene = new BenchScene(piece, job.take, job.device, PLAIN_BENCH, job.seed)
  const photos: NewPhoto[] = []
  for (const photo of photograph(scene, job.phone, job.distanceMm, shots, PIXELS, job.seed, context))
    photos.push(await kept(db, job, photo))
  const { perTurn } = job.phone
  const here = new Set([...job.here, ...photos.map((p) => p.nth!)])
  return {
    photos,
    ...counted(
      job.take.name,
      perTurn,
      here,
      shots.some((s) => !s.taken),
    ),
    description: `Took ${photos.length} of ${job.wanted.length} photos of “${job.take.name}”`,
  }
}

/** Planned against there, with the angles of what is missing. */
export function counted(
  name: string,
  perTurn: number,
  here: ReadonlySet<number>,
  slept: boolean,
): Pick<PhotosDone, 'findings' | 'figures'> {
  const runs = missingRuns(perTurn, here)
  const missing = perTurn - here.size
  const where = runs.map((r) => (r.count === 1 ? `at ${r.fromDeg}°` : `from ${r.fromDeg}° to ${r.toDeg}°`)).join(', ')
  return {
    figures: { planned: perTurn, taken: here.size, missing },
    findings: [
      missing === 0
        ? { id: 'take.photos', verdict: 'sound', text: `All ${perTurn} photos of “${name}” are there.` }
        : {
            id: 'take.photos',
            verdict: 'unsound',
            text:
              `${missing} of ${perTurn} photos of “${name}” are missing, ` +
              (`${where}` +
                (slept
                  ? ': the phone went to sleep. Keep it awake and take only those again'
                  : '. Take only those again') +
                '.'),
            nextMove: 'Take the missing photos',
          },
    ],
  }
}

function lensOf({ phone }: PhotoJob, photo: Photo): { focalPx: number; distortion: number[] } {
  const { focalPx, distortion } = phoneCamera(phone.camera, phone.effects ?? NO_EFFECTS, photo.width, photo.pose)
  return { focalPx, distortion: [...distortion] }
}

async function kept(db: Database, job: PhotoJob, photo: Photo): Promise<NewPhoto> {
  const { camera } = job.phone
  const date = new Date(job.at + photo.shot.atSeconds * 1000).toISOString()
  const stamp = `${date.slice(0, 10).replaceAll('-', ':')} ${date.slice(11, 19)}`
  const focal35Mm = Math.round((camera.focalMm * 36) / camera.sensorWidthMm)
  const jpeg = await sharp(photo.rgb, { raw: { width: photo.width, height: photo.height, channels: 3 } })
    .withExif({
      IFD0: {
        Make: 'Holosoma',
        Model: PHONE_MODEL,
        ImageDescription: `${job.take.name}, table at ${photo.shot.tableDeg.toFixed(1)} degrees`,
      },
      IFD2: {
        FocalLength: `${Math.round(camera.focalMm * 100)}/100`,
        FocalLengthIn35mmFilm: String(focal35Mm),
        FNumber: `${Math.round(camera.fNumber * 10)}/10`,
        ExposureTime: `${Math.max(1, Math.round(photo.exposureSeconds * 1e5))}/100000`,
        DateTimeOriginal: stamp,
      },
    })
    .jpeg({ quality: QUALITY })
    .toBuffer()
  const { sha256, bytes } = await storeBlob(db, [jpeg], 'image/jpeg')
  return {
    takeId: job.takeId,
    pose: job.take.name,
    name: `${job.take.name}-${String(photo.shot.index + 1).padStart(3, '0')}.jpg`,
    sha256,
    bytes,
    width: photo.width,
    height: photo.height,
    nth: photo.shot.index,
    tableDeg: photo.shot.tableDeg,
    camera: {
      model: PHONE_MODEL,
      focalMm: camera.focalMm,
      focal35Mm,
      fNumber: camera.fNumber,
      exposureSeconds: photo.exposureSeconds,
      takenAt: date,
      lens: lensOf(job, photo),
      pose: motionRows(photo.pose),
    },
  }
}

/**
 * Reads photos that came as files: whole pictures only, with what their cameras wrote into them. What is no photo is
 * named and left out.
 */
export async function importPhotos(
  db: Database,
  job: PhotoImportJob,
  context: RunContext,
  reader: ForeignReader,
): Promise<PhotosDone> {
  const photos: NewPhoto[] = []
  const refused: string[] = []
  const read = async (name: string, upload: string): Promise<PhotoFacts> => {
    const sizeBytes = await blobSize(db, upload)
    if (sizeBytes === null)
      throw new GeometryError('TRUNCATED', `“${name}” did not arrive whole; nothing of it was kept.`)
    return reader.photo({ name, sizeBytes, chunks: readBlob(db, upload) })
  }
  for (const [i, { name, upload }] of job.files.entries()) {
    if (context.cancelled()) throw new GeometryError('CANCELLED', 'Stopped at your request; nothing was changed.')
    context.progress(i / job.files.length, `Reading ${name}`)
    try {
      photos.push({
        takeId: job.takeId,
        pose: job.pose,
        name,
        sha256: upload,
        nth: null,
        tableDeg: null,
        ...(await read(name, upload)),
      })
    } catch (error) {
      if (!(error instanceof GeometryError) || error.code === 'CANCELLED') throw error
      refused.push(error.message)
    }
  }
  if (photos.length === 0) throw new GeometryError('FORMAT', refused[0] ?? 'There was no photo among the files.')
  const bare = photos.filter((p) => p.camera.focalMm === null).length
  return {
    photos,
    description: `Imported ${photos.length} ${photos.length === 1 ? 'photo' : 'photos'}`,
    figures: {
      taken: photos.length,
      refused: refused.length,
      withoutLens: bare,
      megapixels: photos.reduce((s, p) => s + p.width * p.height, 0) / 1e6,
    },
    findings: [
      {
        id: 'take.photos',
        verdict: refused.length > 0 ? 'doubtful' : 'sound',
        text:
          `${grouped(photos.length)} ${photos.length === 1 ? 'photo is' : 'photos are'} ` +
          `here${bare > 0 ? `; ${bare} do not say with what lens they were taken` : ''}.`,
      },
      ...refused.map((text, k): Finding => ({ id: `take.photo.${k}`, verdict: 'doubtful', text })),
    ],
  }
}
