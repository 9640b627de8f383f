import { median } from '../linear/samples'
import { pickPoints, type PointCloud } from '../shapes'
import { KdTree } from '../spatial/kd-tree'

export interface FrameDistance {
  readonly frame: number
  readonly points: number
  /** How far the nearer quarter of the frame's points lies from the other frames' points, mm. */
  readonly apartMm: number
}

const SAMPLE = 400
/** Of a frame that lies well a good part is seen by others too: the nearer quarter of its points decides. */
const QUARTER = 0.25
/** Where all frames lie apart, as in a sparse take, only those far beyond the usual are named. */
const UNUSUAL = 3

/**
 * How far each frame lies from all the others: a frame the device placed wrongly hangs apart as a whole. A frame that
 * alone sees a place still shares a border with others, so that its nearer points lie close.
 * @param cloud with frames
 */
export function frameDistances(cloud: PointCloud & { readonly frame: Uint16Array }): FrameDistance[] {
  const { positions: p, frame } = cloud
  const members = new Map<number, number[]>()
  for (let i = 0; i < frame.length; i++) {
    const list = members.get(frame[i])
    if (list) list.push(i)
    else members.set(frame[i], [i])
  }
  if (members.size < 2) return []
  const frames = [...members]
    .sort((a, b) => a[0] - b[0])
    .map(([number, ids]) => ({ number, ids, tree: new KdTree(pickPoints(cloud, ids).positions) }))
  return frames.map(({ number, ids, tree }) => {
    const far: number[] = []
    for (let k = 0; k < ids.length; k += Math.max(1, Math.floor(ids.length / SAMPLE))) {
      const i = ids[k] * 3
      // Each frame's tree is asked only for what lies nearer than what was found.
      let best = Infinity
      for (const other of frames)
        if (other.tree !== tree && other.tree.nearest(p[i], p[i + 1], p[i + 2], best) >= 0)
          best = other.tree.lastDistance2
      far.push(Math.sqrt(best))
    }
    far.sort((a, b) => a - b)
    return { frame: number, points: ids.length, apartMm: far[Math.floor(far.length * QUARTER)] }
  })
}

/** Frames that hang apart: farther from the rest than a gap. */
export function farFrames(distances: readonly FrameDistance[], gapMm: number): FrameDistance[] {
  const usual = median(distances.map((d) => d.apartMm))
  return distances.filter((d) => d.apartMm > gapMm && d.apartMm > UNUSUAL * usual)
}
