import { framePoints } from '../cloud/frames'
import type { Motion } from '../linear/rigid'
import { pickPoints, type PointCloud } from '../shapes'
import { RangeImage } from './range-image'

/** What the frames of a take saw first in each direction, coarse. */
export interface SeenSpace {
  readonly images: readonly RangeImage[]
  /** Width of a pixel at the piece, mm: what stands in front by less than a few of them may be a slope. */
  readonly pixelMm: number
}

const MAX_FRAMES = 8
const MIN_POINTS = 50
const MAX_PIXELS = 400

/** @param pixelMm pixels are about so wide at the piece; at least two spacings, or they have holes */
export function seenSpaceOf(cloud: PointCloud, pixelMm: number): SeenSpace {
  const { frame, frameOrigins } = cloud
  if (!frame || !frameOrigins) return { images: [], pixelMm }
  const points = framePoints(cloud)
  const used = [...points.keys()].filter((f) => points[f].length >= MIN_POINTS)
  const chosen =
    used.length <= MAX_FRAMES
      ? used
      : Array.from({ length: MAX_FRAMES }, (_, k) => used[Math.floor((k * used.length) / MAX_FRAMES)])
  const images = chosen.flatMap(
    (f) =>
      RangeImage.of(
        pickPoints(cloud, points[f]).positions,
        frameOrigins.slice(f * 3, f * 3 + 3),
        (_n, width, height, farMm) => Math.max(pixelMm / farMm, width / MAX_PIXELS, height / MAX_PIXELS),
      ) ?? [],
  )
  return { images, pixelMm }
}

/**
 * Of points of another take (in its own coordinates), how many would have hidden what this take saw: they stand in
 * front of it by more than `marginMm`.
 * @param mask gets a 1 for each of them
 */
export function countInTheWay(
  seen: SeenSpace,
  points: Float32Array,
  stride: number,
  toSeen: Motion,
  marginMm: number,
  mask?: Uint8Array,
): number {
  let blocked = 0
  const [m0, m1, m2, m3, m4, m5, m6, m7, m8, m9, m10, m11] = toSeen as unknown as number[]
  for (let i = 0; i < points.length; i += 3 * stride) {
    const x = m0 * points[i] + m1 * points[i + 1] + m2 * points[i + 2] + m3
    const y = m4 * points[i] + m5 * points[i + 1] + m6 * points[i + 2] + m7
    const z = m8 * points[i] + m9 * points[i + 1] + m10 * points[i + 2] + m11
    for (const image of seen.images)
      if (image.inFrontMm(x, y, z) > marginMm) {
        blocked++
        if (mask) mask[i / 3] = 1
        break
      }
  }
  return blocked
}
