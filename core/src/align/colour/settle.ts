import { meanPoint } from '../../linear/mean-point'
import { compose, identityMotion, invertRigid, transformPoint, type Motion } from '../../linear/rigid'
import { samePose } from '../coarse/judge-pose'
import { alongFreedom, speedAlong } from '../freedom'
import type { Slide } from '../freedom'
import { agreementOf, contrasts, leads, meetTones, standsOut, type MetTones, type Toned } from './meet'

/** What colours said of one link. */
export interface ColourReport {
  readonly movers: readonly number[]
  readonly stayers: readonly number[]
  /** Correlation of the tones in the pose taken; NaN where too little of both is coloured. */
  readonly agreement: number
  /** The same for the best other pose; null where there is no other. */
  readonly next: number | null
  /** The colours choose this pose and no other. */
  readonly settled: boolean
  /** The pose was not the one that shape had taken. */
  readonly moved: boolean
  /** Both sides have tones to tell apart, and they do not go together where the takes lie. */
  readonly contradicts: boolean
}

export interface ColourChoice extends ColourReport {
  readonly motion: Motion
  /** Correlation where the takes lay before. */
  readonly asTaken: number
}

/** Tones that agree less than this, though there is something to tell, speak against the pose. */
const CONTRADICTS = 0.2
const SAMPLES = 1500
const MAX_SAMPLES = 180
/** Of the places that meet in the pose where most do. */
const STILL_MEETS = 0.5
/** A pose slides, too, when so many steps either way leave so much of its fit. */
const FREE_STEPS = 5,
  STILL_FITS = 0.93
/** Poses looked at more finely, and how often the step is halved. */
const DISTINCT = 6,
  ROUNDS = 4
/** Farthest place moves by so much from one sample of a freedom to the next. */
const STEP_VOXELS = 1.5

/**
 * Chooses among the poses that shape leaves open over one link: other poses that fit, and samples along a free motion,
 * by how well the tones of both sides agree. Agreement is a correlation, so that exposures may differ.
 * @param others what to do to the movers for other poses, in the common frame
 * @param fit how well a pose fits by shape; null where the freedom is taken to hold in every pose
 */
