import { checkpoint, stage, type RunContext } from '../context'
import { GeometryError } from '../errors'
import { compose, identityMotion, invertRigid, transformPoint, transformPoints, type Motion } from '../linear/rigid'
import type { PointCloud } from '../shapes'
import { assemble, type Link, type PairCandidates } from './coarse/assemble'
import { coarseVoxelMm, describeTakes, type Described } from './coarse/describe'
import { judgePose, MARGIN_PIXELS, refineOutline } from './coarse/match'
import { CoarseMatches } from './coarse/matches'
import { countInTheWay } from './coarse/sight'
import { matchFine } from './icp'
import type { FoundDot } from '../tidy/dots'
import { flipsOf, matchDots, movedDot } from './match-dots'
import type { FreeMotion } from './slippage'
import { freeMoves, matchJointly, type JointMatch } from './joint'
import { OrientedCloud } from './oriented-cloud'
import { prepareTakes } from './prepare-takes'
import { findAlternatives, type Alternative } from './judge/alternatives'
import { cellOf, placesOf, sharedSurface } from './judge/shared-surface'
import { slideToMarks } from './judge/slide-to-marks'
import { findSlides, type JudgedPair, type SlideReport } from './judge/slides'
import { closingError, tensionOf, type ClosingError, type Tension } from './judge/tension'
import { findDoubleWalls, type DoubleWall } from './judge/walls'

export interface JoinRequest {
  readonly clouds: readonly PointCloud[]
  /** Where takes are thought to lie, roughly (picks, a person's placing); null where only their shape can say. */
  readonly starts: readonly (Motion | null)[]
  /** Group of each take; takes of one group keep their places to each other, and all of them must have starts. */
  readonly groups: readonly number[]
  readonly fixedAt: number
  readonly toleranceMm: number | null
  /** Places that a person, or a dot, says are the same on two takes: they settle what shape leaves open. */
  readonly marks?: readonly Mark[]
  /** Dots found on each take, in its own coordinates; null: not asked for. */
  readonly dots?: readonly (readonly FoundDot[])[] | null
  /** Leaves the takes where the starts put them, and only judges. */
  readonly asPlaced?: boolean
}

/** The same place on two takes, each in its own coordinates, mm; and how well it is known. */
export interface Mark {
  readonly a: number
  readonly b: number
  readonly atA: readonly [number, number, number]
  readonly atB: readonly [number, number, number]
  readonly sigmaMm: number
}

/** One take's surface in the way of what the other saw. */
export interface Conflict { readonly a: number; readonly b: number; readonly share: number; readonly areaMm2: number }

export interface JoinReport {
  /** Take → fixed take; null for takes that found no place. */
  readonly motions: readonly (Motion | null)[]
  readonly toleranceMm: number
  readonly pairs: readonly JudgedPair[]
  readonly slides: SlideReport
  readonly walls: readonly DoubleWall[]
  readonly conflicts: readonly Conflict[]
  readonly alternatives: readonly Alternative[]
  readonly tensions: readonly Tension[]
  readonly closing: ClosingError
  /** Links in the order they were trusted: a spanning tree by what the takes share. */
  readonly tree: readonly (readonly [number, number])[]
  readonly byShape: boolean
  readonly rounds: number
  readonly settled: boolean
  readonly cellMm: number
  /** How far apart marks lie in the end; null without any. */
  readonly marks: MarkReport | null
  /** What dots said, link by link; null when none were asked for. */
  readonly dots: readonly DotReport[] | null
}

export interface MarkReport { readonly count: number; readonly rmsMm: number; readonly rmsSigmas: number }

/** Dots over one link of the tree. */
export interface DotReport { readonly movers: readonly number[]; readonly stayers: readonly number[]; readonly seen: readonly [number, number]; readonly matched: number; readonly ambiguous: boolean; readonly rmsMm: number }

/** Of the piece's size: how far off a placing by hand may be. */
const ROUGH_SHARE = 0.1
/** Takes that share less are no pair. */
const LEAST_PAIR_SHARE = 0.02
const SIGHT_POINTS = 4000
const MOST_SECOND_THOUGHTS = 3
/** How far apart two sightings of one dot may lie while takes are still to be settled, and how well a dot's middle is known. */
const DOT_TOLERANCE_MM = 1
const DOT_SIGMA_MM = 0.15
/** A pose that dots speak for must fit so well by shape, beside the one taken. */
const SHAPE_ALLOWS = 0.5

