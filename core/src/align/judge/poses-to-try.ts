import { compose, invertRigid, rotationMotion, shiftMotion, transformPoints, type Motion } from '../../linear/rigid'
import type { CoarseMatches } from '../coarse/matches'
import { principalFrame } from '../coarse/axis-poses'
import { rankPoses } from '../coarse/match'
import { downsampledSamples } from '../coarse/downsampled-cloud'
import { findLookAlikes, findShifts } from '../poses/look-alikes'
import type { CrossingPair, LaidTakes } from './closely'
import { surfaceSamples } from './slides'

/** Another pose of the movers, in the common frame, and the two takes that told of it. */
export interface TriedPose {
  readonly motion: Motion
  readonly m: number
  readonly s: number
}

/** Pairs across a cut that are asked. */
const ASKED = 2

/**
 * Where the movers might lie instead: from feature matches, from symmetries of the shared surface, from its shifts, and
 * from quarter turns of the whole.
 * @param crossing pairs across the cut, the largest first @param leastMm shorter shifts are the pose itself
 */
export function posesToTry(
  set: LaidTakes & { readonly matches: CoarseMatches },
  crossing: readonly CrossingPair[],
  movers: readonly number[],
  leastMm: number,
): TriedPose[] {
  const { described, motions } = set
  const voxel = described[0].outline.voxelMm
  const poses: TriedPose[] = []
  crossing.slice(0, ASKED).forEach((pair, nth) => {
    const [m, s] = movers.includes(pair.a) ? [pair.a, pair.b] : [pair.b, pair.a]
    const inCommon = (c: Motion): Motion => compose(motions[s], compose(c, invertRigid(motions[m])))
    const common = surfaceSamples(pair.shared),
      whole = downsampledSamples(described[s].outline, motions[s]),
      fitMm = Math.max(0.12 * voxel, 2 * pair.shared.expectedMm)
    const fromCommon = (h: Motion): Motion => compose(invertRigid(motions[s]), compose(h, motions[m]))
    const turned = rankPoses(
      described[m],
      described[s],
      findLookAlikes(common, whole, fitMm).found.map((f) => fromCommon(f.motion)),
    )
    // Teeth may stand closer than what ranking holds apart.
    const shifted =
      nth > 0
        ? []
        : findShifts(common, whole, fitMm, leastMm).flatMap((h) =>
            rankPoses(described[m], described[s], [fromCommon(h)]),
          )
    // A piece that nearly fits itself: the pose taken, turned about the axes of all that both saw.
    const about =
      nth > 0
        ? []
        : rankPoses(
            described[m],
            described[s],
            wholeTurns([m, s].map((t) => transformPoints(motions[t], described[t].outline.points))).map(fromCommon),
          )
    for (const c of [...set.matches.between(m, s), ...turned, ...shifted, ...about])
      poses.push({ motion: inCommon(c.motion), m, s })
  })
  return poses
}

/** Half and quarter turns about the principal axes of several clouds together, through their middle. */
function wholeTurns(clouds: readonly Float32Array[]): Motion[] {
  const all = new Float32Array(clouds.reduce((n, c) => n + c.length, 0))
  clouds.reduce((at, c) => (all.set(c, at), at + c.length), 0)
  const { middle, axes } = principalFrame(all)
  return axes.flatMap((axis) =>
    [1, 2, 3].map((quarters) =>
      compose(
        shiftMotion(...middle),
        compose(
          rotationMotion(Array.from(axis), (quarters * Math.PI) / 2),
          shiftMotion(-middle[0], -middle[1], -middle[2]),
        ),
      ),
    ),
  )
}
