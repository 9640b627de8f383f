import { medianSpacing } from '../cloud/spacing'
import { GeometryError } from '../errors'
import { rotateVectors, transformPoint, transformPoints, type Motion } from '../linear/rigid'
import type { PointCloud } from '../shapes'

/** A take on its way into the skin: oriented points and the motion that brings them to the common frame. */
export interface FuseTake {
  readonly cloud: PointCloud
  readonly motion: Motion
}

/** All takes' points in the common frame, mm. */
export interface FusePoints {
  readonly positions: Float32Array
  readonly normals: Float32Array
  /** Inverse-variance weight, 1 for a point seen square on at the usual distance. */
  readonly weights: Float32Array
  readonly views: readonly View[]
  /** Whose points they are, in the order of the takes. */
  readonly takes: readonly TakeSpan[]
  /** sRGB bytes, and which points have any; left out where no take has colours. */
  readonly colours?: Uint8Array
  readonly coloured?: Uint8Array
}

/** One take's points among all: from … to − 1, and how far they lie apart. */
export interface TakeSpan {
  readonly from: number
  readonly to: number
  readonly spacingMm: number
}

/** One frame: where the device was and which points it saw there. */
export interface View {
  readonly origin: readonly [number, number, number]
  /** xyz of its points in the common frame. */
  readonly points: Float32Array
}

/** Least weight of a grazing point. */
const MIN_INCIDENCE = 0.1

/**
 * Brings takes together and weighs their points: by the cosine of incidence, and by (median range / range)⁴, the
 * inverse variance of a triangulating device whose noise grows with the square of distance.
 * @throws SHAPE when a take has no normals
 */
export function gatherPoints(takes: readonly FuseTake[]): FusePoints {
  const total = takes.reduce((n, t) => n + t.cloud.positions.length, 0)
  const positions = new Float32Array(total)
  const normals = new Float32Array(total)
  const weights = new Float32Array(total / 3).fill(1)
  const views: View[] = []
  const spans: TakeSpan[] = []
  const anyColours = takes.some(({ cloud }) => cloud.colours)
  const colours = new Uint8Array(anyColours ? total : 0),
    coloured = new Uint8Array(anyColours ? total / 3 : 0)
  let at = 0
  for (const { cloud, motion } of takes) {
    if (!cloud.normals)
      throw new GeometryError('SHAPE', 'A skin needs to know which way each point faces; this take has no normals.')
    const p = positions.subarray(at, at + cloud.positions.length)
    const n = normals.subarray(at, at + cloud.positions.length)
    transformPoints(motion, cloud.positions, p)
    rotateVectors(motion, cloud.normals, n)
    if (cloud.frame && cloud.frameOrigins) {
      const origins = cloud.frameOrigins
      const moved = Array.from({ length: origins.length / 3 }, (_, f) =>
        transformPoint(motion, origins[f * 3], origins[f * 3 + 1], origins[f * 3 + 2]),
      )
      weigh(p, n, cloud.frame, moved, weights.subarray(at / 3, (at + p.length) / 3))
      views.push(...splitByFrame(p, cloud.frame, moved))
    }
    if (cloud.colours) {
      colours.set(cloud.colours, at)
      coloured.fill(1, at / 3, (at + p.length) / 3)
    }
    spans.push({ from: at / 3, to: (at + p.length) / 3, spacingMm: p.length > 0 ? medianSpacing({ positions: p }) : 0 })
    at += cloud.positions.length
  }
  return { positions, normals, weights, views, takes: spans, ...(anyColours && { colours, coloured }) }
}

function weigh(
  p: Float32Array,
  n: Float32Array,
  frame: Uint16Array,
  origins: readonly [number, number, number][],
  out: Float32Array,
): void {
  const ranges = new Float32Array(out.length)
  for (let i = 0; i < out.length; i++) {
    const o = origins[frame[i]]
    const x = o[0] - p[i * 3],
      y = o[1] - p[i * 3 + 1],
      z = o[2] - p[i * 3 + 2]
    const range = Math.sqrt(x * x + y * y + z * z)
    ranges[i] = range
    out[i] = Math.max(MIN_INCIDENCE, (x * n[i * 3] + y * n[i * 3 + 1] + z * n[i * 3 + 2]) / range)
  }
  const usual = ranges.slice().sort()[ranges.length >> 1]
  for (let i = 0; i < out.length; i++) out[i] *= (usual / ranges[i]) ** 4
}

function splitByFrame(p: Float32Array, frame: Uint16Array, origins: readonly [number, number, number][]): View[] {
  const counts = new Int32Array(origins.length)
  for (const f of frame) counts[f]++
  const points = origins.map((_, f) => new Float32Array(counts[f] * 3))
  const at = new Int32Array(origins.length)
  for (let i = 0; i < frame.length; i++) {
    const f = frame[i]
    points[f].set(p.subarray(i * 3, i * 3 + 3), at[f])
    at[f] += 3
  }
  return points.map((q, f) => ({ origin: origins[f], points: q })).filter((v) => v.points.length > 0)
}