/** Takes into one frame, and everything that speaks for and against it. */
export async function joinAndJudge(request: JoinRequest, context: RunContext): Promise<JoinReport> {
  const { clouds, fixedAt } = request
  const n = clouds.length
  const takes = await prepareTakes(clouds, stage(context, 0, 0.25))
  const voxelMm = coarseVoxelMm(takes)
  const described = await describeTakes(takes, clouds, voxelMm, stage(context, 0.25, 0.35))
  const matches = new CoarseMatches(described)
  const unknown = request.starts.some((s) => s === null)
  let starts: Motion[], joined = Array.from({ length: n }, () => true)
  let order: readonly Link[] = []
  if (unknown) {
    const found = await placeByShape(described, matches, request.starts, fixedAt, stage(context, 0.35, 0.6))
    starts = [...found.motions]
    joined = starts.map((_, i) => found.group[i] === found.group[fixedAt])
    order = found.order
    if (joined.filter(Boolean).length < 2) throw new GeometryError('NO_OVERLAP', 'The takes’ shapes show no surface they have in common. Pick three pairs, or take one more that sees what both see.')
  } else starts = request.asPlaced ? request.starts.map((s) => s!) : placeRoughly(takes, request, stage(context, 0.35, 0.6))
  const members = [...joined.keys()].filter((i) => joined[i])
  const settle = async (at: readonly Motion[], part: RunContext, marks = request.marks): Promise<JoinReport> => {
    const joint = request.asPlaced ? null : await matchTogether(request.groups, takes, members, at, 2 * voxelMm, marks ?? [], stage(part, 0, 0.5))
    const asked = { ...request, ...(marks && { marks }) }
    let motions: readonly (Motion | null)[] = placed(n, members, joint, at, fixedAt)
    if (joint && marks && marks.length > 0) {
      const { slides, marks: crossing } = commonOf(asked, takes, motions, stage(part, 0.5, 0.55))
      const moved = slideToMarks(slides.modes, motions.map((m) => m ?? identityMotion()), crossing)
      motions = placed(n, members, null, moved, fixedAt)
    }
    return judge(asked, takes, described, matches, motions, { byShape: unknown, rounds: joint?.rounds ?? 0, settled: joint?.settled ?? true, order }, stage(part, 0.55, 1))
  }
  let report = await settle(starts, stage(context, 0.6, 0.8))
  // Shape alone chose the pose; where another fits plainly better on a close look, that one is taken. A person's start is never overruled.
  for (let turn = 0; unknown && turn < MOST_SECOND_THOUGHTS; turn++) {
    const better = report.alternatives.find((a) => a.better)
    if (!better) break
    const moved = report.motions.map((m, i) => (m && better.movers.includes(i) ? compose(better.motion, m) : (m ?? identityMotion())))
    report = await settle(moved, stage(context, 0.8 + 0.05 * turn, 0.85 + 0.05 * turn))
  }
  if (request.dots) report = await settleByDots(request, described, report, (at, marks) => settle(at, stage(context, 0.95, 1), marks))
  return report
}

