import { quietContext, type PointCloud, type Shape } from '@holosoma/core'
import { estimateFeatures } from '@holosoma/core/cloud/normals'
import { medianSpacing } from '@holosoma/core/cloud/spacing'
import { GeometryError } from '@holosoma/core/errors'
import {
  addDepth, chunksOf, combine, connectedPart, emptyBits, emptyDepth, grow, growPlane, invert, selectBelow, selectBelowPlane, selectByBrush, selectByColour, selectInPolygon, shrink, withTolerance, type Chunks, type Combine, type Items, type View,
} from '@holosoma/core/select/index'
import { KdTree } from '@holosoma/core/spatial/kd-tree'
import { pickPoint } from '@holosoma/core/spatial/pick'

type Vector = [number, number, number]
/** A ray from the eye through the pointer, with how far off it a point may lie. */
export interface PointerRay { readonly origin: Vector; readonly direction: Vector; readonly radiusMm: number }

/** What a hand does to choose points. */
export type Choice =
  | { readonly kind: 'lasso'; readonly polygon: readonly number[]; readonly view: View; readonly front: boolean }
  | { readonly kind: 'brush'; readonly rays: readonly PointerRay[]; readonly radiusMm: number }
  | { readonly kind: 'plane'; readonly ray: PointerRay; readonly distanceMm: number; readonly angleDeg: number }
  | { readonly kind: 'part'; readonly ray: PointerRay; readonly gapMm: number | null }
  | { readonly kind: 'colour'; readonly ray: PointerRay; readonly difference: number }
  | { readonly kind: 'unsure'; readonly below: number }
  | { readonly kind: 'below'; readonly axis: 0 | 1 | 2; readonly atMm: number }
  | { readonly kind: 'grow' | 'shrink'; readonly byMm: number }
  | { readonly kind: 'invert' }

interface Ready { readonly cloud: PointCloud; readonly chunks: Chunks; readonly spacingMm: number; tree: KdTree | null; slopes: Items | null }

const KEPT = 4
const ready = new Map<string, Ready>()

function readyOf(hash: string, shape: Shape): Ready {
  let made = ready.get(hash)
  if (!made) {
    if (shape.kind !== 'cloud') throw new GeometryError('SHAPE', 'Only takes of points are chosen from here.')
    made = { cloud: shape, chunks: chunksOf(shape.positions), spacingMm: medianSpacing(shape), tree: null, slopes: null }
    ready.set(hash, made)
    if (ready.size > KEPT) ready.delete(ready.keys().next().value!)
  }
  return made
}

const GAP_SPACINGS = 4

/** The points with normals: a file's own, or estimated ones, of which only the slope is sure. */
function withSlopes(r: Ready): Items {
  return (r.slopes ??= r.cloud.normals ? r.cloud : { positions: r.cloud.positions, normals: estimateFeatures(r.cloud, quietContext()).normals, oriented: false })
}

/** The new selection, from what was chosen before and what the hand does now. @throws EMPTY when the pointer meets nothing */
export function choose(hash: string, shape: Shape, choice: Choice, before: Uint8Array | null, how: Combine): Uint8Array {
  const r = readyOf(hash, shape)
  const { cloud } = r
  const n = cloud.positions.length / 3
  const old = before ?? emptyBits(n)
  const tree = (): KdTree => (r.tree ??= new KdTree(cloud.positions))
  const under = ({ origin, direction, radiusMm }: PointerRay): number => {
    const hit = pickPoint(cloud.positions, origin, direction, radiusMm)
    if (!hit) throw new GeometryError('EMPTY', 'There is no point under the pointer; begin on the piece itself.')
    return tree().nearest(...hit.at)
  }
  switch (choice.kind) {
    case 'invert': return invert(old, n)
    case 'grow': return grow(cloud, old, choice.byMm)
    case 'shrink': return shrink(cloud, old, choice.byMm)
    case 'unsure': return combine(old, selectBelow(cloud.confidence, choice.below), how)
    case 'below': {
      const normal = [0, 1, 2].map((c) => (c === choice.axis ? 1 : 0)) as Vector
      return combine(old, selectBelowPlane(cloud.positions, { normal, offset: choice.atMm }), how)
    }
    case 'plane': return combine(old, growPlane(cloud, tree(), under(choice.ray), { ...choice, spacingMm: r.spacingMm }), how)
    case 'part': return combine(old, connectedPart(cloud, under(choice.ray), choice.gapMm ?? GAP_SPACINGS * r.spacingMm, quietContext()), how)
    case 'colour': {
      const i = under(choice.ray) * 3
      return combine(old, selectByColour(cloud.colours, cloud.colours ? [cloud.colours[i]!, cloud.colours[i + 1]!, cloud.colours[i + 2]!] : [0, 0, 0], choice.difference), how)
    }
    case 'brush': {
      const stroke = choice.rays.flatMap((ray) => pickPoint(cloud.positions, ray.origin, ray.direction, ray.radiusMm)?.at ?? [])
      if (stroke.length === 0) throw new GeometryError('EMPTY', 'The brush met no point; paint on the piece itself.')
      const d = choice.rays[0]!.direction
      return combine(old, selectByBrush(cloud, stroke, choice.radiusMm, r.chunks, [-d[0], -d[1], -d[2]]), how)
    }
    case 'lasso': {
      const depth = choice.front ? emptyDepth(choice.view.width, choice.view.height) : null
      if (depth) addDepth(depth, cloud, choice.view, r.spacingMm)
      return combine(old, selectInPolygon(depth ? withSlopes(r) : cloud, choice.view, choice.polygon, r.chunks, depth && withTolerance(depth, r.spacingMm)), how)
    }
  }
}
