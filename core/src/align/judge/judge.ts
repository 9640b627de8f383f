import { checkpoint, stage, type RunContext } from '../../context'
import { compose, identityMotion, invertRigid, transformPoint, type Motion } from '../../linear/rigid'
import type { TakeFeatures } from '../coarse/features'
import { MARGIN_PIXELS } from '../coarse/judge-pose'
import type { CoarseMatches } from '../coarse/matches'
import { countInTheWay } from '../../view/seen-space'
import type { Toned } from '../colour/meet'
import { toneRows, type ColouredPair, type ToneRows } from '../colour/slide-to-colours'
import type { Conflict, JoinReport, JoinRequest, MarkReport, RuledOutPlaces } from '../takes/join-report'
import type { Mark } from '../marks/mark'
import { centreOf, cutOf, spanningTree } from '../takes/links'
import type { OrientedCloud } from '../oriented-cloud'
import { findAlternatives } from './alternatives'
import { leastDepthMm } from './closely'
import { contradictionsOf, type Looked } from './contradictions'
import { cellOf, placesOf, sharedSurface } from './shared-surface'
import { findSlides, type JudgedPair, type SlideReport } from './slides'
import { closingError, tensionOf, witnesses } from './tension'
import { JOIN_LIMITS } from './limits'
import { findDoubleWalls } from './walls'

/** Takes that share less are no pair. */
const MIN_PAIR_SHARE = 0.02
const LOOKED_AT = 4000

/** What every two takes of different groups share, and what that leaves free; takes by their own numbers. */
interface Common {
  readonly members: readonly number[]
  readonly toleranceMm: number
  readonly cellMm: number
  readonly places: readonly Int32Array[]
  readonly pairs: readonly JudgedPair[]
  readonly slides: SlideReport
  readonly marks: readonly Mark[]
}

/** The surface two takes share, where they lie now. */
export function commonOf(
  request: JoinRequest,
  takes: readonly OrientedCloud[],
  motions: readonly (Motion | null)[],
  context: RunContext,
  tones: readonly ToneRows[] = [],
): Common {
  const sigma = Math.max(...takes.map((t) => t.features.noiseMm)),
    spacing = Math.max(...takes.map((t) => t.features.spacingMm))
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
      const shared = sharedSurface(takes[a], takes[b], motions[a]!, motions[b]!, cellMm, wideMm, [places[a], places[b]])
      if (shared.share >= MIN_PAIR_SHARE) pairs.push({ a, b, shared })
    }
  })
  const marks = (request.marks ?? []).filter((m) => motions[m.a] && motions[m.b])
  const found = findSlides(
    pairs.map((p) => ({ ...p, a: members.indexOf(p.a), b: members.indexOf(p.b) })),
    members.length,
    cellMm,
    marks.map((m) => ({
      a: members.indexOf(m.a),
      b: members.indexOf(m.b),
      at: transformPoint(motions[m.a]!, ...m.atA),
      sigmaMm: m.sigmaMm,
    })),
    tones.map((t) => ({ ...t, a: members.indexOf(t.a), b: members.indexOf(t.b) })),
  )
  const own = (i: number): number => members[i]
  return {
    members,
    toleranceMm,
    cellMm,
    places,
    pairs,
    marks,
    slides: {
      ...found,
      modes: found.modes.map((m) => ({ ...m, movers: m.movers.map(own), stayers: m.stayers.map(own) })),
    },
  }
}

/** Everything that speaks for and against takes where they lie. */
export async function judge(
  request: JoinRequest,
  takes: readonly OrientedCloud[],
  described: readonly TakeFeatures[],
  matches: CoarseMatches,
  motions: readonly (Motion | null)[],
  how: {
    byShape: boolean
    guessedLooks: readonly number[]
    rounds: number
    settled: boolean
    order: readonly { readonly a: number; readonly b: number }[]
    toned: readonly (Toned | null)[] | null
    coloured: readonly ColouredPair[]
  },
  context: RunContext,
): Promise<JoinReport> {
  const at = motions.map((m) => m ?? identityMotion())
  const common = commonOf(
    request,
    takes,
    motions,
    stage(context, 0, 0.4),
    how.toned ? toneRows(at, how.toned, how.coloured) : [],
  )
  const { members, toleranceMm, cellMm, places, pairs, slides, marks } = common
  const conflicts = findConflicts(request, takes, described, motions, members, toleranceMm)
  const walls = findDoubleWalls(pairs, slides.inflation, cellMm, toleranceMm)
  const tree = spanningTree(members, pairs, slides.pairPlayMm, request.groups, how.order)
  const centre = centreOf(pairs)
  const radiusMm = Math.max(...takes.map((t) => t.sizeMm)) / 2
  const tensions = witnesses(
    pairs.map((p, i) => tensionOf(p, centre, radiusMm, slides.inflation[i])),
    pairs,
    tree,
    JOIN_LIMITS.overlap,
  )
  const cuts = tree.map((link) => cutOf(link, tree, members, request.groups))
  const alternatives = await findAlternatives(
    {
      takes,
      described,
      motions: at,
      pairs,
      inflation: slides.inflation,
      places,
      cellMm,
      toleranceMm,
      marks,
      matches,
      toned: how.toned,
    },
    cuts,
    stage(context, 0.5, 1),
  )
  return {
    motions,
    toleranceMm,
    pairs,
    walls,
    conflicts,
    alternatives,
    tensions,
    tree,
    cellMm,
    ruledOut: ruledOutOf(pairs, tree, takes, described, at, places, cellMm),
    slides,
    marks: marksApart(motions, marks),
    closing: closingError(tensions, tree, takes.length, radiusMm),
    byShape: how.byShape,
    guessedLooks: how.guessedLooks,
    rounds: how.rounds,
    settled: how.settled,
    dots: null,
    colours: null,
  }
}

