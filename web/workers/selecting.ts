import { areaOfPoints, estimateFeaturesSparsely, medianSpacing } from '@holosoma/core/cloud'
import { quietContext, type PointCloud, type Shape } from '@holosoma/core'
import { GeometryError } from '@holosoma/core/errors'
import { invertRigid, motionFromRows, transformPoint, type Motion } from '@holosoma/core/linear'
import {
  addDepth,
  chunksOf,
  combine,
  connectedPart,
  emptyBits,
  emptyDepth,
  frontOf,
  grow,
  growPlane,
  invert,
  itemsUnderBrush,
  pixelsOf,
  selectBelow,
  selectBelowPlane,
  selectByColour,
  selectInPolygon,
  shrink,
  withTolerance,
  type Chunks,
  type Combine,
  type DepthBuffer,
  type Items,
  type View,
} from '@holosoma/core/select'
import { KdTree, pickPoint, type Hit } from '@holosoma/core/spatial'

export type Vector = [number, number, number]
/** A ray from the eye through the pointer, with how far off it a point may lie. */
export interface PointerRay {
  readonly origin: Vector
  readonly direction: Vector
  readonly radiusMm: number
}

/** What a hand does to choose points; places, directions and views are the stage's. */
export type Choice =
  | { readonly kind: 'lasso'; readonly polygon: readonly number[]; readonly view: View }
  | { readonly kind: 'plane'; readonly at: Vector; readonly distanceMm: number; readonly angleDeg: number }
  | { readonly kind: 'part'; readonly at: Vector; readonly gapMm: number | null }
  | { readonly kind: 'tone'; readonly colour: Vector; readonly difference: number }
  | { readonly kind: 'unsure'; readonly below: number }
  | { readonly kind: 'below'; readonly normal: Vector; readonly offsetMm: number }
  | { readonly kind: 'grow' | 'shrink'; readonly byMm: number }
  | { readonly kind: 'kept'; readonly bits: Uint8Array }
  | { readonly kind: 'invert' }

/** A stretch of the brush: places on the stage it goes through, and where it is looked from. */
export interface Stroke {
  readonly at: readonly number[]
  readonly radiusMm: number
  readonly facing: Vector
}

/** A take as it lies on the stage. */
export interface Laid {
  readonly takeId: number
  readonly hash: string
  readonly rows: number[][] | null
}

interface Ready {
  readonly cloud: PointCloud
  readonly chunks: Chunks
  readonly spacingMm: number
  tree: KdTree | null
  slopes: Items | null
  aim: Aim | null
}

/** What a hand will need that draws on a view: known while it still draws. */
interface Aim {
  readonly key: string
  readonly pixels: Uint32Array
  shows: Uint8Array | null
  showsOf: string | null
}

/** A depth picture, with a name of its own so that what shows in it is reckoned once. */
export type NamedDepth = DepthBuffer & { readonly name?: string }

const ready = new WeakMap<Shape, Ready>()

function readyOf(shape: Shape): Ready {
  let made = ready.get(shape)
  if (!made) {
    if (shape.kind !== 'cloud') throw new GeometryError('SHAPE', 'Only takes of points are chosen from here.')
    made = {
      cloud: shape,
      chunks: chunksOf(shape.positions),
      spacingMm: medianSpacing(shape),
      tree: null,
      slopes: null,
      aim: null,
    }
    ready.set(shape, made)
  }
  return made
}

const treeOf = (r: Ready): KdTree => (r.tree ??= new KdTree(r.cloud.positions))
const GAP_SPACINGS = 4

/** The points with normals: a file's own, or estimated ones, of which only the slope is sure. */
function withSlopes(r: Ready): Items {
  return (r.slopes ??= r.cloud.normals
    ? r.cloud
    : {
        positions: r.cloud.positions,
        normals: estimateFeaturesSparsely(r.cloud, quietContext()).normals,
        oriented: false,
      })
}

/** Stage → take; null for a take that lies as it was taken. */
const toTake = (rows: number[][] | null): Motion | null => rows && invertRigid(motionFromRows(rows, 'take'))
const moved = (m: Motion | null, v: ArrayLike<number>): Vector =>
  m ? transformPoint(m, v[0], v[1], v[2]) : [v[0], v[1], v[2]]
const turned = (m: Motion | null, v: ArrayLike<number>): Vector =>
  m ? ([0, 4, 8].map((r) => m[r] * v[0] + m[r + 1] * v[1] + m[r + 2] * v[2]) as Vector) : [v[0], v[1], v[2]]

/** A view of the stage as a take's own coordinates have it. */
function viewFor(view: View, rows: number[][] | null): View {
  if (!rows) return view
  const a = view.matrix,
    b = rows.flat()
  return {
    ...view,
    matrix: Array.from({ length: 16 }, (_, k) =>
      [0, 1, 2, 3].reduce((s, i) => s + a[(k >> 2) * 4 + i] * b[i * 4 + (k & 3)], 0),
    ),
  }
}

/** What is nearest on the stage, of these takes. */
export function depthOf(takes: readonly { shape: Shape; rows: number[][] | null }[], view: View): DepthBuffer {
  const depth = emptyDepth(view.width, view.height)
  for (const { shape, rows } of takes) {
    const r = readyOf(shape)
    addDepth(depth, r.cloud, viewFor(view, rows), r.spacingMm)
  }
  return depth
}

