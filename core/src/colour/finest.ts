import { RowCamera } from './camera-rows'

const LOOKED_AT = 2000

/** Pixels a mm of a photo where it shows the surface largest. */
export function largestOf(positions: Float32Array, cameras: Float64Array, photo: number): number {
  const camera = new RowCamera(cameras, photo)
  let most = 0
  const step = 3 * Math.max(1, Math.floor(positions.length / 3 / LOOKED_AT))
  for (let i = 0; i < positions.length; i += step) {
    camera.project(positions[i], positions[i + 1], positions[i + 2])
    if (camera.depth > 0) most = Math.max(most, camera.pixelsPerMm(camera.depth))
  }
  return most
}

/** The same of the photo that shows it largest of all. */
export const finestOf = (positions: Float32Array, cameras: Float64Array, photos: number): number => {
  let most = 1e-12
  for (let p = 0; p < photos; p++) most = Math.max(most, largestOf(positions, cameras, p))
  return most
}
