import { captureTake, TABLETOP_DEVICE } from '../bench/capture'
import type { DemoPiece } from '../bench/pieces'
import { coarseMesh } from '../bench/scene'
import { EMPTY_BRIEF, type Brief } from '../brief/brief'
import type { RunContext } from '../context'
import { invertRigid } from '../linear/rigid'
import { seededRandom } from '../linear/random'
import { simplifyLoosely } from '../simplify/loosely'
import { CoverageScene } from '../plan/coverage'
import { cutFacets } from '../plan/facets'
import { candidateTakes } from '../plan/next-take'
import { NEW_TAKE, type PlannedTake } from '../plan/takes'
import { reachable, reachOf, surveyTakes } from '../complete/completeness'
import { gatherTakes, type LaidTake } from '../complete/estimate'
import { supportOf } from '../complete/support'

/* Seeded sessions cut short, with the truth beside them: for tests and for learning how far the verdict is off. */

const side: PlannedTake = { ...NEW_TAKE, name: 'side', pose: 'front', elevationDeg: 30 }
const inverted: PlannedTake = { ...NEW_TAKE, name: 'upside down', pose: 'inverted', elevationDeg: 35 }
const upright: PlannedTake = { ...NEW_TAKE, elevationDeg: 40 }

/** What a person would plan for each piece. */
export const STANDARD_PLANS: Readonly<Record<string, readonly PlannedTake[]>> = {
  lamp: [{ ...upright, elevationDeg: 48 }, side],
  bobbin: [upright, inverted],
  tile: [upright, inverted, { ...side, name: 'leaning', pose: 'lean', support: 'putty', riserMm: 4 }],
  jug: [{ ...upright, elevationDeg: 25 }, { ...upright, name: 'high', elevationDeg: 60 }, inverted],
  gull: [{ ...upright, elevationDeg: 20 }, { ...upright, name: 'high', elevationDeg: 55 }, side],
  cleat: [upright, inverted, side],
}

export interface CaseResult {
  readonly piece: string
  readonly seed: number
  readonly takes: string
  readonly seenTruth: number
  readonly truth: number
  readonly estimate: number
  readonly low: number
  readonly high: number
  /** Gain of the proposed take and of the best of the usual candidates, shares of the true reachable surface. */
  readonly gain: number
  readonly bestGain: number
  readonly surveySeconds: number
}

/** Pieces whose brief says that they are hollow. */
const HOLLOW = new Set(['jug', 'lamp'])
const MIN_SEEN = 0.6
const CASE_SPACING_MM = 1

/**
 * One seeded session: some takes of the plan, each over part of its turn; null when less than 60 % of the reachable
 * surface was seen. Takes lie where they truly lay: the verdict, not the join, is on trial.
 */
export async function judgeCase(
  name: string,
  piece: DemoPiece,
  seed: number,
  context: RunContext,
  clock: () => number = () => 0,
): Promise<CaseResult | null> {
  const random = seededRandom(seed * 977 + 5)
  const plan = STANDARD_PLANS[name]
  const kept = plan.filter(() => random.next() < 0.75)
  if (kept.length === 0) kept.push(plan[0])
  const device = {
    ...TABLETOP_DEVICE,
    nearMm: TABLETOP_DEVICE.nearMm - 60,
    farMm: TABLETOP_DEVICE.farMm + 60,
    windowMm: Math.max(TABLETOP_DEVICE.windowMm, 1.25 * piece.lengthMm),
  }
  const short = kept.map((t): PlannedTake => {
    const part = random.next() < 0.4 ? 1 : 0.45 + 0.5 * random.next()
    return {
      ...t,
      sweepDeg: 360 * part,
      steps: Math.max(3, Math.round(t.steps * part)),
      restartDeg: 360 * random.next(),
    }
  })
  const takes = short.map((t, i): LaidTake => {
    const { cloud, truth } = captureTake(piece, t, device, seed * 10 + i, context, {
      spacingMm: CASE_SPACING_MM,
      coatMm: 0.001,
      pitchMm: 1.6,
    })
    return { name: t.name, cloud, motion: invertRigid(truth), floorMm: t.support === 'plate' ? 0 : t.riserMm + 3 }
  })
  const brief: Brief = {
    ...EMPTY_BRIEF,
    lengthMm: piece.sizeMm[0],
    widthMm: piece.sizeMm[1],
    heightMm: piece.sizeMm[2],
    detailMm: 3,
    traits: HOLLOW.has(name) ? ['hollow'] : [],
  }
  // Truth: the same questions put to the true surface.
  const mesh = await simplifyLoosely(coarseMesh(piece), 14_000)
  const facets = cutFacets(mesh, 9000)
  const { gathered } = gatherTakes(takes, context)
  const support = supportOf(facets, gathered, takes.length, reachOf(gathered.spacingMm))
  const scene = new CoverageScene(mesh, facets, 200)
  const candidates = candidateTakes(device, true, [])
  const covers = reachable(scene, candidates, device, brief, context)
  let seen = 0,
    open = 0
  const isOpen = new Uint8Array(facets.count)
  for (let i = 0; i < facets.count; i++) {
    if (support.frames[i] > 0) seen += facets.areas[i]
    else if (covers.some((c) => c !== null && c.views[i] > 0)) {
      open += facets.areas[i]
      isOpen[i] = 1
    }
  }
  if (seen / (seen + open) < MIN_SEEN) return null
  const started = clock()
  const found = await surveyTakes(takes, { device, brief }, context)
  const surveySeconds = (clock() - started) / 1000
  const gainOf = (views: Uint16Array): number =>
    facets.areas.reduce((s, a, i) => s + (isOpen[i] && views[i] > 0 ? a : 0), 0) / (seen + open)
  const gains = covers.map((c) => (c ? gainOf(c.views) : 0))
  const proposed = found.proposal?.take
  const at = proposed
    ? candidates.findIndex((c) => c.pose === proposed.pose && c.elevationDeg === proposed.elevationDeg)
    : -1
  return {
    piece: name,
    seed,
    takes: short.map((t) => `${t.name} ${Math.round(t.sweepDeg)}°`).join(', '),
    seenTruth: seen / (seen + open),
    truth: open / (seen + open),
    estimate: found.unseen.share,
    low: found.unseen.low,
    high: found.unseen.high,
    gain: at >= 0 ? gains[at] : 0,
    bestGain: Math.max(...gains),
    surveySeconds,
  }
}
