import { compose, identityMotion, type Motion } from '../../linear/rigid'
import type { JoinReport, JoinRequest } from '../join-report'
import { cutOf, posesOver, sameSet } from '../links'
import type { Toned } from './meet'
import { chooseByColours, type ColourChoice, type ColourReport } from './settle'
import type { ColouredPair } from './slide-to-colours'

/** Colours choose among the poses shape and marks leave open, link by link, and hold from then on what they have settled. */
export async function settleByColours(request: JoinRequest, toned: readonly (Toned | null)[], report: JoinReport, again: (at: readonly Motion[], coloured: readonly ColouredPair[]) => Promise<JoinReport>): Promise<JoinReport> {
  const motions = report.motions.map((m) => m ?? identityMotion())
  const members = [...report.motions.keys()].filter((i) => report.motions[i])
  const told: ColourChoice[] = report.tree.map((link) => {
    const { movers, stayers } = cutOf(link, report.tree, members, request.groups)
    const freedom = report.slides.modes.find((m) => m.motion.free && sameSet(m.movers, movers, stayers)) ?? null
    const choice = chooseByColours(movers, stayers, motions, toned, posesOver(report, movers, stayers), freedom)
    if (choice.moved && !request.asPlaced) for (const i of movers) motions[i] = compose(choice.motion, motions[i]!)
    return choice
  })
  const crosses = (c: ColourReport, a: number, b: number): boolean => c.movers.includes(a) !== c.movers.includes(b)
  const coloured = report.pairs.filter(({ a, b }) => toned[a] && toned[b] && told.filter((c) => crosses(c, a, b)).every((c) => c.settled)).map(({ a, b }): ColouredPair => [a, b])
  const settled = coloured.length > 0 ? await again(motions, coloured) : report
  return { ...settled, dots: report.dots, colours: told.map(({ motion: _, ...c }) => c) }
}
