import { checkpoint, type RunContext } from '../context'
import { RangeImage } from '../view/range-image'
import type { View } from './points'

const MAX_PIXELS = 1024

/** About two points a pixel if the picture were full. */
const pixelOf = (n: number, width: number, height: number): number =>
  Math.max(Math.sqrt((width * height) / n) * 1.5, width / MAX_PIXELS, height / MAX_PIXELS)

/**
 * Free space: a node that lies in front of what a frame saw by more than `marginMm` cannot be inside the piece (space
 * carving, Curless and Levoy 1996, section 4). `mark` is called with every node found free.
 * @returns how many were found free
 */
export function carveFreeSpace(
  views: readonly View[],
  marginMm: number,
  candidates: Int32Array,
  place: (node: number, out: Float64Array) => void,
  mark: (node: number) => void,
  context: RunContext,
): number {
  const images = views.flatMap((v) => RangeImage.of(v.points, v.origin, pixelOf) ?? [])
  const p = new Float64Array(3)
  let free = 0
  for (let c = 0; c < candidates.length; c++) {
    if ((c & 16383) === 0) checkpoint(context, c, candidates.length, 'Reading free space from the views')
    const node = candidates[c]
    place(node, p)
    for (const image of images)
      if (image.inFrontMm(p[0], p[1], p[2]) > marginMm) {
        mark(node)
        free++
        break
      }
  }
  return free
}
