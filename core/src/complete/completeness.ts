import type { Brief } from '../brief/brief'
import { requirementsOf } from '../brief/requirements'
import { checkpoint, stage, type RunContext } from '../context'
import { simplifyLoosely } from '../simplify/loosely'
import { facetAreas, SEEN } from '../plan/assess'
import { CoverageScene, OPEN_DIRECTIONS, type TakeCoverage } from '../plan/coverage'
import type { DeviceProfile } from '../plan/device-profile'
import { cutFacets, type Facets } from '../plan/facets'
import { gapsOf, type Gap } from '../plan/gaps'
import { candidateTakes, coverIfPossible, proposeNextTake, type Proposal } from '../plan/next-take'
import { place, type PlannedTake } from '../plan/takes'
import type { TriangleMesh } from '../shapes'
import { coarseEstimate, gatherTakes, type LaidTake } from './estimate'
import { shareInterval, type Interval } from './interval'
import { findMouths, hollowVariant } from './hollow'
import { supportOf } from './support'

/*
 * Have I got everything? From the takes alone: a closed estimate of the surface, what of it the frames saw, and which
 * of the rest an admissible view can reach. What none can reach is bounded, not counted.
 */

export interface FoundGap extends Gap {
  /** The candidate take that sees most of it, and the share it sees; null where none reaches it. */
  readonly from: { readonly take: PlannedTake; readonly share: number } | null
  /** What leaving it would mean. */
  readonly meaning: string
  /** Whether anybody needs it. */
  readonly matters: boolean
}

export interface Completeness {
  readonly facets: Facets
  /** Per facet, see `SEEN`. */
  readonly classes: Uint8Array
  readonly seenMm2: number
  readonly thinMm2: number
  readonly openMm2: number
  /** Area of the closure that no admissible view reaches: a bound, not an estimate. */
  readonly hiddenMm2: number
  /** Unseen share of what an admissible view reaches. */
  readonly unseen: Interval
  /** The same of what the brief's areas want, each by its weight. */
  readonly unseenThatMatters: number
  readonly gaps: readonly FoundGap[]
  readonly proposal: Proposal | null
}

export interface CompletenessOptions {
  readonly device: DeviceProfile
  readonly brief: Brief
  /** Takes that were planned and are still to come; they are tried beside the usual candidates. */
  readonly toCome?: readonly PlannedTake[]
  readonly mayTurn?: boolean
  readonly facets?: number
}

const FACETS = 7000
/** Faces of the surface that hides and is hidden in the pictures. */
const VIEW_FACES = 7000
const PIXELS = 144
/** Facets and points belong together within so many spacings of the gathered points. */
const REACH_SPACINGS = 2.4
/** Density counts as wanted up to this factor: neighbours within a reach are few. */
const DENSITY_SLACK = 1.3

/** The estimate cut into facets, what the points say of each, and what the usual candidates could see of it. */
export async function surveyTakes(
  takes: readonly LaidTake[],
  { device, brief, toCome = [], mayTurn = true, facets: wanted = FACETS }: CompletenessOptions,
  context: RunContext,
): Promise<Completeness> {
  const { laid, gathered } = gatherTakes(takes, stage(context, 0, 0.15))
  const fine = coarseEstimate(takes, laid, gathered.spacingMm, stage(context, 0.15, 0.5))
  const mesh = await simplifyLoosely(fine, VIEW_FACES)
  const look = (surface: TriangleMesh, facets: Facets, part: RunContext): Judged => {
    const support = supportOf(facets, gathered, takes.length, reachOf(gathered.spacingMm))
    const scene = new CoverageScene(surface, facets, PIXELS)
    const candidates = [...toCome, ...candidateTakes(device, mayTurn, toCome)]
    const covers = reachable(scene, candidates, device, brief, stage(part, 0, 0.7))
    return judge(scene, support, takes, candidates, covers, { device, brief, toCome, mayTurn }, stage(part, 0.7, 1))
  }
  const facets = cutFacets(mesh, wanted)
  const sealed = look(mesh, facets, stage(context, 0.5, 0.7))
  const hollow = brief.traits.includes('hollow')
  const mouth = findMouths(
    facets,
    (f) => sealed.found.classes[f] === SEEN.well || sealed.found.classes[f] === SEEN.thinly,
  ).find((m) => m.seen || hollow)
  const last = stage(context, 0.9, 1)
  if (!mouth) return { ...sealed.found, proposal: sealed.propose(last) }
  // Sight ended in a hollow: whether the piece goes on hollow is the brief's to say; the bounds hold both.
  const deeper = hollowVariant(mesh, facets, mouth)
  const open = look(deeper, cutFacets(deeper, wanted), stage(context, 0.7, 0.9))
  const chosen = hollow ? open : sealed
  const [a, b] = [sealed.found.unseen, open.found.unseen]
  return {
    ...chosen.found,
    proposal: chosen.propose(last),
    unseen: { share: chosen.found.unseen.share, low: Math.min(a.low, b.low), high: Math.max(a.high, b.high) },
  }
}

/** How near a seen point must lie for a place to count as seen, mm. */
export const reachOf = (spacingMm: number): number => REACH_SPACINGS * spacingMm

