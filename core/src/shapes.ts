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
  /** Per vertex, see EVIDENCE: whether its colour was seen. */
  readonly colourEvidence?: Uint8Array
  /**
   * m×3×2, per corner: where its colour stands in the picture; u from its left edge, v down from its upper one, 0–1
   * inside (as in glTF 2.0, 3.8.4).
   */
  readonly uvs?: Float32Array
  /** m: the picture of each face, 0 for none, else one more than its place in `pictures`. */
  readonly picture?: Uint16Array
  readonly pictures?: readonly Picture[]
  readonly originMm?: readonly [number, number, number]
}

/** An encoded image that colours faces. */
export interface Picture {
  readonly mime: 'image/png' | 'image/jpeg'
  readonly bytes: Uint8Array
}

export type Shape = PointCloud | TriangleMesh

/** Where nothing is known of a colour: this grey. */
export const NO_COLOUR = 160

/** What a point, a corner or a face may have: how many numbers, how they are kept, how they are called. */
export interface Attribute {
  readonly width: number
  readonly Store: Float32ArrayConstructor | Uint8ArrayConstructor | Uint16ArrayConstructor
  /** Many of them, in a sentence. */
  readonly noun: string
  /** What a new one gets that has none of its own; left out where nothing sensible can be said. */
  readonly blank?: number
}

export type PointAttributeName = 'normals' | 'colours' | 'evidence' | 'colourEvidence' | 'frame' | 'confidence'
export type CornerAttributeName = 'uvs'
export type FaceAttributeName = 'picture'
type AttributeName = PointAttributeName | CornerAttributeName | FaceAttributeName
type Values = Float32Array | Uint8Array | Uint16Array

/** Every attribute there is: whoever copies, thins, welds, writes or checks points goes by this table. */
export const POINT_ATTRIBUTES: Readonly<Record<PointAttributeName, Attribute>> = {
  normals: { width: 3, Store: Float32Array, noun: 'normals' },
  colours: { width: 3, Store: Uint8Array, noun: 'colours', blank: NO_COLOUR },
  evidence: { width: 1, Store: Uint8Array, noun: 'marks of evidence', blank: EVIDENCE.invented },
  colourEvidence: { width: 1, Store: Uint8Array, noun: 'marks of where colour came from', blank: EVIDENCE.invented },
  frame: { width: 1, Store: Uint16Array, noun: 'frame numbers' },
  confidence: { width: 1, Store: Float32Array, noun: 'confidences', blank: 0.5 },
}
/** What one point may have differently in each of its faces. */
export const CORNER_ATTRIBUTES: Readonly<Record<CornerAttributeName, Attribute>> = {
  uvs: { width: 2, Store: Float32Array, noun: 'places in a picture', blank: 0 },
}
export const FACE_ATTRIBUTES: Readonly<Record<FaceAttributeName, Attribute>> = {
  picture: { width: 1, Store: Uint16Array, noun: 'numbers of pictures', blank: 0 },
}

interface Held<Name extends AttributeName> {
  readonly name: Name
  readonly values: Values
  readonly attribute: Attribute
}

function held<Name extends AttributeName>(shape: Shape, table: Readonly<Record<Name, Attribute>>): Held<Name>[] {
  const of = shape as Partial<Record<AttributeName, Values>>
  return (Object.entries(table) as [Name, Attribute][]).flatMap(([name, attribute]) => {
    const values = of[name]
    return values ? [{ name, values, attribute }] : []
  })
}

/** The attributes of its points that a shape has, in the order of the table. */
export const attributesOf = (shape: Shape): Held<PointAttributeName>[] => held(shape, POINT_ATTRIBUTES)
/** The attributes of its corners that a mesh has. */
export const cornerAttributesOf = (mesh: TriangleMesh): Held<CornerAttributeName>[] => held(mesh, CORNER_ATTRIBUTES)
/** The attributes of its faces that a mesh has. */
export const faceAttributesOf = (mesh: TriangleMesh): Held<FaceAttributeName>[] => held(mesh, FACE_ATTRIBUTES)

const picked = (list: readonly Held<AttributeName>[], index: ArrayLike<number>, each = 1): Record<string, Values> =>
  Object.fromEntries(
    list.map(({ name, values, attribute: { width, Store } }) => [
      name,
      gather(values, width * each, index, new Store(index.length * width * each)),
    ]),
  )

/** The listed points with all that belongs to them, in that order; triangles are left as they are. */
export function pickPoints<S extends Shape>(shape: S, index: ArrayLike<number>): S {
  return {
    ...shape,
    positions: gather(shape.positions, 3, index, new Float32Array(index.length * 3)),
    ...picked(attributesOf(shape), index),
  }
}

/**
 * The listed faces with all that belongs to them and to their corners, in that order; points are left as they are.
 * @param renamed new numbers of points, where they change with it
 */
export function pickTriangles(mesh: TriangleMesh, faces: ArrayLike<number>, renamed?: ArrayLike<number>): TriangleMesh {
  const indices = gather(mesh.indices, 3, faces, new Uint32Array(faces.length * 3))
  if (renamed) for (let i = 0; i < indices.length; i++) indices[i] = renamed[indices[i]]
  return {
    ...mesh,
    indices,
    ...picked(cornerAttributesOf(mesh), faces, 3),
    ...picked(faceAttributesOf(mesh), faces),
  }
}

function gather<T extends Values | Uint32Array>(from: T, width: number, index: ArrayLike<number>, to: T): T {
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

/** The same values and blank ones behind them; undefined where nothing can be said of the new ones. */
const grown = (list: readonly Held<AttributeName>[], count: number): Record<string, Values | undefined> =>
  Object.fromEntries(
    list.map(({ name, values, attribute: { width, Store, blank } }) => {
      if (blank === undefined) return [name, undefined]
      const out = new Store(count * width).fill(blank)
      out.set(values)
      return [name, out]
    }),
  )

const defined = (record: Record<string, unknown>): Record<string, unknown> =>
  Object.fromEntries(Object.entries(record).filter(([, v]) => v !== undefined))

/**
 * The same points and new ones behind them, whose attributes say nothing; what cannot be said of the new ones is left
 * out of all.
 * @param positions of all points, old ones first
 */
export function withMorePoints<S extends Shape>(shape: S, positions: Float32Array): S {
  const { normals: _normals, frame: _frame, ...rest } = shape as S & { normals?: unknown; frame?: unknown }
  return { ...rest, positions, ...defined(grown(attributesOf(shape), positions.length / 3)) } as S
}

/**
 * The same faces and new ones behind them, which have no picture.
 * @param indices of all faces, old ones first
 */
export function withMoreFaces(mesh: TriangleMesh, indices: Uint32Array): TriangleMesh {
  return {
    ...mesh,
    indices,
    ...defined(grown(cornerAttributesOf(mesh), indices.length)),
    ...defined(grown(faceAttributesOf(mesh), indices.length / 3)),
  }
}

/** Other faces on the same points: what belonged to the faces that were, and to their corners, is gone with them. */
export function withOtherFaces(mesh: TriangleMesh, indices: Uint32Array): TriangleMesh {
  const { uvs: _uvs, picture: _picture, pictures: _pictures, ...rest } = mesh
  return { ...rest, indices }
}

export interface Bounds {
  readonly min: [number, number, number]
  readonly max: [number, number, number]
}

/** How many points a shape has. */
export function pointCount(shape: Shape): number {
  return shape.positions.length / 3
}

/** The upright box round points, mm; inside out where there are none. */
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
