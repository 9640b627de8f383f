import { checkpoint, type RunContext } from '../context'
import { JoinForecaster, noiseModel, type JoinForecast } from './assess'
import type { CoverageScene, TakeCoverage } from './coverage'
import type { DeviceProfile } from './device-profile'
import { NEW_TAKE, POSE_WORDS, takeProblems, place, type PlannedTake, type PoseName } from './takes'

/* The one additional take worth most, and those that add nothing. */

export interface Proposal {
  readonly take: PlannedTake
  /** Surface it sees that no other take does, mm², and the same weighted by the brief's areas. */
  readonly gainMm2: number
  readonly weightedGainMm2: number
  /** Motions free before and after, and the play left, mm. */
  readonly freeBefore: number
  readonly freeAfter: number
  readonly playBeforeMm: number
  readonly playAfterMm: number
}

export interface SearchLimits {
  /** Whether the piece may be turned over. */
  readonly mayTurn: boolean
  readonly toleranceMm: number
  readonly wantedSpacingMm: number
}

const VIEWS = 8
const ELEVATIONS = [8, 25, 42, 60] as const
const POSES: readonly PoseName[] = ['upright', 'inverted', 'left', 'right', 'front', 'back', 'lean']
/** Play removed counts as surface: all of it free is as bad as this share of the surface unseen. */
const PLAY_SHARE = 0.25
/** Nothing worth a take of its own is under this share of the surface. */
const WORTH_SHARE = 0.004

/** Takes the device could make; the pose of the piece, then the height of the ring. */
export function candidateTakes(device: DeviceProfile, mayTurn: boolean, taken: readonly PlannedTake[]): PlannedTake[] {
  const kind =
    device.hold === 'hand' ? ('handheld' as const) : device.hold === 'arm' ? ('arm' as const) : ('turntable' as const)
  const out: PlannedTake[] = []
  for (const pose of mayTurn ? POSES : (['upright'] as const)) {
    for (const elevationDeg of ELEVATIONS) {
      const base: PlannedTake = {
        ...NEW_TAKE,
        kind,
        pose,
        elevationDeg,
        distanceMm: device.standOffMm,
        steps: VIEWS,
        support: pose === 'lean' ? 'putty' : 'plate',
        name: '',
      }
      out.push({ ...base, name: nameFor(base, taken) })
    }
  }
  return out
}

function nameFor(take: PlannedTake, taken: readonly PlannedTake[]): string {
  const height =
    take.kind === 'turntable' ? (take.elevationDeg < 15 ? ', low' : take.elevationDeg > 50 ? ', high' : '') : ''
  const name = `${POSE_WORDS[take.pose]}${height}`
  for (let k = 1; ; k++) {
    const numbered = k === 1 ? name : `${name} ${k}`
    if (!taken.some((t) => t.name === numbered)) return numbered
  }
}

/**
 * Looks through poses and elevations for the take that gains most: unseen surface by its weight, and play taken away.
 * @param scene may be a coarser one than what is painted; gains are shares of the surface
 * @param known candidates whose coverage of the scene has been worked out already, null where they can't be run
 * @returns null when nothing is worth another take
 */
