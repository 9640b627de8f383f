import { compose, invertRigid, motionFromRows, type Motion } from '@holosoma/core/linear'
import type { CameraRecord } from '@holosoma/core/colour'
import type { PhotoRecord, PieceState } from '@holosoma/engine'
import { madeOf } from '@/lib/made-of'
import { photosOf } from '@/lib/photos'
import { uprightOf } from '@holosoma/core/linear'

/** Photos of a piece by whether it is known where their cameras stood before the skin. */
export interface KnownPhotos {
  readonly known: readonly { readonly photo: PhotoRecord; readonly camera: CameraRecord }[]
  /** By take: how many photos of it are known, and how many are not and why. */
  readonly takes: readonly { readonly name: string; readonly known: number; readonly why: string | null }[]
}

const NOT_JOINED = 'its take is in no join that stands'
const NO_CAMERA = 'nobody knows where the camera stood'
const NO_LENS = 'the lens is not known; take them again at this bench'

/** Which photos can colour the skin as it stands, with their cameras in its frame. */
export function knownPhotos(state: PieceState): KnownPhotos {
  const made = madeOf(state)
  const names = [...new Set(state.photos.map((p) => p.pose))]
  const known: { photo: PhotoRecord; camera: CameraRecord }[] = []
  const takes = names.map((name) => {
    const photos = photosOf(state.photos, name)
    const motion = made && takeToSkin(state, name)
    let count = 0,
      why: string | null = null
    for (const photo of photos) {
      const { pose, lens } = photo.camera
      if (!pose) why = NO_CAMERA
      else if (!lens) why = NO_LENS
      else if (!motion) why = NOT_JOINED
      else {
        count++
        known.push({ photo, camera: cameraIn(photo, pose, lens, motion, made.scale) })
      }
    }
    return { name, known: count, why: count === photos.length ? null : why }
  })
  return { known, takes }
}

/** Where a take lies in the skin, as the skin was made; null where it does not lie in it. */
function takeToSkin(state: PieceState, name: string): Motion | null {
  const take = state.takes.find((t) => t.name === name)
  if (!take || !state.goesIn.includes(take.id)) return null
  const rows = state.join?.motions[name]
  if (!rows && state.goesIn.length > 1) return null
  const motion = rows ? motionFromRows(rows, name) : motionFromRows(IDENTITY, name)
  const upright = uprightOf(madeOf(state)?.up ?? null)
  return upright ? compose(upright, motion) : motion
}

const IDENTITY = [
  [1, 0, 0, 0],
  [0, 1, 0, 0],
  [0, 0, 1, 0],
  [0, 0, 0, 1],
]

function cameraIn(
  photo: PhotoRecord,
  pose: readonly (readonly number[])[],
  lens: NonNullable<PhotoRecord['camera']['lens']>,
  toSkin: Motion,
  scale: number,
): CameraRecord {
  const stands = compose(toSkin, motionFromRows(pose, photo.name)).slice()
  // A skin that was made larger lies farther from where the camera stood.
  for (const k of [3, 7, 11]) stands[k] *= scale
  const m = invertRigid(stands)
  return {
    file: photo.name,
    widthPx: photo.width,
    heightPx: photo.height,
    focalPx: lens.focalPx,
    principalPx: [photo.width / 2, photo.height / 2],
    distortion: lens.distortion as unknown as CameraRecord['distortion'],
    motion: [0, 4, 8, 12].map((r) => [...m.subarray(r, r + 4)]),
  }
}