/** Where a take's points lie on a view, and which of them nothing hides. */
export function aimAt(shape: Shape, rows: number[][] | null, view: View, depth: NamedDepth | null): Aim {
  const r = readyOf(shape)
  const own = viewFor(view, rows)
  const key = JSON.stringify([Array.from(own.matrix), view.width, view.height])
  const aim = r.aim?.key === key ? r.aim : (r.aim = { key, pixels: pixelsOf(r.cloud, own), shows: null, showsOf: null })
  if (depth && (!aim.shows || depth.name === undefined || aim.showsOf !== depth.name)) {
    aim.shows = frontOf(withSlopes(r), own, aim.pixels, withTolerance(depth, r.spacingMm))
    aim.showsOf = depth.name ?? null
  }
  return aim
}

/** About how much surface so many points of a take stand for: each a square of its spacing. */
export const areaOf = (shape: Shape, count: number): number =>
  shape.kind === 'cloud' ? areaOfPoints(count, readyOf(shape).spacingMm) : 0

/** What the hand will need of a take. */
export function prepareFor(shape: Shape): void {
  if (shape.kind === 'cloud') withSlopes(readyOf(shape))
}

/** Where a pointer meets a take: place on the stage, depth along the ray, colour there. */
export interface PointerHit {
  readonly at: Vector
  readonly depthMm: number
  readonly colour: Vector | null
}

export function hitsOf(shape: Shape, rows: number[][] | null, rays: readonly PointerRay[]): (PointerHit | null)[] {
  const { cloud, chunks } = readyOf(shape)
  const m = toTake(rows),
    back = rows && motionFromRows(rows, 'take')
  return rays.map((ray) => {
    const hit = pickPoint(cloud.positions, moved(m, ray.origin), turned(m, ray.direction), ray.radiusMm, chunks)
    if (!hit) return null
    const i = cloud.colours ? treeOf(readyOf(shape)).nearest(...hit.at) * 3 : -1
    return {
      at: moved(back, hit.at),
      depthMm: hit.distanceMm,
      colour: i < 0 ? null : [cloud.colours![i], cloud.colours![i + 1], cloud.colours![i + 2]],
    }
  })
}

/** The point of a take that is meant by a ray in its own coordinates. */
export const pointUnder = (shape: PointCloud, origin: Vector, direction: Vector, radiusMm: number): Hit | null =>
  pickPoint(shape.positions, origin, direction, radiusMm, readyOf(shape).chunks)

/** Points of a take under a stretch of the brush, in no order. */
export function underStroke(shape: Shape, rows: number[][] | null, { at, radiusMm, facing }: Stroke): number[] {
  const { cloud, chunks } = readyOf(shape)
  const m = toTake(rows)
  const places: number[] = []
  for (let k = 0; k < at.length; k += 3) places.push(...moved(m, at.slice(k, k + 3)))
  return itemsUnderBrush(cloud, places, radiusMm, chunks, turned(m, facing))
}

/** The new selection of one take, from what was chosen before and what the hand does now. */
export function choose(
  shape: Shape,
  rows: number[][] | null,
  choice: Choice,
  before: Uint8Array | null,
  how: Combine,
  depth: NamedDepth | null,
): Uint8Array {
  const r = readyOf(shape)
  const { cloud } = r
  const n = cloud.positions.length / 3
  const old = before ?? emptyBits(n)
  const m = toTake(rows)
  const seed = (at: Vector): number => treeOf(r).nearest(...moved(m, at))
  switch (choice.kind) {
    case 'invert':
      return invert(old, n)
    case 'grow':
      return grow(cloud, old, choice.byMm)
    case 'shrink':
      return shrink(cloud, old, choice.byMm)
    case 'unsure':
      return combine(old, selectBelow(cloud.confidence, choice.below), how)
    case 'kept':
      if (choice.bits.length !== (n + 7) >> 3)
        throw new GeometryError('SHAPE', 'That choice belongs to the take as it was then; it has changed since.')
      return combine(old, choice.bits, how)
    case 'below': {
      const normal = turned(m, choice.normal),
        shift = rows ? motionFromRows(rows, 'take') : null
      return combine(
        old,
        selectBelowPlane(cloud.positions, {
          normal,
          offset:
            choice.offsetMm -
            (shift ? choice.normal[0] * shift[3] + choice.normal[1] * shift[7] + choice.normal[2] * shift[11] : 0),
        }),
        how,
      )
    }
    case 'plane':
      return combine(old, growPlane(cloud, treeOf(r), seed(choice.at), { ...choice, spacingMm: r.spacingMm }), how)
    case 'part':
      return combine(
        old,
        connectedPart(cloud, seed(choice.at), choice.gapMm ?? GAP_SPACINGS * r.spacingMm, quietContext()),
        how,
      )
    case 'tone':
      return combine(old, selectByColour(cloud.colours, choice.colour, choice.difference), how)
    case 'lasso': {
      const { pixels, shows } = aimAt(shape, rows, choice.view, depth)
      return combine(old, selectInPolygon(pixels, choice.view, choice.polygon, depth && shows), how)
    }
  }
}
