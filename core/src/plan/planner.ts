import type { LookAlikes } from '../align/poses/look-alikes'
import { slippageModes } from '../align/slippage'
import type { Brief } from '../brief/brief'
import { requirementsOf } from '../brief/requirements'
import { checkpoint, stage, type RunContext } from '../context'
import type { TriangleMesh } from '../shapes'
import {
  assessSeen,
  facetAreas,
  JoinForecaster,
  MIN_OVERLAP,
  midpointsOf,
  noiseModel,
  pairLookAlikes,
  type JoinForecast,
  type Seen,
} from './assess'
import { dataBudget, timelineOf, toleranceBudget, type DataBudget, type Timeline, type ToleranceBudget } from './budget'
import { CoverageScene, OPEN_DIRECTIONS, type TakeCoverage } from './coverage'
import { spacingAtMm } from './device-profile'
import { dotsOnMat, dotsOnPiece, dotsOnStands, standsFor, type DotLayout, type Stand } from './dots'
import { decideCoat, planExposures, type CoatDecision, type ExposurePlan } from './exposure'
import { onlyPainted, type LabelledForm } from './carry-areas'
import { cutFacets, type Facets } from './facets'
import { openPatches, type Gap } from './gaps'
import { idleTakes, proposeNextTake, type Proposal } from './next-take'
import { planPhotos, type PhotoPlan } from './photos'
import type { Plan } from './plan'
import { restartOf, type Restart } from './restart'
import { stabilityOf, type Stability } from './stability'
import { place, takeProblems, type PlannedTake } from './takes'

/** What the present plan comes to; everything that must follow a hand on a slider. */
export interface PlanReport {
  readonly seen: Seen
  readonly join: JoinForecast
  /** Per take, in words; empty when it can be run. */
  readonly problems: readonly (readonly string[])[]
  readonly stability: readonly Stability[]
  /** Per take that tracks by what it sees: share of its views that hold; null where table or arm holds. */
  readonly tracking: readonly (number | null)[]
  readonly exposures: ExposurePlan
  readonly coat: CoatDecision
  readonly photos: PhotoPlan | null
  readonly timeline: Timeline
  readonly data: DataBudget
  readonly tolerance: ToleranceBudget
  readonly areaMm2: number
  readonly spacingMm: number
}

/** What takes longer and may come after. */
export interface PlanDetails {
  /**
   * Per take: the view that sees most of what is known from the takes before, and the share it is of what that view
   * sees; 1 for the first take.
   */
  readonly restart: readonly Restart[]
  readonly dots: {
    readonly layout: DotLayout
    readonly stands: readonly Stand[]
    readonly footRadiusMm: number
    readonly inView: readonly { readonly least: number; readonly median: number }[]
  } | null
  readonly lookAlikes: readonly PairLookAlikes[]
  /** The largest patches that could be seen and are not, in the coordinates of the piece. */
  readonly gaps: readonly Gap[]
  readonly proposal: Proposal | null
  /** Takes that add nothing. */
  readonly idle: readonly number[]
}

export interface PairLookAlikes extends LookAlikes {
  readonly a: number
  readonly b: number
}

/** Best angles are painted in steps of 15°. */
export const ANGLE_STEPS = 6
const ANGLE_STEP_RAD = Math.PI / 12
/** Facets of the coarser scene in which the search for the next take runs, and the pixels of its pictures. */
const SEARCH_FACETS = 5000
const SEARCH_PIXELS = 140
/** Pairs that are looked through for look-alikes, those that share most first. */
const MAX_PAIRS = 12

/**
 * Holds one stand-in and what was found out about it, so that a change of one take costs that take alone. Not
 * re-entrant.
 */
export class Planner {
  readonly facets: Facets
  private readonly scene: CoverageScene
  readonly problem: JoinForecaster
  private readonly openness: Uint8Array
  private readonly covered = new Map<string, TakeCoverage & { held: number | null }>()
  private readonly alike = new Map<string, LookAlikes>()
  private readonly standing = new Map<string, Stability>()
  private coarse: { scene: CoverageScene; openness: Uint8Array } | null = null

