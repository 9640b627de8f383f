import { compose, identityMotion, type Motion } from '../../linear/rigid'
import type { JoinReport, JoinRequest } from '../takes/join-report'
import type { TakeFeatures } from '../coarse/features'
import { cutOf } from '../takes/links'
import { openOver } from '../poses/open-poses'
import type { Toned } from './meet'
import { chooseByColours, type ColourChoice, type ColourReport } from './settle'
import type { ColouredPair } from './slide-to-colours'

/** Other poses are only asked about where they fit nearly as well by shape. */
const SHAPE_ALLOWS = 0.75

/**
 * Colours choose among the poses shape and marks leave open, link by link, and hold from then on what they have
 * settled.
 */
export async function settleByColours(
  request: JoinRequest,
  described: readonly TakeFeatures[],
  toned: readonly (Toned | null)[],
  report: JoinReport,
  again: (at: readonly Motion[], coloured: readonly ColouredPair[]) => Promise<JoinReport>,
): Promise<JoinReport> {
  const motions = report.motions.map((m) => m ?? identityMotion())
  const members = [...report.motions.keys()].filter((i) => report.motions[i])
  const told: ColourChoice[] = report.tree.map((link) => {
    const cut = cutOf(link, report.tree, members, request.groups)
    const open = openOver(link, cut, report, described, motions)
    const choice = chooseByColours(
      cut.movers,
      cut.stayers,
      motions,
      toned,
      open.poses.filter((p) => open.fit(p) >= SHAPE_ALLOWS),
      open.turn && open.freedom ? { ...open.freedom, motion: open.turn } : open.freedom,
      open.fit,
    )
    if (!choice.moved) return choice
    // Takes that are only judged stay where a person put them: colours that want them elsewhere speak against that.
    if (request.asPlaced)
      return {
        ...choice,
        agreement: choice.asTaken,
        next: choice.agreement,
        settled: false,
        moved: false,
        contradicts: true,
      }
    for (const i of cut.movers) motions[i] = compose(choice.motion, motions[i])
    return choice
  })
  const crosses = (c: ColourReport, a: number, b: number): boolean => c.movers.includes(a) !== c.movers.includes(b)
  const coloured = report.pairs
    .filter(({ a, b }) => toned[a] && toned[b] && told.filter((c) => crosses(c, a, b)).every((c) => c.settled))
    .map(({ a, b }): ColouredPair => [a, b])
  const settled = coloured.length > 0 ? await again(motions, coloured) : report
  return { ...settled, dots: report.dots, colours: told.map(({ motion: _m, asTaken: _a, ...c }) => c) }
}