export function proposeNextTake(
  scene: CoverageScene,
  weights: Float32Array,
  openness: Uint8Array,
  planned: readonly PlannedTake[],
  covered: readonly TakeCoverage[],
  device: DeviceProfile,
  limits: SearchLimits,
  context: RunContext,
  known?: { readonly candidates: readonly PlannedTake[]; readonly covers: readonly (TakeCoverage | null)[] },
): Proposal | null {
  const { facets } = scene
  const problem = new JoinForecaster(facets)
  const noise = noiseModel(device, device.standOffMm)
  const shareOf = (c: TakeCoverage): number =>
    c.views.reduce((s, v, i) => s + (v > 0 ? facets.areas[i] : 0), 0) / facets.totalAreaMm2
  const shares = covered.map(shareOf)
  const before = problem.assess(
    covered,
    noise,
    shares,
    covered.map((_, i) => `t${i}`),
  )
  const lost = (slides: number, playMm: number): number =>
    slides > 0 ? 1 : Math.min(1, Math.max(0, playMm / limits.toleranceMm - 1 / 3))
  const lostBefore = covered.length < 2 ? 0 : lost(before.slides.length, before.playMm)
  let best: (Proposal & { score: number }) | null = null
  let bestCover: { cover: TakeCoverage; c: number } | null = null
  const joinWith = (cover: TakeCoverage, c: number): JoinForecast =>
    problem.assess(
      [...covered, cover],
      noise,
      [...shares, shareOf(cover)],
      [...covered.map((_, i) => `t${i}`), `c${c}`],
    )
  const candidates = known?.candidates ?? candidateTakes(device, limits.mayTurn, planned)
  candidates.forEach((take, c) => {
    checkpoint(context, c, candidates.length, 'Looking for the take worth most')
    const cover = known ? known.covers[c]! : coverIfPossible(scene, take, device, limits.wantedSpacingMm)
    if (!cover) return
    let gain = 0,
      weighted = 0,
      common = 0
    for (let i = 0; i < facets.count; i++) {
      if (cover.views[i] === 0) continue
      if (covered.some((t) => t.views[i] > 0)) common += facets.areas[i]
      else if (openness[i] > 0) {
        gain += facets.areas[i]
        weighted += facets.areas[i] * weights[i]
      }
    }
    // A take that shares nothing can't be joined.
    if (covered.length > 0 && common < 0.03 * facets.totalAreaMm2) return
    // Where nothing is lost nothing can be cured: what the join comes to is then worked out for the best one only.
    const after = covered.length === 0 || lostBefore === 0 ? null : joinWith(cover, c)
    const lostAfter = after ? lost(after.slides.length, after.playMm) : 0
    // Fewer free motions count too, even when not all go at once.
    const fewer =
      after && lostBefore === 1
        ? Math.max(0, before.slides.length - after.slides.length) / Math.max(1, before.slides.length)
        : 0
    const cured = PLAY_SHARE * facets.totalAreaMm2 * Math.max(lostBefore - lostAfter, fewer)
    const score = weighted + cured
    if (score > (best?.score ?? WORTH_SHARE * facets.totalAreaMm2)) {
      best = {
        take,
        gainMm2: gain,
        weightedGainMm2: weighted,
        freeBefore: before.slides.length,
        freeAfter: after?.slides.length ?? 0,
        playBeforeMm: before.playMm,
        playAfterMm: after?.playMm ?? 0,
        score,
      }
      bestCover = after ? null : { cover, c }
    }
  })
  if (!best) return null
  const { score: _score, ...proposal } = best as Proposal & { score: number }
  const open = bestCover as { cover: TakeCoverage; c: number } | null
  if (!open || covered.length === 0) return proposal
  const { slides, playMm } = joinWith(open.cover, open.c)
  return { ...proposal, freeAfter: slides.length, playAfterMm: playMm }
}

/** What a take sees; null where the device would have to stand in or under something. */
export function coverIfPossible(
  scene: CoverageScene,
  take: PlannedTake,
  device: DeviceProfile,
  wantedSpacingMm: number,
): TakeCoverage | null {
  if (takeProblems(take, device, place(take, scene.mesh.positions)).some((p) => p.startsWith('The device would stand')))
    return null
  return scene.cover(take, device, wantedSpacingMm)
}

/** Takes without which as much is seen and the join is no worse: may be left out, one at a time. */
export function idleTakes(
  scene: CoverageScene,
  covered: readonly TakeCoverage[],
  device: DeviceProfile,
  toleranceMm: number,
): number[] {
  if (covered.length < 3) return []
  const { facets } = scene
  const noise = noiseModel(device, device.standOffMm)
  const problem = new JoinForecaster(facets)
  const shares = covered.map(
    (c) => c.views.reduce((s, v, i) => s + (v > 0 ? facets.areas[i] : 0), 0) / facets.totalAreaMm2,
  )
  const keys = covered.map((_, i) => `t${i}`)
  const whole = problem.assess(covered, noise, shares, keys)
  return covered
    .map((_, t) => t)
    .filter((t) => {
      let lost = 0
      for (let i = 0; i < facets.count; i++)
        if (covered[t].views[i] > 0 && covered.every((c, k) => k === t || c.views[i] === 0)) lost += facets.areas[i]
      if (lost > 0.002 * facets.totalAreaMm2) return false
      const rest = covered.filter((_, k) => k !== t)
      const without = problem.assess(
        rest,
        noise,
        shares.filter((_, k) => k !== t),
        keys.filter((_, k) => k !== t),
      )
      return (
        without.slides.length <= whole.slides.length &&
        (without.playMm <= whole.playMm * 1.5 || without.playMm <= toleranceMm / 3)
      )
    })
}
