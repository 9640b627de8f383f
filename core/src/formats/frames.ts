import { GeometryError } from '../errors'
import { rotateVectors, transformPoints, type Motion } from '../linear/rigid'
import type { PointCloud } from '../shapes'

/*
 * A take as a folder of frames with a list of poses: a text file, one line a frame: its file name, then the twelve
 * numbers of its motion from the frame to the take, row after row, in mm (the last row 0 0 0 1 may follow). # begins a
 * comment. The device stands at the frame's origin.
 */

export interface FramePoseLine {
  readonly file: string
  readonly motion: Motion
}

const MAX_FRAMES = 5000
const RIGID_SLACK = 1e-3

/** @throws FORMAT naming the line that is wrong */
export function readPoseList(text: string): FramePoseLine[] {
  const out: FramePoseLine[] = []
  text.split(/\r\n|\r|\n/).forEach((raw, i) => {
    const line = raw.replace(/#.*/, '').trim()
    if (line === '') return
    const words = line.match(/"[^"]*"|\S+/g)!
    const numbers = words.slice(1).map(Number)
    if ((numbers.length !== 12 && numbers.length !== 16) || numbers.some((v) => !Number.isFinite(v)))
      throw new GeometryError(
        'FORMAT',
        `Line ${i + 1} of the list of poses should hold a file name and twelve numbers.`,
      )
    const motion = Float64Array.from([...numbers.slice(0, 12), 0, 0, 0, 1])
    for (let a = 0; a < 3; a++)
      for (let b = a; b < 3; b++) {
        const dot = [0, 1, 2].reduce((s, k) => s + motion[a * 4 + k] * motion[b * 4 + k], 0)
        if (Math.abs(dot - (a === b ? 1 : 0)) > RIGID_SLACK)
          throw new GeometryError(
            'FORMAT',
            `Line ${i + 1} of the list of poses is no motion: its rows are not square to each other or ` +
              'not of length one.',
          )
      }
    const file = words[0].replace(/^"|"$/g, '')
    if (out.some((o) => o.file === file))
      throw new GeometryError('FORMAT', `Line ${i + 1} of the list of poses names “${file}” a second time.`)
    out.push({ file, motion })
  })
  if (out.length === 0) throw new GeometryError('EMPTY', 'The list of poses holds no frame.')
  if (out.length > MAX_FRAMES)
    throw new GeometryError('RANGE', `The list of poses holds ${out.length} frames; up to ${MAX_FRAMES} can be taken.`)
  return out
}

/**
 * Frames in the order of the list, brought together as one take that knows its frames and where the device stood for
 * each.
 */
export function assembleFrames(frames: readonly { readonly motion: Motion; readonly cloud: PointCloud }[]): PointCloud {
  const total = frames.reduce((n, f) => n + f.cloud.positions.length, 0)
  const positions = new Float32Array(total),
    normals = new Float32Array(total),
    colours = new Uint8Array(total)
  const frame = new Uint16Array(total / 3),
    frameOrigins = new Float64Array(frames.length * 3)
  let at = 0
  frames.forEach(({ cloud, motion: given }, f) => {
    const n = cloud.positions.length
    const motion = Float64Array.from(given)
    const o = cloud.originMm ?? [0, 0, 0]
    // The cloud's own origin lies before the motion.
    for (let r = 0; r < 3; r++) {
      frameOrigins[f * 3 + r] = given[r * 4 + 3]!
      motion[r * 4 + 3] += given[r * 4] * o[0] + given[r * 4 + 1] * o[1] + given[r * 4 + 2] * o[2]
    }
    transformPoints(motion, cloud.positions, positions.subarray(at, at + n))
    if (cloud.normals) rotateVectors(motion, cloud.normals, normals.subarray(at, at + n))
    if (cloud.colours) colours.set(cloud.colours, at)
    frame.fill(f, at / 3, (at + n) / 3)
    at += n
  })
  return {
    kind: 'cloud',
    positions,
    frame,
    frameOrigins,
    ...(frames.every((f) => f.cloud.normals) && { normals }),
    ...(frames.every((f) => f.cloud.colours) && { colours }),
  }
}