  constructor(
    readonly mesh: TriangleMesh,
    wantedFacets?: number,
  ) {
    this.facets = cutFacets(mesh, wantedFacets)
    this.scene = new CoverageScene(mesh, this.facets)
    this.problem = new JoinForecaster(this.facets)
    this.openness = this.scene.openness()
  }

  private cover(take: PlannedTake, plan: Plan, wanted: number): TakeCoverage & { held: number | null } {
    const key = coverKey(take, plan, wanted)
    const old = this.covered.get(key)
    if (old) return old
    const tracked =
      take.kind === 'handheld' ||
      (take.kind === 'arm' ? false : take.kind !== 'turntable' && !plan.device.tracking.includes('table'))
    let views = 0,
      held = 0
    const perView = (_: number, facets: Int32Array): void => {
      views++
      if (this.holds(facets, plan)) held++
    }
    const made = {
      ...this.scene.cover(take, plan.device, wanted, undefined, tracked ? perView : undefined),
      held: tracked ? held / Math.max(1, views) : null,
    }
    if (this.covered.size > 200) this.covered.clear()
    this.covered.set(key, made)
    return made
  }

  /** Whether what one view sees holds a device that tracks by shape in all six directions. */
  private holds(facets: Int32Array, plan: Plan): boolean {
    if (facets.length < 30 || !plan.device.tracking.includes('shape')) return false
    const member = new Set(facets)
    const samples = midpointsOf(this.facets, (i) => member.has(i), 400)
    return !slippageModes(samples, this.problem.scale, noiseModel(plan.device, plan.device.standOffMm)).some(
      (m) => m.motion.free,
    )
  }

  /** The stand-in with what was painted on it. */
  paintedAreas({ areas }: Pick<Brief, 'areas'>): LabelledForm {
    return {
      facets: this.facets,
      facetArea: facetAreas({ areas: onlyPainted(areas, true) }, this.facets, this.openness, OPEN_DIRECTIONS).area,
    }
  }

  evaluate(plan: Plan, brief: Brief, secondsPerMillion: number | null = null): PlanReport {
    const { wantedSpacingMm } = requirementsOf(brief)
    const covers = plan.takes.map((t) => this.cover(t, plan, wantedSpacingMm))
    const seen = assessSeen(
      this.facets,
      covers,
      this.openness,
      facetAreas(brief, this.facets, this.openness, OPEN_DIRECTIONS),
      brief.areas.length,
    )
    const distance = plan.takes[0]?.distanceMm ?? plan.device.standOffMm
    // Stiffness of pairs is kept by what makes it: the two takes and the device.
    const join = this.problem.assess(
      covers,
      noiseModel(plan.device, distance),
      seen.perTake,
      plan.takes.map((t) => coverKey(t, plan, wantedSpacingMm)),
    )
    const exposures = planExposures(
      brief.zones,
      plan.device.exposureRange,
      plan.coats > 0 && brief.permissions.coat.allowed === true && !brief.person,
    )
    const poses = new Set(plan.takes.map((t) => t.pose)).size
    const photos = plan.photos ? planPhotos(plan.photos, this.scene.radiusMm, poses) : null
    const rough = timelineOf(plan, { choice: 'none', text: '', thicknessMm: 0, coats: 0 }, photos)
    const coat = decideCoat(brief, rough.minutes, plan.coatMicrometres, plan.coatLifeMinutes)
    const spacingMm = Math.max(wantedSpacingMm, plan.device.spacingMm)
    return {
      seen,
      join,
      exposures,
      coat,
      photos,
      spacingMm,
      areaMm2: this.facets.totalAreaMm2,
      problems: plan.takes.map((t) => takeProblems(t, plan.device, place(t, this.mesh.positions))),
      stability: plan.takes.map((t) => this.stability(t)),
      tracking: covers.map((c) => c.held),
      timeline: timelineOf(plan, coat, photos),
      data: dataBudget(plan, this.facets.totalAreaMm2, seen.perTake, spacingMm, secondsPerMillion),
      tolerance: toleranceBudget(
        brief,
        plan.device,
        coat,
        spacingMm,
        plan.takes.length > 1 ? join.playMm : 0,
        distance,
      ),
    }
  }

