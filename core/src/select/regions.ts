import { connectedComponents } from '../cloud/components'
import { quietContext, type RunContext } from '../context'
import { GeometryError } from '../errors'
import { smallestEigen3 } from '../linear/symmetric3'
import { KdTree } from '../spatial/kd-tree'
import { bitsOf, countBits, emptyBits, hasBit, indicesOf, invert, setBit } from './bits'
import type { Items } from './lasso'

export interface PlaneGrowOptions {
  /** Farthest a point may lie off the plane of the seed, mm. */
  readonly distanceMm: number
  /** Most its normal may lean against that plane's, degrees; not asked where there are no normals. */
  readonly angleDeg: number
  /** Between neighbours, mm: gaps of more than three spacings end the plane. */
  readonly spacingMm: number
}

const SEED_NEIGHBOURS = 40
const STEP_SPACINGS = 3
const NEIGHBOURS = 12

/** A plane through a point and its neighbours: unit normal and offset (n·x = d). */
export interface LocalPlane {
  readonly normal: readonly [number, number, number]
  readonly offset: number
}

/** Least-squares plane of the points nearest to a seed. @throws DEGENERATE when they lie on a line or in one place */
export function planeAt(positions: Float32Array, tree: KdTree, seed: number, neighbours = SEED_NEIGHBOURS): LocalPlane {
  const ids = new Int32Array(neighbours),
    d2 = new Float64Array(neighbours)
  const found = tree.knn(positions[seed * 3], positions[seed * 3 + 1], positions[seed * 3 + 2], neighbours, ids, d2)
  return fitPlane(positions, ids.subarray(0, found))
}

/** Least-squares plane of the points listed. @throws DEGENERATE when they lie on a line or in one place */
export function fitPlane(positions: Float32Array, ids: ArrayLike<number>): LocalPlane {
  const n = ids.length
  let cx = 0,
    cy = 0,
    cz = 0
  for (let k = 0; k < n; k++) {
    cx += positions[ids[k] * 3] / n
    cy += positions[ids[k] * 3 + 1] / n
    cz += positions[ids[k] * 3 + 2] / n
  }
  let xx = 0,
    xy = 0,
    xz = 0,
    yy = 0,
    yz = 0,
    zz = 0
  for (let k = 0; k < n; k++) {
    const x = positions[ids[k] * 3] - cx,
      y = positions[ids[k] * 3 + 1] - cy,
      z = positions[ids[k] * 3 + 2] - cz
    xx += x * x
    xy += x * y
    xz += x * z
    yy += y * y
    yz += y * z
    zz += z * z
  }
  const out = new Float64Array(6)
  smallestEigen3(xx, xy, xz, yy, yz, zz, out)
  if (n < 3 || !(out[1] > 1e-9 * out[2]))
    throw new GeometryError('DEGENERATE', 'The points lie on one line: they do not say which plane is meant.')
  const normal = [out[3], out[4], out[5]] as const
  return { normal, offset: normal[0] * cx + normal[1] * cy + normal[2] * cz }
}

/** The flat patch round a seed: connected points near the seed's plane whose normals go with it. */
export function growPlane(items: Items, tree: KdTree, seed: number, options: PlaneGrowOptions): Uint8Array {
  if (!(options.distanceMm > 0))
    throw new GeometryError('PARAMS', `The distance from the plane must be more than 0 mm, not ${options.distanceMm}.`)
  const { positions: p, normals: q } = items
  const { normal, offset } = planeAt(p, tree, seed)
  const cosine = Math.cos((Math.min(180, Math.max(0, options.angleDeg)) * Math.PI) / 180)
  const bits = emptyBits(p.length / 3)
  const fits = (i: number): boolean => {
    const k = i * 3
    if (Math.abs(normal[0] * p[k] + normal[1] * p[k + 1] + normal[2] * p[k + 2] - offset) > options.distanceMm)
      return false
    return !q || Math.abs(normal[0] * q[k] + normal[1] * q[k + 1] + normal[2] * q[k + 2]) >= cosine
  }
  flood(p, tree, seed, (STEP_SPACINGS * options.spacingMm) ** 2, bits, fits)
  return bits
}

/** Walks from neighbour to neighbour, in steps no longer than a limit, over what fits. */
function flood(
  p: Float32Array,
  tree: KdTree,
  seed: number,
  step2: number,
  bits: Uint8Array,
  fits: (i: number) => boolean,
): void {
  const ids = new Int32Array(NEIGHBOURS),
    d2 = new Float64Array(NEIGHBOURS)
  const queue = [seed]
  setBit(bits, seed)
  while (queue.length > 0) {
    const i = queue.pop()!
    const found = tree.knn(p[i * 3], p[i * 3 + 1], p[i * 3 + 2], NEIGHBOURS, ids, d2, step2)
    for (let k = 0; k < found; k++) {
      const j = ids[k]
      if (hasBit(bits, j) || !fits(j)) continue
      setBit(bits, j)
      queue.push(j)
    }
  }
}

/** All that hangs together with a seed by gaps no wider than `gapMm`. */
export function connectedPart(
  items: Items,
  seed: number,
  gapMm: number,
  context: RunContext = quietContext(),
): Uint8Array {
  const { label } = connectedComponents({ kind: 'cloud', positions: items.positions }, gapMm, context)
  const own = label[seed]
  return bitsOf(label.map((l) => (l === own ? 1 : 0)))
}

/** The set and all that lies within a distance of it. @throws PARAMS for a distance that is not more than 0 */
export function grow(items: Items, bits: Uint8Array, byMm: number): Uint8Array {
  if (!(byMm > 0)) throw new GeometryError('PARAMS', `The selection grows or shrinks by more than 0 mm, not ${byMm}.`)
  const out = bits.slice()
  const chosen = indicesOf(bits)
  if (chosen.length === 0) return out
  const own = new Float32Array(chosen.length * 3)
  chosen.forEach((i, k) => own.set(items.positions.subarray(i * 3, i * 3 + 3), k * 3))
  const tree = new KdTree(own)
  const { positions: p } = items
  for (let i = 0; i < p.length / 3; i++)
    if (!hasBit(bits, i) && tree.nearest(p[i * 3], p[i * 3 + 1], p[i * 3 + 2], byMm * byMm) >= 0) setBit(out, i)
  return out
}

/** The set without what lies within a distance of the rest. */
export function shrink(items: Items, bits: Uint8Array, byMm: number): Uint8Array {
  const n = items.positions.length / 3
  return countBits(bits) === n ? bits.slice() : invert(grow(items, invert(bits, n), byMm), n)
}
