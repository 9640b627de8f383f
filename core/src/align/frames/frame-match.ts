import { type RunContext } from '../../context'
import { medianSpacing } from '../../cloud/spacing'
import { GeometryError } from '../../errors'
import { identityMotion, type Motion } from '../../linear/rigid'
import { median } from '../../linear/samples'
import type { PointCloud } from '../../shapes'
import { ALONE, settleAll } from './settle-frames'
import { ringClosingMm } from './ring'

export interface FrameMatchOptions {
  /**
   * How the frames were placed: by a table about the z axis, whose angle may have slipped, or by a device that found
   * its own place.
   */
  readonly placed: 'table' | 'free'
}

export interface FrameMatch {
  /** The take with every frame moved to its place; same points in the same order. */
  readonly cloud: PointCloud
  /** Per frame: where it was → where it belongs. Nothing moves when matching brings the frames no nearer. */
  readonly corrections: readonly Motion[]
  /** Whether the frames were moved. */
  readonly worthIt: boolean
  /** Turn about the table's axis each frame was off, degrees. */
  readonly turnsDeg: readonly number[]
  /** What the ring of neighbouring frames does not add up to, mm at the piece's radius. */
  readonly closingBeforeMm: number
  readonly closingAfterMm: number
  /** Middle of the robust scatters between each two frames that share surface, mm. */
  readonly scatterBeforeMm: number
  readonly scatterAfterMm: number
  readonly rounds: number
}

/**
 * Matches the frames of one take with each other: `settleFrames` with a single take. Positions in mm; frames as the
 * cloud's `frame` numbers them. The cloud is not changed.
 * @throws PARAMS when the cloud does not know its frames, or has fewer than two
 */
export async function matchFrames(
  cloud: PointCloud,
  options: FrameMatchOptions,
  context: RunContext,
): Promise<FrameMatch> {
  const still = identityMotion()
  const s = await settleAll([{ cloud, motion: still, placed: options.placed }], ALONE, context).catch((e: unknown) => {
    if (e instanceof GeometryError && e.code === 'NO_OVERLAP')
      throw new GeometryError(
        'NO_OVERLAP',
        'The frames of this take have hardly any surface in common; they cannot be matched.',
      )
    throw e
  })
  const { cloud: matched, corrections } = s.takes[0]
  const worthIt = corrections.length > 0
  const stays = Array.from({ length: cloud.frameOrigins!.length / 3 }, identityMotion)
  const used = worthIt ? corrections : stays
  const reachMm = 2.5 * medianSpacing(cloud) + 3 * s.scatterMm
  const closing = (motions: readonly Motion[], reach: number): number =>
    ringClosingMm(s.clouds, motions, s.centre, s.radiusMm, reach)
  return {
    cloud: matched,
    corrections: used,
    worthIt,
    turnsDeg: used.map((m) => (Math.atan2(m[4] - m[1], m[0] + m[5]) * 180) / Math.PI),
    closingBeforeMm: closing(s.starts, s.reachMm),
    closingAfterMm: closing(worthIt ? s.motions : s.starts, worthIt ? reachMm : s.reachMm),
    scatterBeforeMm: median(s.scattersBefore),
    scatterAfterMm: median(worthIt ? s.scattersAfter : s.scattersBefore),
    rounds: s.rounds,
  }
}
