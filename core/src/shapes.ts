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

/** What a point of a shape may have beside its place: how many numbers, how they are kept, how they are called. */
export interface PointAttribute {
  readonly width: number
  readonly Store: Float32ArrayConstructor | Uint8ArrayConstructor | Uint16ArrayConstructor
  /** Many of them, in a sentence. */
  readonly noun: string
  /** What a new point gets that has none of its own; left out where nothing sensible can be said. */
  readonly blank?: number
}

export type AttributeName = 'normals' | 'colours' | 'confidence' | 'frame' | 'evidence'
type Values = Float32Array | Uint8Array | Uint16Array

/** Every attribute there is: whoever copies, thins, welds, writes or checks points goes by this table. */
export const POINT_ATTRIBUTES: Readonly<Record<AttributeName, PointAttribute>> = {
  normals: { width: 3, Store: Float32Array, noun: 'normals' },
  colours: { width: 3, Store: Uint8Array, noun: 'colours', blank: 160 },
  confidence: { width: 1, Store: Float32Array, noun: 'confidences', blank: 0.5 },
  frame: { width: 1, Store: Uint16Array, noun: 'frame numbers' },
  evidence: { width: 1, Store: Uint8Array, noun: 'marks of evidence', blank: EVIDENCE.invented },
}

/** The attributes a shape has, in the order of the table. */
export function attributesOf(shape: Shape): { name: AttributeName; values: Values; attribute: PointAttribute }[] {
  const of = shape as Partial<Record<AttributeName, Values>>
  return (Object.entries(POINT_ATTRIBUTES) as [AttributeName, PointAttribute][]).flatMap(([name, attribute]) => {
    const values = of[name]
    return values ? [{ name, values, attribute }] : []
  })
}

/** The listed points with all that belongs to them, in that order; triangles are left as they are. */
export function pickPoints<S extends Shape>(shape: S, index: ArrayLike<number>): S {
  const gathered = attributesOf(shape).map(({ name, values, attribute }) => [
    name,
    gather(values, attribute.width, index, new attribute.Store(index.length * attribute.width)),
  ])
  return {
    ...shape,
    positions: gather(shape.positions, 3, index, new Float32Array(index.length * 3)),
    ...Object.fromEntries(gathered),
  }
}

function gather<T extends Values>(from: Values, width: number, index: ArrayLike<number>, to: T): T {
  if (width === 3)
    for (let i = 0, k = 0; i < index.length; i++, k += 3) {
      const p = index[i] * 3
      to[k] = from[p]
      to[k + 1] = from[p + 1]
      to[k + 2] = from[p + 2]
    }
  else
    for (let i = 0; i < index.length; i++)
      for (let c = 0; c < width; c++) to[i * width + c] = from[index[i] * width + c]
  return to
}

/**
 * The same points and new ones behind them, whose attributes say nothing; what cannot be said of the new ones is left
 * out of all.
 * @param positions of all points, old ones first
 */
export function withMorePoints<S extends Shape>(shape: S, positions: Float32Array): S {
  const grown = attributesOf(shape).map(({ name, values, attribute: { width, Store, blank } }) => {
    if (blank === undefined) return [name, undefined]
    const out = new Store((positions.length / 3) * width).fill(blank)
    out.set(values)
    return [name, out]
  })
  const { normals: _normals, frame: _frame, ...rest } = shape as S & { normals?: unknown; frame?: unknown }
  return { ...rest, positions, ...Object.fromEntries(grown.filter(([, v]) => v !== undefined)) }
}

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

/** Indices where the bit is set in a byte mask. */
export function indicesWhere(mask: Uint8Array, value: number): Int32Array {
  let n = 0
  for (let i = 0; i < mask.length; i++) if (mask[i] === value) n++
  const out = new Int32Array(n)
  n = 0
  for (let i = 0; i < mask.length; i++) if (mask[i] === value) out[n++] = i
  return out
}