  /** What else may be painted: steps of the best angle (0 steepest to 5, 6 unseen), and how many takes see a facet. */
  paint(plan: Plan, brief: Brief): { angle: Uint8Array; shared: Uint8Array } {
    const { wantedSpacingMm } = requirementsOf(brief)
    const angle = new Uint8Array(this.facets.count).fill(ANGLE_STEPS),
      shared = new Uint8Array(this.facets.count)
    for (const take of plan.takes) {
      const { bestCosine, views } = this.cover(take, plan, wantedSpacingMm)
      for (let i = 0; i < shared.length; i++) {
        if (views[i] === 0) continue
        shared[i]++
        angle[i] = Math.min(angle[i], Math.floor(Math.acos(Math.min(1, bestCosine[i])) / ANGLE_STEP_RAD))
      }
    }
    return { angle, shared }
  }

  private stability(take: PlannedTake): Stability {
    const key = JSON.stringify([take.pose, take.aboutXDeg, take.aboutYDeg, take.headingDeg, take.support, take.riserMm])
    let found = this.standing.get(key)
    if (!found) this.standing.set(key, (found = stabilityOf(this.mesh, take)))
    return found
  }

  /**
   * For each take after a turn: the view that sees most of what is known already, and how much of what it sees that is.
   */
  private restarts(plan: Plan, covers: readonly TakeCoverage[]): Restart[] {
    const { areas, count } = this.facets
    const known = new Uint8Array(count)
    return plan.takes.map((take, t) => {
      let best = { atDeg: 0, known: t === 0 ? 1 : 0 }
      if (t > 0 && take.kind !== 'handheld' && take.kind !== 'arm') {
        best = restartOf(this.scene, known, take, plan.device)
      } else if (t > 0) best = { atDeg: 0, known: shareKnown(covers[t], known, areas) }
      for (let i = 0; i < count; i++) if (covers[t].views[i]) known[i] = 1
      return best
    })
  }

  private dots(plan: Plan): PlanDetails['dots'] {
    const { where } = plan.dots
    if (where === 'none') return null
    const foot = Math.max(0, ...plan.takes.map((t) => place(t, this.mesh.positions).radiusMm))
    const tall = Math.max(0, ...plan.takes.map((t) => place(t, this.mesh.positions).heightMm))
    const stands = where === 'stands' ? standsFor(plan.dots, foot, tall) : []
    const layout =
      where === 'piece'
        ? dotsOnPiece(plan.dots, this.facets)
        : where === 'mat'
          ? dotsOnMat(plan.dots, foot)
          : dotsOnStands(plan.dots, stands)
    const inView = plan.takes.map((t) => {
      const counts = this.scene.dotsInViews(t, plan.device, layout.positions, layout.normals, layout.space).sort()
      return { least: counts[0] ?? 0, median: counts[counts.length >> 1] ?? 0 }
    })
    return { layout, stands, footRadiusMm: foot, inView }
  }

  details(plan: Plan, brief: Brief, report: PlanReport, context: RunContext): PlanDetails {
    const { wantedSpacingMm } = requirementsOf(brief)
    const restart = this.restarts(
      plan,
      plan.takes.map((t) => this.cover(t, plan, wantedSpacingMm)),
    )
    const dots = this.dots(plan)
    const lookAlikes = this.lookAlikes(plan, brief, report, stage(context, 0, 0.4))
    const gaps = openPatches(this.facets, report.seen.classes, this.openness)
    return { restart, dots, lookAlikes, gaps, ...this.nextTake(plan, brief, report, stage(context, 0.4, 1)) }
  }

