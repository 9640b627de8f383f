import { invertRigid, transformPoint, type Motion } from '../linear/rigid'
import type { PointCloud } from '../shapes'
import { seenSpaceOf } from './seen-space'

/** What stands in front of what was seen by less than so many pixels may be its slope. */
const MARGIN_PIXELS = 2

/**
 * Space that takes saw to be empty: between each frame's origin and what it saw first.
 * @param takes where they lie; those without frames say nothing @param pixelMm how fine it is told, mm
 * @returns how far a place stands in it, mm (0: not), and the way out, along the look that saw through it; null where no
 * take tells where it looked from
 */
export function freeSpaceOf(
  takes: readonly { readonly cloud: PointCloud; readonly motion: Motion }[],
  pixelMm: number,
): ((x: number, y: number, z: number, out: Float64Array) => void) | null {
  const seen = takes.flatMap(({ cloud, motion }) => {
    const { images } = seenSpaceOf(cloud, pixelMm)
    return images.length > 0 ? [{ images, motion, back: invertRigid(motion) }] : []
  })
  if (seen.length === 0) return null
  const marginMm = MARGIN_PIXELS * pixelMm
  return (x, y, z, out) => {
    out[0] = 0
    for (const { images, motion, back } of seen) {
      const [px, py, pz] = transformPoint(back, x, y, z)
      for (const image of images) {
        const front = image.inFrontMm(px, py, pz) - marginMm
        if (!(front > out[0])) continue
        const way = [px - image.camera[9], py - image.camera[10], pz - image.camera[11]] as const
        const length = Math.hypot(...way)
        // Depths are told along the axis of the picture; along the look it is a little more.
        const along = (way[0] * image.camera[6] + way[1] * image.camera[7] + way[2] * image.camera[8]) / length
        out[0] = front / along
        for (let r = 0; r < 3; r++)
          out[r + 1] = (motion[r * 4] * way[0] + motion[r * 4 + 1] * way[1] + motion[r * 4 + 2] * way[2]) / length
      }
    }
  }
}
