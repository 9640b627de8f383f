import type { RunContext } from '../../context'
import { GeometryError } from '../../errors'
import { transformPoint, type Motion } from '../../linear/rigid'
import { pickPoints, type PointCloud } from '../../shapes'
import { coarseVoxelMm, featuresOfTakes, type TakeFeatures } from '../coarse/features'
import { matchCoarse, rankPoses } from '../coarse/match'
import { prepareCloud } from '../oriented-cloud'

/** A spot on a take and how far about it counts, mm, in the take's own coordinates. */
export interface Area {
  readonly at: readonly [number, number, number]
  readonly radiusMm: number
}

const MIN_POINTS = 300
/** The areas’ middles come together within this share of their radius. */
const MEET = 0.6

/**
 * Where two takes lie to each other, by the shape of one area marked on each: the search by shape, on those parts
 * alone.
 * @returns a → b
 * @throws PARAMS for areas of too few points, NO_OVERLAP when their shapes have nothing in common
 */
export async function matchAreas(
  a: PointCloud,
  b: PointCloud,
  areas: readonly [Area, Area],
  names: readonly [string, string],
  context: RunContext,
): Promise<Motion> {
  const parts = [a, b].map((cloud, side) => {
    const { at, radiusMm } = areas[side]
    const p = cloud.positions,
      inside: number[] = []
    for (let i = 0; i < p.length / 3; i++)
      if ((p[i * 3] - at[0]) ** 2 + (p[i * 3 + 1] - at[1]) ** 2 + (p[i * 3 + 2] - at[2]) ** 2 <= radiusMm * radiusMm)
        inside.push(i)
    if (inside.length < MIN_POINTS)
      throw new GeometryError(
        'PARAMS',
        `The area marked on “${names[side]}” holds ${inside.length} points; mark a larger one.`,
      )
    return pickPoints(cloud, inside)
  })
  const describe = async (clouds: readonly PointCloud[]): Promise<TakeFeatures[]> => {
    const takes = clouds.map((p) => prepareCloud(p, context))
    return featuresOfTakes(takes, clouds, coarseVoxelMm(takes), context)
  }
  const near = await describe(parts),
    whole = await describe([a, b])
  // Poses by the areas' own shape and by the whole's, of which only those that lay one area on the other; the wholes
  // say which is best.
  const poses = [...matchCoarse(near[0], near[1]), ...matchCoarse(whole[0], whole[1])]
    .map((c) => c.motion)
    .filter((m) => {
      const [x, y, z] = transformPoint(m, ...areas[0].at),
        q = areas[1].at
      return Math.hypot(x - q[0], y - q[1], z - q[2]) <= MEET * Math.max(areas[0].radiusMm, areas[1].radiusMm)
    })
  const [best] = rankPoses(whole[0], whole[1], poses)
  if (!best)
    throw new GeometryError(
      'NO_OVERLAP',
      `The areas marked on “${names[0]}” and “${names[1]}” have no shape in common. Mark the same spot on both.`,
    )
  return best.motion
}
