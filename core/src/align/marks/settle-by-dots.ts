import { compose, identityMotion, type Motion } from '../../linear/rigid'
import type { FoundDot } from '../../tidy/dots'
import type { TakeFeatures } from '../coarse/features'
import type { DotReport, JoinReport, JoinRequest } from '../takes/join-report'
import type { Mark } from './mark'
import { cutOf } from '../takes/links'
import { matchDots, movedDot } from './match-dots'
import { openOver } from '../poses/open-poses'

/**
 * How far apart two sightings of one dot may lie while takes are still to be settled, and how well a dot's middle is
 * known.
 */
const DOT_TOLERANCE_MM = 1
const DOT_SIGMA_MM = 0.15
/** A pose that dots speak for must fit so well by shape, beside the one taken. */
const SHAPE_ALLOWS = 0.5

/** Dots that both sides of a link show choose among the poses shape leaves open, and hold the takes from then on. */
export async function settleByDots(
  request: JoinRequest,
  described: readonly TakeFeatures[],
  report: JoinReport,
  again: (at: readonly Motion[], marks: readonly Mark[]) => Promise<JoinReport>,
): Promise<JoinReport> {
  const motions = report.motions.map((m) => m ?? identityMotion())
  const told: DotReport[] = []
  const marks: Mark[] = [...(request.marks ?? [])]
  const members = [...report.motions.keys()].filter((i) => report.motions[i])
  for (const link of report.tree) {
    const cut = cutOf(link, report.tree, members, request.groups)
    const laid = (takes: readonly number[]): { take: number; own: FoundDot; here: FoundDot }[] =>
      takes.flatMap((i) => request.dots![i].map((own) => ({ take: i, own, here: movedDot(own, motions[i]) })))
    const movers = laid(cut.movers),
      stayers = laid(cut.stayers)
    const open = openOver(link, cut, report, described, motions)
    const match = matchDots(
      movers.map((d) => d.here),
      stayers.map((d) => d.here),
      [identityMotion(), ...open.poses],
      open.turn,
      DOT_TOLERANCE_MM,
      (pose) => open.fit(pose) >= SHAPE_ALLOWS,
    )
    told.push({
      movers: cut.movers,
      stayers: cut.stayers,
      seen: [movers.length, stayers.length],
      matched: match?.pairs.length ?? 0,
      ambiguous: match?.ambiguous ?? false,
      rmsMm: match?.rmsMm ?? 0,
    })
    if (!match || match.ambiguous) continue
    for (const i of cut.movers) motions[i] = compose(match.motion, motions[i])
    for (const [p, q] of match.pairs)
      marks.push({
        a: movers[p].take,
        b: stayers[q].take,
        atA: movers[p].own.centre,
        atB: stayers[q].own.centre,
        sigmaMm: DOT_SIGMA_MM,
      })
  }
  return { ...(marks.length > (request.marks?.length ?? 0) ? await again(motions, marks) : report), dots: told }
}