export function chooseByColours(
  movers: readonly number[],
  stayers: readonly number[],
  motions: readonly Motion[],
  takes: readonly (Toned | null)[],
  others: readonly Motion[],
  freedom: Slide | null,
  fit: ((pose: Motion) => number) | null = null,
): ColourChoice {
  const pairs = movers
    .flatMap((m) => stayers.map((s): [number, number] => [m, s]))
    .filter(([m, s]) => takes[m] && takes[s])
  const nothing: ColourChoice = {
    movers,
    stayers,
    agreement: NaN,
    next: null,
    settled: false,
    moved: false,
    contradicts: false,
    asTaken: NaN,
    motion: identityMotion(),
  }
  if (pairs.length === 0) return nothing
  const meeting = (pose: Motion, few: boolean): MetTones[] =>
    pairs.map(([m, s]) => {
      const from = takes[m]!
      return meetTones(
        from,
        takes[s]!,
        compose(invertRigid(motions[s]), compose(pose, motions[m])),
        few ? Math.max(1, Math.floor(from.outline.points.length / 3 / SAMPLES)) : 1,
      )
    })
  const agreement = (pose: Motion): number => agreementOf(meeting(pose, false))
  const { outline } = takes[pairs[0][0]]!
  const middle = transformPoint(motions[pairs[0][0]], ...meanPoint(outline.points))
  const bases = [identityMotion(), ...others]
  const step = freedom ? stepOf(freedom, takes, motions, STEP_VOXELS * outline.voxelMm) : null
  // What slides in the pose taken may be held in another.
  const slidesToo = (base: Motion): boolean =>
    !fit ||
    [-1, 1].every(
      (sign) =>
        fit(compose(alongFreedom(freedom!.motion, sign * FREE_STEPS * step!.by), base)) >= STILL_FITS * fit(base),
    )
  const poses = bases.flatMap((base) =>
    step && slidesToo(base) ? step.amounts.map((s) => compose(alongFreedom(freedom!.motion, s), base)) : [base],
  )
  // A pose slid so far that little meets may agree by chance: it is no pose of these takes.
  const met = poses
    .map((motion) => ({ motion, lists: meeting(motion, true) }))
    .map(({ motion, lists }) => ({
      motion,
      agreement: agreementOf(lists),
      count: lists.reduce((n, l) => n + l.count, 0),
    }))
  const most = Math.max(...met.map((t) => t.count))
  const tried = met
    .filter((t) => !Number.isNaN(t.agreement) && t.count >= STILL_MEETS * most)
    .sort((a, b) => b.agreement - a.agreement)
  if (tried.length === 0) return nothing
  // The best of poses that differ, each looked at more finely: like is compared with like.
  const same = (a: Motion, b: Motion): boolean => samePose(a, b, middle, outline.voxelMm)
  const distinct: typeof tried = []
  for (const t of tried)
    if (distinct.length < DISTINCT && distinct.every((d) => !same(d.motion, t.motion))) distinct.push(t)
  const fine = distinct
    .map((t) => {
      let best = { motion: t.motion, agreement: agreement(t.motion) }
      for (let by = step?.by ?? 0, round = 0; step && round < ROUNDS; round++) {
        by /= 2
        for (const sign of [-1, 1]) {
          const motion = compose(alongFreedom(freedom!.motion, sign * by), best.motion),
            there = agreement(motion)
          if (there > best.agreement) best = { motion, agreement: there }
        }
      }
      return best
    })
    .filter((t) => !Number.isNaN(t.agreement))
    .sort((a, b) => b.agreement - a.agreement)
  const [best] = fine
  if (!best) return nothing
  const next = fine.find((t) => !same(t.motion, best.motion))
  const settled =
    leads(best.agreement, next?.agreement ?? 0) &&
    standsOut(
      best.agreement,
      tried.filter((t) => !same(t.motion, best.motion)).map((t) => t.agreement),
    )
  const moved = settled && !samePose(best.motion, identityMotion(), middle, outline.voxelMm / 3)
  const asTaken = agreement(identityMotion())
  const contradicts = !settled && asTaken < CONTRADICTS && contrasts(meeting(identityMotion(), false))
  return {
    movers,
    stayers,
    contradicts,
    asTaken,
    agreement: settled ? best.agreement : asTaken,
    next: next?.agreement ?? null,
    settled,
    moved,
    motion: settled ? best.motion : identityMotion(),
  }
}

/** Amounts to try along a freedom, and the step between them. */
function stepOf(
  { motion }: Slide,
  takes: readonly (Toned | null)[],
  motions: readonly Motion[],
  stepMm: number,
): { amounts: number[]; by: number } {
  let fastest = 0
  takes.forEach((t, i) => {
    if (t)
      for (let k = 0; k < t.outline.points.length; k += 60)
        fastest = Math.max(
          fastest,
          Math.hypot(
            ...speedAlong(
              motion,
              transformPoint(motions[i], t.outline.points[k], t.outline.points[k + 1], t.outline.points[k + 2]),
            ),
          ),
        )
  })
  const whole =
    motion.kind === 'rotation'
      ? 2 * Math.PI
      : motion.kind === 'screw'
        ? (2 * motion.boundMm) / Math.max(1e-9, Math.abs(motion.pitchMm))
        : 1.6 * motion.boundMm
  const count = Math.max(1, Math.min(MAX_SAMPLES, Math.ceil(whole / (stepMm / Math.max(fastest, 1e-9)))))
  const by = whole / count
  return { by, amounts: Array.from({ length: count }, (_, i) => (i - Math.floor(count / 2)) * by) }
}