  /** Other poses in which takes would fit as well, pair by pair. */
  private lookAlikes(plan: Plan, brief: Brief, report: PlanReport, context: RunContext): PairLookAlikes[] {
    const { wantedSpacingMm } = requirementsOf(brief)
    const fitMm = lookAlikeFitMm(plan)
    const pairs = report.join.pairs
      .filter((p) => p.overlap >= MIN_OVERLAP / 2)
      .sort((a, b) => b.sharedMm2 - a.sharedMm2)
      .slice(0, MAX_PAIRS)
    return pairs.map((p, i) => {
      checkpoint(context, i, pairs.length, 'Comparing the piece with itself, turned and flipped')
      const key =
        `${coverKey(plan.takes[p.a], plan, wantedSpacingMm)} ` +
        `${coverKey(plan.takes[p.b], plan, wantedSpacingMm)} ${fitMm}`
      let found = this.alike.get(key)
      if (!found) {
        found = pairLookAlikes(
          this.facets,
          this.cover(plan.takes[p.a], plan, wantedSpacingMm),
          this.cover(plan.takes[p.b], plan, wantedSpacingMm),
          fitMm,
        )
        this.alike.set(key, found)
      }
      return { a: p.a, b: p.b, ...found }
    })
  }

  private search(): { scene: CoverageScene; openness: Uint8Array } {
    if (!this.coarse) {
      const scene = new CoverageScene(this.mesh, cutFacets(this.mesh, SEARCH_FACETS), SEARCH_PIXELS)
      this.coarse = { scene, openness: scene.openness() }
    }
    return this.coarse
  }

  /** The take worth most, and takes that add nothing. Searched in a coarse scene, then judged in the fine one. */
  private nextTake(
    plan: Plan,
    brief: Brief,
    report: PlanReport,
    context: RunContext,
  ): { proposal: Proposal | null; idle: number[] } {
    const { scene, openness } = this.search()
    const { wantedSpacingMm, toleranceMm } = requirementsOf(brief)
    const covered = plan.takes.map((t) => scene.cover(t, plan.device, wantedSpacingMm))
    const { weights } = facetAreas(brief, scene.facets, openness, OPEN_DIRECTIONS)
    const mayTurn = brief.permissions.turn.allowed !== false
    const found = proposeNextTake(
      scene,
      weights,
      openness,
      plan.takes,
      covered,
      plan.device,
      { mayTurn, toleranceMm, wantedSpacingMm },
      context,
    )
    const idle = idleTakes(scene, covered, plan.device, toleranceMm)
    if (!found) return { proposal: null, idle }
    const after = this.evaluate({ ...plan, takes: [...plan.takes, found.take] }, brief)
    const gainMm2 = Math.max(0, report.seen.openMm2 - after.seen.openMm2)
    return {
      idle,
      proposal: {
        ...found,
        gainMm2,
        freeBefore: report.join.slides.length,
        freeAfter: after.join.slides.length,
        playBeforeMm: report.join.playMm,
        playAfterMm: after.join.playMm,
      },
    }
  }
}

/** Residual that noise of two takes and half the spacing explain, mm. */
export const lookAlikeFitMm = (plan: Plan): number =>
  2 * plan.device.noiseMm + spacingAtMm(plan.device, plan.device.standOffMm) / 2 + 0.05

function coverKey(take: PlannedTake, plan: Plan, wanted: number): string {
  const { name: _name, exposures: _exposures, ...geometry } = take
  return JSON.stringify([geometry, plan.device, wanted])
}

function shareKnown(cover: TakeCoverage, known: Uint8Array, areas: Float64Array): number {
  let all = 0,
    old = 0
  for (let i = 0; i < known.length; i++) {
    if (cover.views[i] === 0) continue
    all += areas[i]
    if (known[i]) old += areas[i]
  }
  return all > 0 ? old / all : 0
}
