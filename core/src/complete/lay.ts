import { matchFine } from '../align/refine/icp'
import { prepareCloud } from '../align/oriented-cloud'
import { measureOverlap } from '../align/overlap'
import { thinEvenly } from '../cloud/thin'
import { maskAbovePlane } from '../cloud/plane'
import { findTable } from '../tidy/table'
import { stage, type RunContext } from '../context'
import { GeometryError, isGeometryError } from '../errors'
import {
  compose,
  identityMotion,
  invertRigid,
  motionFromRows,
  shiftMotion,
  transformPoints,
  type Motion,
} from '../linear/rigid'
import { poseTurn, PUTTY_RISE_MM, type PlannedTake } from '../plan/takes'
import { boundsOf, diagonal, indicesWhere, pickPoints, type PointCloud } from '../shapes'
import type { LaidTake } from './estimate'

/** How takes were brought together for the look at what is missing. */
export interface Laid {
  readonly takes: LaidTake[]
  readonly how: 'one' | 'join' | 'poses'
  /** Takes that could not be laid beside the others. */
  readonly left: readonly string[]
}

interface LayOptions {
  readonly names: readonly string[]
  readonly planned: readonly (PlannedTake | null)[]
  readonly motions: Record<string, number[][]> | null
  readonly fixed: string
}

/** Points this low over table or riser belong to it, mm. */
export const TABLE_BAND_MM = 0.6
const MIN_OVERLAP = 0.08
/** Points over the size for the coarse match. */
const MATCH_CELLS = 130

/** Height under which a planned take holds nothing of the piece, in the table's coordinates. */
export const planFloorMm = (t: PlannedTake): number =>
  t.support === 'plate' ? 0 : t.riserMm + (t.support === 'putty' ? PUTTY_RISE_MM : 0)

/**
 * Lays takes together in the frame of the standing piece: by the join where there is one; else by what the plan says of
 * each pose, then a coarse match.
 * A take without a plan stands as it lies; its table is looked for.
 */
export function layTakes(
  clouds: readonly PointCloud[],
  { names, planned, motions, fixed }: LayOptions,
  context: RunContext,
): Laid {
  const at = Math.max(0, names.indexOf(fixed))
  const base = planned[at] ?? null
  const standing: Motion = base ? invertRigid(poseTurn(base)) : identityMotion()
  const cleared = clouds.map((cloud, i) => ({
    cloud: planned[i] ? cloud : withoutTable(cloud, stage(context, 0, 0.2)),
    floorMm: planned[i] ? planFloorMm(planned[i]) : null,
  }))
  const laid = (i: number, motion: Motion): LaidTake => ({
    name: names[i],
    ...cleared[i],
    motion: compose(standing, motion),
  })
  if (clouds.length === 1) return { takes: [laid(0, identityMotion())], how: 'one', left: [] }
  if (motions && names.every((n) => motions[n]))
    return { takes: names.map((n, i) => laid(i, motionFromRows(motions[n], n))), how: 'join', left: [] }
  // Each on the piece: turned back from its pose, middle over middle, then matched to what lies there already.
  const only = cleared.map(({ cloud, floorMm }) => above(cloud, floorMm))
  const rough = only.map((c) => pickPoints(c, thinEvenly(c, diagonal(boundsOf(c.positions)) / MATCH_CELLS)))
  const starts = rough.map((c, i) => startOf(c, planned[i] ?? null))
  const toFixed = invertRigid(starts[at])
  const takes: LaidTake[] = [laid(at, identityMotion())]
  const left: string[] = []
  let joined = rough[at]
  const order = names.map((_, i) => i).filter((i) => i !== at)
  order.forEach((i, k) => {
    const part = stage(context, 0.2 + (0.8 * k) / order.length, 0.2 + (0.8 * (k + 1)) / order.length)
    const target = prepareCloud(joined, stage(part, 0, 0.3)),
      source = prepareCloud(rough[i], stage(part, 0.3, 0.5))
    const start = compose(toFixed, starts[i])
    try {
      const { motion } = matchFine(source, target, start, {}, stage(part, 0.5, 1))
      if (measureOverlap(source, target, motion).share < MIN_OVERLAP)
        throw new GeometryError('DEGENERATE', 'no overlap')
      takes.push(laid(i, motion))
      joined = merge(joined, rough[i], motion)
    } catch (error) {
      if (!isGeometryError(error) || error.code === 'CANCELLED') throw error
      left.push(names[i])
    }
  })
  return { takes, how: 'poses', left }
}

function above(cloud: PointCloud, floorMm: number | null): PointCloud {
  if (floorMm === null) return cloud
  const { positions: p } = cloud
  return pickPoints(
    cloud,
    Int32Array.from({ length: p.length / 3 }, (_, i) => i).filter((i) => p[i * 3 + 2] > floorMm + TABLE_BAND_MM),
  )
}

/**
 * From a take's frame to one about the piece's middle, standing: box over box is rough, but the match does the rest.
 */
function startOf(cloud: PointCloud, take: PlannedTake | null): Motion {
  const { min, max } = boundsOf(cloud.positions)
  const low = take ? (take.support === 'plate' ? 0 : take.riserMm) : min[2]
  const shift = shiftMotion(-(min[0] + max[0]) / 2, -(min[1] + max[1]) / 2, -(low + max[2]) / 2)
  return take ? compose(invertRigid(poseTurn(take)), shift) : shift
}

function merge(a: PointCloud, b: PointCloud, motion: Motion): PointCloud {
  const moved = transformPoints(motion, b.positions)
  const positions = new Float32Array(a.positions.length + moved.length)
  positions.set(a.positions)
  positions.set(moved, a.positions.length)
  return { kind: 'cloud', positions }
}

/** An imported take: what looks like a table is left out. */
function withoutTable(cloud: PointCloud, context: RunContext): PointCloud {
  if (!cloud.normals) return cloud
  const table = findTable(cloud, context, { bandMm: 0.5 })
  if (!table?.signs.isTable) return cloud
  const keep = indicesWhere(maskAbovePlane(cloud, table.plane, TABLE_BAND_MM), 1)
  return keep.length > 300 ? pickPoints(cloud, keep) : cloud
}
