import sharp from 'sharp'
import { readWholeBlob } from '../blobs/blobs'
import type { Database } from '../store/database'
import { parseJson } from '../store/json'

/** What a camera wrote into a photo, or what is known of the one that took it. */
export interface PhotoCamera {
  readonly model: string | null
  readonly focalMm: number | null
  readonly focal35Mm: number | null
  readonly fNumber: number | null
  readonly exposureSeconds: number | null
  readonly takenAt: string | null
  /** Pixels of focal length, and how the lens bends; left out where only the camera's own rounded figures are known. */
  readonly lens?: { readonly focalPx: number; readonly distortion: readonly number[] }
  /** Camera (x right, y down, z ahead) → take, as planned; null when nobody knows. */
  readonly pose: readonly (readonly number[])[] | null
}

export interface NewPhoto {
  readonly takeId: number | null
  readonly pose: string
  readonly name: string
  readonly sha256: string
  readonly width: number
  readonly height: number
  readonly bytes: number
  readonly nth: number | null
  readonly tableDeg: number | null
  readonly camera: PhotoCamera
}

export interface PhotoRecord extends NewPhoto {
  readonly id: number
  readonly stepId: number
}

interface PhotoRow {
  id: number
  step_id: number
  take_id: number | null
  pose: string
  name: string
  sha256: string
  width: number
  height: number
  bytes: number
  nth: number | null
  table_deg: number | null
  camera: string
}

/** Call inside the transaction that writes the step. */
export async function recordPhotos(
  db: Database,
  pieceId: number,
  stepId: number,
  photos: readonly NewPhoto[],
): Promise<void> {
  if (photos.length === 0) return
  await db('photos').insert(
    photos.map((p) => ({
      piece_id: pieceId,
      step_id: stepId,
      take_id: p.takeId,
      pose: p.pose,
      name: p.name,
      sha256: p.sha256,
      width: p.width,
      height: p.height,
      bytes: p.bytes,
      nth: p.nth,
      table_deg: p.tableDeg,
      camera: JSON.stringify(p.camera),
    })),
  )
}

/** The photos of the steps that stand, in the order they came. */
export async function listPhotos(db: Database, pieceId: number, steps: readonly number[]): Promise<PhotoRecord[]> {
  const rows = (await db('photos')
    .where({ piece_id: pieceId })
    .whereIn('step_id', [...steps])
    .orderBy('id')) as PhotoRow[]
  return rows.map((r) => ({
    id: r.id,
    stepId: r.step_id,
    takeId: r.take_id,
    pose: r.pose,
    name: r.name,
    sha256: r.sha256,
    width: r.width,
    height: r.height,
    bytes: Number(r.bytes),
    nth: r.nth,
    tableDeg: r.table_deg,
    camera: parseJson(r.camera as never),
  }))
}

/** A photo's picture, whole or as a small one for lists; null when there is none of that number. */
export async function photoPicture(
  db: Database,
  id: number,
  side: number | null,
): Promise<{ bytes: Uint8Array; mediaType: string } | null> {
  const row = (await db('photos').where({ id }).first('sha256')) as { sha256: string } | undefined
  if (!row) return null
  const whole = await readWholeBlob(db, row.sha256)
  if (side === null) return { bytes: whole, mediaType: whole[0] === 0x89 ? 'image/png' : 'image/jpeg' }
  return {
    bytes: await sharp(whole)
      .rotate()
      .resize(side, side, { fit: 'inside', withoutEnlargement: true })
      .jpeg({ quality: 80 })
      .toBuffer(),
    mediaType: 'image/jpeg',
  }
}
