import { compose, identityMotion, invertRigid, type Motion } from '../linear/rigid'
import type { FoundDot } from '../tidy/dots'
import type { Described } from './coarse/describe'
import { judgePose, refineOutline } from './coarse/match'
import type { DotReport, JoinReport, JoinRequest, Mark } from './join-report'
import { centreOf, cutOf, posesOver, sameSet } from './links'
import { flipsOf, matchDots, movedDot } from './match-dots'
import type { FreeMotion } from './slippage'

/** How far apart two sightings of one dot may lie while takes are still to be settled, and how well a dot's middle is known. */
const DOT_TOLERANCE_MM = 1
const DOT_SIGMA_MM = 0.15
/** A pose that dots speak for must fit so well by shape, beside the one taken. */
const SHAPE_ALLOWS = 0.5

/** Dots that both sides of a link show choose among the poses shape leaves open, and hold the takes from then on. */
export async function settleByDots(request: JoinRequest, described: readonly Described[], report: JoinReport, again: (at: readonly Motion[], marks: readonly Mark[]) => Promise<JoinReport>): Promise<JoinReport> {
  const motions = report.motions.map((m) => m ?? identityMotion())
  const told: DotReport[] = []
  const marks: Mark[] = [...(request.marks ?? [])]
  const members = [...report.motions.keys()].filter((i) => report.motions[i])
  for (const link of report.tree) {
    const [a, b] = link
    const cut = cutOf(link, report.tree, members, request.groups)
    const laid = (takes: readonly number[]): { take: number; own: FoundDot; here: FoundDot }[] => takes.flatMap((i) => request.dots![i]!.map((own) => ({ take: i, own, here: movedDot(own, motions[i]!) })))
    const movers = laid(cut.movers), stayers = laid(cut.stayers)
    const slide = report.slides.modes.find((m) => m.motion.free && m.motion.kind === 'rotation' && sameSet(m.movers, cut.movers, cut.stayers))
    const others = posesOver(report, cut.movers, cut.stayers)
    const fit = (pose: Motion | null): number => cut.movers.reduce((sum, i) => sum + cut.stayers.reduce((s, j) => s + judgePose(described[i]!, described[j]!, compose(invertRigid(motions[j]!), pose ? compose(pose, motions[i]!) : motions[i]!)).score, 0), 0)
    const asTaken = fit(null)
    // The middle of what is shared, on the axis: flips turn about it.
    const through = slide && { ...slide.motion, point: onAxis(slide.motion, centreOf(report.pairs)) }
    const match = matchDots(movers.map((d) => d.here), stayers.map((d) => d.here), [identityMotion(), ...others, ...(through ? flipsOf(through).map((f) => nestled(described, motions, cut.movers, a, b, f)) : [])], through ?? null, DOT_TOLERANCE_MM, (pose) => fit(pose) >= SHAPE_ALLOWS * asTaken)
    told.push({ movers: cut.movers, stayers: cut.stayers, seen: [movers.length, stayers.length], matched: match?.pairs.length ?? 0, ambiguous: match?.ambiguous ?? false, rmsMm: match?.rmsMm ?? 0 })
    if (!match || match.ambiguous) continue
    for (const i of cut.movers) motions[i] = compose(match.motion, motions[i]!)
    for (const [p, q] of match.pairs) marks.push({ a: movers[p]!.take, b: stayers[q]!.take, atA: movers[p]!.own.centre, atB: stayers[q]!.own.centre, sigmaMm: DOT_SIGMA_MM })
  }
  return { ...(marks.length > (request.marks?.length ?? 0) ? await again(motions, marks) : report), dots: told }
}

/** A pose settled on the outlines of the link's two takes. */
function nestled(described: readonly Described[], motions: readonly Motion[], movers: readonly number[], a: number, b: number, pose: Motion): Motion {
  const [m, s] = movers.includes(a) ? [a, b] : [b, a]
  const start = compose(invertRigid(motions[s]!), compose(pose, motions[m]!))
  return compose(motions[s]!, compose(refineOutline(described[m]!.outline, described[s]!.outline, start), invertRigid(motions[m]!)))
}

function onAxis(m: FreeMotion, at: readonly number[]): [number, number, number] {
  const along = [0, 1, 2].reduce((s, k) => s + (at[k]! - m.point[k]!) * m.axis[k]!, 0)
  return [0, 1, 2].map((k) => m.point[k]! + along * m.axis[k]!) as [number, number, number]
}