/** Links that are asked what rules them out: the largest; and what of a kind is enough to know. */
const ASKED_LINKS = 8,
  PLENTY = 200

/** What the takes of the links rule out of each other. */
function ruledOutOf(
  pairs: readonly JudgedPair[],
  tree: readonly (readonly [number, number])[],
  takes: readonly OrientedCloud[],
  described: readonly TakeFeatures[],
  motions: readonly Motion[],
  places: readonly Int32Array[],
  cellMm: number,
): RuledOutPlaces[] {
  const looked = (i: number): Looked => ({ cloud: takes[i], outline: described[i].outline })
  return pairs
    .filter(({ a, b }) => tree.some(([x, y]) => (x === a && y === b) || (x === b && y === a)))
    .sort((p, q) => q.shared.areaMm2 - p.shared.areaMm2)
    .slice(0, ASKED_LINKS)
    .map((pair) => {
      const { a, b } = pair
      const found = contradictionsOf(
        looked(a),
        looked(b),
        motions[a],
        motions[b],
        [places[a], places[b]],
        leastDepthMm(pair, takes),
        cellMm,
        PLENTY,
      )
      return { a, b, places: found.behind + found.missed, looked: found.looked, areaMm2: found.areaMm2 }
    })
}

/** What of each take would have hidden what another saw. */
function findConflicts(
  request: JoinRequest,
  takes: readonly OrientedCloud[],
  described: readonly TakeFeatures[],
  motions: readonly (Motion | null)[],
  members: readonly number[],
  toleranceMm: number,
): Conflict[] {
  const sigma = Math.max(...takes.map((t) => t.features.noiseMm)),
    spacing = Math.max(...takes.map((t) => t.features.spacingMm))
  const stride = (i: number): number => Math.max(1, Math.floor(takes[i].positions.length / 3 / LOOKED_AT))
  const blocked = (i: number, by: number): number => {
    const margin = Math.max(MARGIN_PIXELS * described[by].seen.pixelMm, toleranceMm, 5 * sigma)
    return countInTheWay(
      described[by].seen,
      takes[i].positions,
      stride(i),
      compose(invertRigid(motions[by]!), motions[i]!),
      margin,
    )
  }
  const out: Conflict[] = []
  members.forEach((a, k) => {
    for (const b of members.slice(k + 1)) {
      if (request.groups[a] === request.groups[b]) continue
      const [ofA, ofB] = [blocked(a, b), blocked(b, a)]
      const share = Math.max(
        ofA / Math.ceil(takes[a].positions.length / 3 / stride(a)),
        ofB / Math.ceil(takes[b].positions.length / 3 / stride(b)),
      )
      if (share > 0) out.push({ a, b, share, areaMm2: Math.max(ofA * stride(a), ofB * stride(b)) * spacing * spacing })
    }
  })
  return out
}

/** How far marks lie apart in the end; null without any. */
function marksApart(motions: readonly (Motion | null)[], marks: readonly Mark[]): MarkReport | null {
  if (marks.length === 0) return null
  const off = marks.map((m) => {
    const p = transformPoint(motions[m.a]!, ...m.atA),
      q = transformPoint(motions[m.b]!, ...m.atB)
    return { mm: Math.hypot(p[0] - q[0], p[1] - q[1], p[2] - q[2]), sigmaMm: m.sigmaMm }
  })
  return {
    count: off.length,
    rmsMm: Math.sqrt(off.reduce((s, o) => s + o.mm * o.mm, 0) / off.length),
    rmsSigmas: Math.sqrt(off.reduce((s, o) => s + (o.mm / o.sigmaMm) ** 2, 0) / off.length),
  }
}