/** Dots that both sides of a link show choose among the poses shape leaves open, and hold the takes from then on. */
async function settleByDots(request: JoinRequest, described: readonly Described[], report: JoinReport, again: (at: readonly Motion[], marks: readonly Mark[]) => Promise<JoinReport>): Promise<JoinReport> {
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
    const others = report.alternatives.filter((x) => sameSet(x.movers, cut.movers, cut.stayers)).map((x) => (x.movers[0] === cut.movers[0] ? x.motion : invertRigid(x.motion)))
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

const sameSet = (a: readonly number[], b: readonly number[], c: readonly number[]): boolean => [b, c].some((s) => s.length === a.length && s.every((v) => a.includes(v)))

/** All that are joined, in one problem; null when they are all one group. */
async function matchTogether(groups: readonly number[], takes: readonly OrientedCloud[], members: readonly number[], at: readonly Motion[], reachMm: number, marks: readonly Mark[], context: RunContext): Promise<JointMatch | null> {
  const numbers = [...new Set(members.map((i) => groups[i]!))]
  if (numbers.length < 2) return null
  const bodies = members.map((i) => ({ cloud: takes[i]!, start: at[i]!, moves: freeMoves(6 * numbers.indexOf(groups[i]!)) }))
  return matchJointly(bodies, { reachMm, unknowns: 6 * numbers.length, apart: (a, b) => groups[members[a]!] === groups[members[b]!], marks: marks.filter((m) => members.includes(m.a) && members.includes(m.b)).map((m) => ({ ...m, a: members.indexOf(m.a), b: members.indexOf(m.b) })) }, context)
}

/** Expressed in the fixed take's frame. */
function placed(n: number, members: readonly number[], joint: JointMatch | null, starts: readonly Motion[], fixedAt: number): (Motion | null)[] {
  const at = (i: number): Motion => (joint ? joint.motions[members.indexOf(i)]! : starts[i]!)
  const back = invertRigid(at(fixedAt))
  return Array.from({ length: n }, (_, i) => (!members.includes(i) ? null : i === fixedAt ? identityMotion() : compose(back, at(i))))
}

/** Candidates of every pair that has no known place, put together. */
async function placeByShape(described: readonly Described[], matches: CoarseMatches, starts: readonly (Motion | null)[], fixedAt: number, context: RunContext): Promise<ReturnType<typeof assemble>> {
  const n = described.length
  const wanted: [number, number][] = []
  for (let a = 0; a < n; a++) for (let b = a + 1; b < n; b++) if (!starts[a] || !starts[b]) wanted.push([a, b])
  await matches.prepare(wanted, context)
  const pairs: PairCandidates[] = wanted.map(([a, b]) => ({ a, b, candidates: matches.between(a, b) }))
  // The fixed take alone is as good as a known place; without others it is a group of its own.
  return assemble(described, pairs, starts.some((s, i) => s && i !== fixedAt) ? starts : [])
}

/** Each take matched to what is placed already, from where a person put it. */
function placeRoughly(takes: readonly OrientedCloud[], request: JoinRequest, context: RunContext): Motion[] {
  const { clouds, fixedAt, groups } = request
  const motions: Motion[] = request.starts.map((s) => s!)
  const size = Math.max(...takes.map((t) => t.sizeMm))
  const done = new Set([...groups.keys()].filter((i) => groups[i] === groups[fixedAt]))
  const waiting = [...new Set(groups)].filter((g) => g !== groups[fixedAt])
  waiting.forEach((g, k) => {
    const part = stage(context, k / waiting.length, (k + 1) / waiting.length)
    const members = [...groups.keys()].filter((i) => groups[i] === g)
    const target = done.size === 1 ? takes[[...done][0]!]! : together(clouds, takes, [...done], motions)
    const frame = done.size === 1 ? motions[[...done][0]!]! : null
    const source = members.length === 1 ? takes[members[0]!]! : together(clouds, takes, members, motions)
    const own = members.length === 1 ? motions[members[0]!]! : null
    const start = compose(frame ? invertRigid(frame) : identityMotion(), own ?? identityMotion())
    const { motion } = matchFine(source, target, start, { maxPairDistanceMm: ROUGH_SHARE * size }, part)
    const inCommon = frame ? compose(frame, motion) : motion
    for (const i of members) {
      motions[i] = own ? inCommon : compose(inCommon, motions[i]!)
      done.add(i)
    }
  })
  return motions
}

/** Several takes as one, in the common frame, with what is known of their surfaces already. */
function together(clouds: readonly PointCloud[], takes: readonly OrientedCloud[], members: readonly number[], motions: readonly Motion[]): OrientedCloud {
  const total = members.reduce((s, i) => s + clouds[i]!.positions.length / 3, 0)
  const positions = new Float32Array(total * 3), normals = new Float32Array(total * 3), boundary = new Uint8Array(total), order = new Int32Array(total)
  let at = 0
  for (const i of members) {
    const t = takes[i]!, m = motions[i]!
    positions.set(transformPoints(m, t.positions), at * 3)
    const turn = Float64Array.from(m)
    turn[3] = turn[7] = turn[11] = 0
    normals.set(transformPoints(turn, t.features.normals), at * 3)
    boundary.set(t.features.boundary, at)
    t.features.order.forEach((v, k) => {
      order[at + k] = at + v
    })
    at += t.positions.length / 3
  }
  const all = members.map((i) => takes[i]!.features)
  const box = [0, 1, 2].map((k) => {
    let low = Infinity, high = -Infinity
    for (let i = k; i < positions.length; i += 3) {
      low = Math.min(low, positions[i]!)
      high = Math.max(high, positions[i]!)
    }
    return high - low
  })
  return new OrientedCloud(positions, { ...all[0]!, normals, boundary, order, spacingMm: Math.max(...all.map((f) => f.spacingMm)), noiseMm: Math.max(...all.map((f) => f.noiseMm)) }, Math.hypot(...box))
}

/** What every two takes of different groups share, and what that leaves free; takes by their own numbers. */
interface Common { readonly members: readonly number[]; readonly toleranceMm: number; readonly cellMm: number; readonly places: readonly Int32Array[]; readonly pairs: readonly JudgedPair[]; readonly slides: SlideReport; readonly marks: readonly Mark[] }

function commonOf(request: JoinRequest, takes: readonly OrientedCloud[], motions: readonly (Motion | null)[], context: RunContext): Common {
  const sigma = Math.max(...takes.map((t) => t.features.noiseMm)), spacing = Math.max(...takes.map((t) => t.features.spacingMm))
  const toleranceMm = request.toleranceMm ?? 3 * sigma + 0.5 * spacing
  const cellMm = cellOf(takes)
  const places = takes.map((t) => placesOf(t, cellMm))
  const members = [...motions.keys()].filter((i) => motions[i])
  const wideMm = Math.max(3 * toleranceMm, 3 * sigma + spacing)
  const pairs: JudgedPair[] = []
  members.forEach((a, k) => {
    checkpoint(context, k, members.length, 'Looking at what the takes share')
    for (const b of members.slice(k + 1)) {
      if (request.groups[a] === request.groups[b]) continue
      const shared = sharedSurface(takes[a]!, takes[b]!, motions[a]!, motions[b]!, cellMm, wideMm, [places[a]!, places[b]!])
      if (shared.share >= LEAST_PAIR_SHARE) pairs.push({ a, b, shared })
    }
  })
  const marks = (request.marks ?? []).filter((m) => motions[m.a] && motions[m.b])
  const found = findSlides(pairs.map((p) => ({ ...p, a: members.indexOf(p.a), b: members.indexOf(p.b) })), members.length, cellMm, marks.map((m) => ({ a: members.indexOf(m.a), b: members.indexOf(m.b), at: transformPoint(motions[m.a]!, ...m.atA), sigmaMm: m.sigmaMm })))
  const own = (i: number): number => members[i]!
  return { members, toleranceMm, cellMm, places, pairs, marks, slides: { ...found, modes: found.modes.map((m) => ({ ...m, movers: m.movers.map(own), stayers: m.stayers.map(own) })) } }
}

function judge(request: JoinRequest, takes: readonly OrientedCloud[], described: readonly Described[], matches: CoarseMatches, motions: readonly (Motion | null)[], how: { byShape: boolean; rounds: number; settled: boolean; order: readonly Link[] }, context: RunContext): JoinReport {
  const common = commonOf(request, takes, motions, stage(context, 0, 0.4))
  const { members, toleranceMm, cellMm, places, pairs, slides, marks } = common
  const conflicts = findConflicts(request, takes, described, motions, members, toleranceMm)
  const walls = findDoubleWalls(pairs, slides.inflation, cellMm, toleranceMm)
  const tree = spanningTree(members, pairs, slides.pairPlayMm, request.groups, how.order)
  const centre = centreOf(pairs)
  const radiusMm = Math.max(...takes.map((t) => t.sizeMm)) / 2
  const tensions = pairs.map((p, i) => tensionOf(p, centre, radiusMm, slides.inflation[i]!))
  const cuts = tree.map((link) => cutOf(link, tree, members, request.groups))
  const alternatives = findAlternatives({ takes, described, motions: motions.map((m) => m ?? identityMotion()), pairs, inflation: slides.inflation, places, cellMm, toleranceMm, marks, matches }, cuts, stage(context, 0.5, 1))
  return {
    motions, toleranceMm, pairs, walls, conflicts, alternatives, tensions, tree, cellMm, slides, marks: marksApart(motions, marks),
    closing: closingError(tensions, tree, takes.length, radiusMm), byShape: how.byShape, rounds: how.rounds, settled: how.settled, dots: null,
  }
}

/** What of each take would have hidden what another saw. */
function findConflicts(request: JoinRequest, takes: readonly OrientedCloud[], described: readonly Described[], motions: readonly (Motion | null)[], members: readonly number[], toleranceMm: number): Conflict[] {
  const sigma = Math.max(...takes.map((t) => t.features.noiseMm)), spacing = Math.max(...takes.map((t) => t.features.spacingMm))
  const stride = (i: number): number => Math.max(1, Math.floor(takes[i]!.positions.length / 3 / SIGHT_POINTS))
  const blocked = (i: number, by: number): number => {
    const margin = Math.max(MARGIN_PIXELS * described[by]!.sight.pixelMm, toleranceMm, 5 * sigma)
    return countInTheWay(described[by]!.sight, takes[i]!.positions, stride(i), compose(invertRigid(motions[by]!), motions[i]!), margin)
  }
  const out: Conflict[] = []
  members.forEach((a, k) => {
    for (const b of members.slice(k + 1)) {
      if (request.groups[a] === request.groups[b]) continue
      const [ofA, ofB] = [blocked(a, b), blocked(b, a)]
      const share = Math.max(ofA / Math.ceil(takes[a]!.positions.length / 3 / stride(a)), ofB / Math.ceil(takes[b]!.positions.length / 3 / stride(b)))
      if (share > 0) out.push({ a, b, share, areaMm2: Math.max(ofA * stride(a), ofB * stride(b)) * spacing * spacing })
    }
  })
  return out
}

/** How far marks lie apart in the end; null without any. */
function marksApart(motions: readonly (Motion | null)[], marks: readonly Mark[]): MarkReport | null {
  if (marks.length === 0) return null
  const off = marks.map((m) => {
    const p = transformPoint(motions[m.a]!, ...m.atA), q = transformPoint(motions[m.b]!, ...m.atB)
    return { mm: Math.hypot(p[0] - q[0], p[1] - q[1], p[2] - q[2]), sigmaMm: m.sigmaMm }
  })
  return { count: off.length, rmsMm: Math.sqrt(off.reduce((s, o) => s + o.mm * o.mm, 0) / off.length), rmsSigmas: Math.sqrt(off.reduce((s, o) => s + (o.mm / o.sigmaMm) ** 2, 0) / off.length) }
}

/** Links by informative overlap: the pair whose weakest motion is held best goes first (Kruskal 1956); what shape matching trusted comes before. */
function spanningTree(members: readonly number[], pairs: readonly JudgedPair[], playMm: readonly number[], groups: readonly number[], order: readonly Link[]): [number, number][] {
  const root = new Map(members.map((i) => [i, i]))
  const find = (i: number): number => (root.get(i) === i ? i : find(root.get(i)!))
  for (const i of members) for (const j of members) if (groups[i] === groups[j]) root.set(find(j), find(i))
  const informative = [...pairs.keys()].sort((p, q) => (playMm[p] === playMm[q] ? pairs[q]!.shared.areaMm2 - pairs[p]!.shared.areaMm2 : playMm[p]! - playMm[q]!)).map((i): [number, number] => [pairs[i]!.a, pairs[i]!.b])
  const ranked = [...order.map((l): [number, number] => [l.a, l.b]), ...informative]
  const tree: [number, number][] = []
  for (const [a, b] of ranked) if (root.has(a) && root.has(b) && find(a) !== find(b)) {
    root.set(find(b), find(a))
    tree.push([a, b])
  }
  return tree
}

/** What hangs together on either side of a link. */
function cutOf(link: readonly [number, number], tree: readonly (readonly [number, number])[], members: readonly number[], groups: readonly number[]): { movers: number[]; stayers: number[] } {
  const side = new Set([link[0]])
  for (let grew = true; grew;) {
    grew = false
    for (const i of members) if (!side.has(i) && (tree.some((l) => l !== link && ((l[0] === i && side.has(l[1])) || (l[1] === i && side.has(l[0])))) || [...side].some((s) => groups[s] === groups[i]))) {
      side.add(i)
      grew = true
    }
  }
  const other = members.filter((i) => !side.has(i))
  return side.size <= other.length ? { movers: [...side], stayers: other } : { movers: other, stayers: [...side] }
}

function centreOf(pairs: readonly JudgedPair[]): [number, number, number] {
  const out: [number, number, number] = [0, 0, 0]
  let n = 0
  for (const { shared } of pairs) {
    for (let i = 0; i < shared.points.length; i++) out[i % 3]! += shared.points[i]!
    n += shared.points.length / 3
  }
  return n > 0 ? [out[0] / n, out[1] / n, out[2] / n] : out
}
