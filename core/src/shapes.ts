import { GeometryError } from './errors'

/** sRGB bytes, alpha never kept. Evidence values of a mesh vertex. */
export const EVIDENCE = { measured: 0, carried: 1, invented: 2 } as const

/**
 * Oriented or plain points, millimetres, Z up; immutable by convention.
 * positions n×3; normals n×3 unit; colours n×3 sRGB bytes; confidence n in 0–1; frame n, an index into `frameOrigins`
 * (m×3, the device's place when it saw the point, in the coordinates of the cloud).
 */
export interface PointCloud {
  readonly kind: 'cloud'
  readonly positions: Float32Array
  readonly normals?: Float32Array
  readonly colours?: Uint8Array
  readonly confidence?: Float32Array
  readonly frame?: Uint16Array
  readonly frameOrigins?: Float64Array
  /**
   * Place of the local origin in the file's own coordinates; kept in double because Float32 loses detail far from zero.
   */
  readonly originMm?: readonly [number, number, number]
}

/** Triangles, millimetres, Z up, counter-clockwise seen from outside. indices m×3 into positions. */
export interface TriangleMesh {
  readonly kind: 'mesh'
  readonly positions: Float32Array
  readonly indices: Uint32Array
  readonly normals?: Float32Array
  readonly colours?: Uint8Array
  /** Per vertex, see EVIDENCE. */
  readonly evidence?: Uint8Array
  readonly originMm?: readonly [number, number, number]
}

export type Shape = PointCloud | TriangleMesh

export interface Bounds {
  readonly min: [number, number, number]
  readonly max: [number, number, number]
}

export function pointCount(shape: Shape): number {
  return shape.positions.length / 3
}

export function boundsOf(positions: Float32Array): Bounds {
  const min: [number, number, number] = [Infinity, Infinity, Infinity]
  const max: [number, number, number] = [-Infinity, -Infinity, -Infinity]
  for (let i = 0; i < positions.length; i += 3) {
    for (let c = 0; c < 3; c++) {
      const v = positions[i + c]
      if (v < min[c]) min[c] = v
      if (v > max[c]) max[c] = v
    }
  }
  return { min, max }
}

/** Length of the box diagonal, mm: "the size of the piece" where a method needs one number. */
export function diagonal(bounds: Bounds): number {
  return Math.hypot(bounds.max[0] - bounds.min[0], bounds.max[1] - bounds.min[1], bounds.max[2] - bounds.min[2])
}

/** The cloud of the points whose index is listed, with all that belongs to them, in that order. */
export function pickPoints(cloud: PointCloud, index: ArrayLike<number>): PointCloud {
  const n = index.length
  const take3 = <T extends Float32Array | Uint8Array>(from: T, to: T): T => {
    for (let i = 0; i < n; i++) {
      const p = index[i] * 3
      to[i * 3] = from[p]!
      to[i * 3 + 1] = from[p + 1]!
      to[i * 3 + 2] = from[p + 2]!
    }
    return to
  }
  const take1 = <T extends Float32Array | Uint16Array>(from: T, to: T): T => {
    for (let i = 0; i < n; i++) to[i] = from[index[i]]!
    return to
  }
  return {
    ...cloud,
    positions: take3(cloud.positions, new Float32Array(n * 3)),
    ...(cloud.normals && { normals: take3(cloud.normals, new Float32Array(n * 3)) }),
    ...(cloud.colours && { colours: take3(cloud.colours, new Uint8Array(n * 3)) }),
    ...(cloud.confidence && { confidence: take1(cloud.confidence, new Float32Array(n)) }),
    ...(cloud.frame && { frame: take1(cloud.frame, new Uint16Array(n)) }),
  }
}

/** Indices where the bit is set in a byte mask. */
export function indicesWhere(mask: Uint8Array, value: number): Int32Array {
  let n = 0
  for (let i = 0; i < mask.length; i++) if (mask[i] === value) n++
  const out = new Int32Array(n)
  n = 0
  for (let i = 0; i < mask.length; i++) if (mask[i] === value) out[n++] = i
  return out
}

/**
 * Refuses a shape whose parts do not go together: so many normals, colours or frames as there are points, and no other
 * number.
 */
export function assertFits(shape: Shape): void {
  const n = shape.positions.length / 3
  const fits = (what: string, values: ArrayLike<number> | undefined, width: number): void => {
    if (values && values.length !== n * width)
      throw new GeometryError(
        'SHAPE',
        `There are ${n} points and ${values.length / width} ${what}; each point has one.`,
      )
  }
  if (!Number.isInteger(n)) throw new GeometryError('SHAPE', 'The last point has not all of its three coordinates.')
  fits('normals', shape.normals, 3)
  fits('colours', shape.colours, 3)
  if (shape.kind === 'mesh') {
    fits('marks of evidence', shape.evidence, 1)
    if (shape.indices.length % 3 !== 0)
      throw new GeometryError('SHAPE', 'The last triangle has not all of its three corners.')
    return
  }
  fits('confidences', shape.confidence, 1)
  fits('frame numbers', shape.frame, 1)
  if (shape.frameOrigins && shape.frameOrigins.length % 3 !== 0)
    throw new GeometryError('SHAPE', 'Where the last frame stood is no place.')
}

/**
 * Refuses a shape that would poison what follows: no points, parts that do not go together, non-finite numbers, indices
 * out of range.
 */
export function assertSound(shape: Shape): void {
  assertFits(shape)
  const { positions } = shape
  if (positions.length === 0) throw new GeometryError('EMPTY', 'There are no points in it.')
  for (let i = 0; i < positions.length; i++) {
    if (!Number.isFinite(positions[i])) {
      throw new GeometryError('NOT_FINITE', `Point ${Math.floor(i / 3) + 1} has a coordinate that is not a number.`, {
        point: Math.floor(i / 3),
      })
    }
  }
  const { normals } = shape
  if (normals) {
    for (let i = 0; i < normals.length; i++) {
      if (!Number.isFinite(normals[i]))
        throw new GeometryError('NOT_FINITE', `The normal of point ${Math.floor(i / 3) + 1} is not a number.`)
    }
  }
  if (shape.kind === 'cloud' && shape.frame && shape.frameOrigins) {
    const frames = shape.frameOrigins.length / 3
    for (let i = 0; i < shape.frame.length; i++) {
      if (shape.frame[i] >= frames)
        throw new GeometryError(
          'RANGE',
          `Point ${i + 1} was seen by frame ${shape.frame[i]}, but there are only ${frames}.`,
        )
    }
  }
  if (shape.kind === 'mesh') {
    const n = positions.length / 3
    for (let i = 0; i < shape.indices.length; i++) {
      if (shape.indices[i] >= n) {
        throw new GeometryError(
          'RANGE',
          `Triangle ${Math.floor(i / 3) + 1} names point ${shape.indices[i]}, but there are only ${n}.`,
        )
      }
    }
  }
}