/** What each candidate sees; null for takes that can't be run. */
export function reachable(
  scene: CoverageScene,
  candidates: readonly PlannedTake[],
  device: DeviceProfile,
  brief: Brief,
  context: RunContext,
): (TakeCoverage | null)[] {
  const { wantedSpacingMm } = requirementsOf(brief)
  return candidates.map((take, c) => {
    checkpoint(context, c, candidates.length, 'Looking from all sides')
    return coverIfPossible(scene, take, device, wantedSpacingMm)
  })
}

interface Judged {
  readonly found: Omit<Completeness, 'proposal'>
  /** The one take worth most; the costly part, asked of the surface that is believed only. */
  propose(context: RunContext): Proposal | null
}

function judge(
  scene: CoverageScene,
  support: ReturnType<typeof supportOf>,
  takes: readonly LaidTake[],
  candidates: readonly PlannedTake[],
  covers: readonly (TakeCoverage | null)[],
  { device, brief, mayTurn }: Required<Pick<CompletenessOptions, 'device' | 'brief' | 'toCome' | 'mayTurn'>>,
  context: RunContext,
): Judged {
  const { facets } = scene
  const { wantedSpacingMm, toleranceMm } = requirementsOf(brief)
  const n = facets.count
  const reach = new Uint8Array(n)
  for (const c of covers) if (c) for (let i = 0; i < n; i++) if (c.views[i] > 0) reach[i] = 1
  const openness = scene.openness(OPEN_DIRECTIONS)
  const { area, weights } = facetAreas(brief, facets, openness, OPEN_DIRECTIONS)
  const classes = new Uint8Array(n)
  const areas = [0, 0, 0, 0]
  let wanted = 0,
    missing = 0
  for (let i = 0; i < n; i++) {
    const dense = support.spacingMm[i] <= wantedSpacingMm * DENSITY_SLACK
    const c = (classes[i] =
      support.frames[i] >= 2 && support.steep[i] >= 2 && dense
        ? SEEN.well
        : support.frames[i] > 0
          ? SEEN.thinly
          : reach[i]
            ? SEEN.open
            : SEEN.outOfReach)
    areas[c] += facets.areas[i]
    if (c === SEEN.outOfReach) continue
    wanted += facets.areas[i] * weights[i]
    if (c === SEEN.open) missing += facets.areas[i] * weights[i]
  }
  const seenMm2 = areas[SEEN.well] + areas[SEEN.thinly]
  const openMm2 = areas[SEEN.open]
  const gaps = gapsOf(facets, classes, openness).map((gap): FoundGap => {
    const at = gap.facets[0]
    const needed = gap.facets.some((f) => weights[f] > 0)
    return {
      areaMm2: gap.areaMm2,
      at: gap.at,
      place: gap.place,
      from: bestFor(gap.facets, facets, candidates, covers),
      matters: needed,
      meaning: meaningOf(gap, brief, needed ? (area[at] >= 0 ? brief.areas[area[at]].rank : null) : 'leave'),
    }
  })
  const covered = support.perTake.map((views): TakeCoverage => ({
    views,
    wellViews: views,
    bestCosine: new Float32Array(0),
    spacingMm: new Float32Array(0),
    placed: place(candidates[0], scene.mesh.positions),
    viewCount: 0,
  }))
  const named = takes.map((t) => ({ ...candidates[0], name: t.name }))
  checkpoint(context, 1, 1, 'Looking for the take worth most')
  const found = {
    facets,
    classes,
    seenMm2,
    thinMm2: areas[SEEN.thinly],
    openMm2,
    hiddenMm2: areas[SEEN.outOfReach],
    unseen: shareInterval(openMm2 / Math.max(seenMm2 + openMm2, 1e-9)),
    unseenThatMatters: wanted > 0 ? missing / wanted : 0,
    gaps,
  }
  return {
    found,
    propose: (part) =>
      proposeNextTake(scene, weights, reach, named, covered, device, { mayTurn, toleranceMm, wantedSpacingMm }, part, {
        candidates,
        covers,
      }),
  }
}

function bestFor(
  list: readonly number[],
  facets: Facets,
  candidates: readonly PlannedTake[],
  covers: readonly (TakeCoverage | null)[],
): FoundGap['from'] {
  const total = list.reduce((s, f) => s + facets.areas[f], 0)
  let best: FoundGap['from'] = null
  covers.forEach((c, k) => {
    if (!c) return
    const share = list.reduce((s, f) => s + (c.views[f] > 0 ? facets.areas[f] : 0), 0) / total
    if (share > (best?.share ?? 0)) best = { take: candidates[k], share }
  })
  return best
}

function meaningOf(gap: Gap, brief: Brief, rank: 'must' | 'nice' | 'leave' | 'cut' | null): string {
  if (rank === 'leave' || rank === 'cut') return 'nobody needs it'
  if (rank === 'must') return 'it must hold: take it'
  if (gap.place === 'inside a hollow') return 'it will be invented'
  if (gap.place === 'on the underside' && brief.purposes.some((p) => p === 'print' || p === 'printScaled'))
    return 'the base will be closed flat'
  return brief.purposes.includes('archive')
    ? 'it will be left open and marked'
    : 'it will be closed smoothly, and marked as invented'
}
