import {
  BenchScene,
  NO_EFFECTS,
  phoneCamera,
  photograph,
  photoRun,
  photosPerTurn,
  PLAIN_BENCH,
  TABLETOP_DEVICE,
  type DemoPiece,
  type Photo,
  type PhoneEffects,
  type PhoneSettings,
} from '../bench'
import { quietContext } from '../context'
import { compose } from '../linear/rigid'
import { PHONE } from '../plan/photos'
import { NEW_TAKE, type PoseName } from '../plan/takes'
import type { Camera } from '../view/camera'

export interface SetPhoto {
  readonly name: string
  readonly photo: Photo
  /** In the piece's coordinates, as it truly stood. */
  readonly camera: Camera
}

/** Photos of turns of a piece of the bench in several poses, with their true cameras. Same seed, same bytes. */
export function* photoSet(
  piece: DemoPiece,
  poses: readonly PoseName[],
  perTurn: number,
  widthPx: number,
  seed: number,
  effects: PhoneEffects = NO_EFFECTS,
): Generator<SetPhoto> {
  for (const [p, pose] of poses.entries()) {
    const take = { ...NEW_TAKE, pose, name: pose }
    const scene = new BenchScene(piece, take, TABLETOP_DEVICE, PLAIN_BENCH, seed + p)
    const phone: PhoneSettings = {
      camera: PHONE,
      perTurn,
      intervalSeconds: 8,
      elevationDeg: 20,
      stops: 0,
      keptAwake: true,
      effects,
    }
    const { distanceMm } = photosPerTurn(PHONE, piece, take)
    for (const shot of photoRun(
      phone,
      Array.from({ length: perTurn }, (_, i) => i),
    )) {
      const [photo] = photograph(scene, phone, distanceMm, [shot], widthPx, seed * 31 + p, quietContext())
      const camera = phoneCamera(PHONE, effects, widthPx, photo.truth)
      yield {
        name: `${pose}-${String(shot.index + 1).padStart(3, '0')}.jpg`,
        photo,
        camera: { ...camera, motion: compose(camera.motion, scene.truth) },
      }
    }
  }
}
