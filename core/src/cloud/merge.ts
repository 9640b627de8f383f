import { GeometryError } from '../errors'
import { rotateVectors, transformPoint, transformPoints, type Motion } from '../linear/rigid'
import type { PointCloud } from '../shapes'

const MAX_FRAMES = 65_535

/**
 * One cloud of several, each moved by its motion; frames are numbered on. What only some of them have is filled in so
 * that it says nothing: grey colours, middling confidence; normals are kept only when all have them.
 * @throws SHAPE when together they have more frames than can be numbered, RANGE when they lie about different far
 * origins
 */
export function mergeClouds(parts: readonly { readonly cloud: PointCloud; readonly motion: Motion }[]): PointCloud {
  const origin = parts[0].cloud.originMm
  if (parts.some(({ cloud }) => String(cloud.originMm) !== String(origin)))
    throw new GeometryError(
      'RANGE',
      'The takes lie far from each other in space; join them instead of putting them together.',
    )
  const count = parts.reduce((n, { cloud }) => n + cloud.positions.length / 3, 0)
  const has = (key: 'normals' | 'colours' | 'confidence' | 'frame'): boolean => parts.some(({ cloud }) => cloud[key])
  const positions = new Float32Array(count * 3)
  const normals = parts.every(({ cloud }) => cloud.normals) ? new Float32Array(count * 3) : undefined
  const colours = has('colours') ? new Uint8Array(count * 3).fill(128) : undefined
  const confidence = has('confidence') ? new Float32Array(count).fill(0.5) : undefined
  const framed = has('frame')
  const frame = framed ? new Uint16Array(count) : undefined
  const origins: number[] = []
  let at = 0
  for (const { cloud, motion } of parts) {
    const n = cloud.positions.length / 3
    positions.set(transformPoints(motion, cloud.positions), at * 3)
    if (normals) normals.set(rotateVectors(motion, cloud.normals!), at * 3)
    if (colours && cloud.colours) colours.set(cloud.colours, at * 3)
    if (confidence && cloud.confidence) confidence.set(cloud.confidence, at)
    if (frame) {
      const first = origins.length / 3
      const own = cloud.frameOrigins ?? Float64Array.of(0, 0, 0)
      for (let f = 0; f < own.length; f += 3) origins.push(...transformPoint(motion, own[f], own[f + 1], own[f + 2]))
      for (let i = 0; i < n; i++) frame[at + i] = first + (cloud.frame?.[i] ?? 0)
    }
    at += n
  }
  if (origins.length / 3 > MAX_FRAMES)
    throw new GeometryError(
      'SHAPE',
      `Together the takes have ${origins.length / 3} frames; one take can hold ${MAX_FRAMES}.`,
    )
  return {
    kind: 'cloud',
    positions,
    ...(normals && { normals }),
    ...(colours && { colours }),
    ...(confidence && { confidence }),
    ...(frame && { frame, frameOrigins: Float64Array.from(origins) }),
    ...(origin && { originMm: origin }),
  }
}
