import { compose, invertRigid, type Motion } from '../../linear/rigid'
import type { TakeFeatures } from '../coarse/features'
import { judgePose } from '../coarse/judge-pose'
import { refineCoarse } from '../coarse/refine-coarse'
import type { JoinReport } from '../takes/join-report'
import { centreOf, sameSet } from '../takes/links'
import { flipsOf } from '../marks/match-dots'
import type { Slide } from '../freedom'
import type { FreeMotion } from '../slippage'

const MAX_TWICE = 16

/** What shape leaves open over one link: other evidence chooses among it. */
export interface OpenPoses {
  /** What to do to the movers for other poses, in the common frame. */
  readonly poses: readonly Motion[]
  /** What slides over this link, the freest first; null where nothing does. */
  readonly freedom: Slide | null
  /** A free turn, through the middle of what is shared. */
  readonly turn: FreeMotion | null
  /** How well a pose fits by shape, beside the one taken (1). */
  fit(pose: Motion): number
}

/** @param motions take → common, where the takes lie by now */
export function openOver(
  link: readonly [number, number],
  cut: { readonly movers: readonly number[]; readonly stayers: readonly number[] },
  report: JoinReport,
  described: readonly TakeFeatures[],
  motions: readonly Motion[],
): OpenPoses {
  const { movers, stayers } = cut
  const [a, b] = link
  const freedom = report.slides.modes.find((m) => m.motion.free && sameSet(m.movers, movers, stayers)) ?? null
  const slide = report.slides.modes.find(
    (m) => m.motion.free && m.motion.kind === 'rotation' && sameSet(m.movers, movers, stayers),
  )
  // The middle of what is shared, on the axis: flips turn about it.
  const turn = slide ? { ...slide.motion, point: onAxis(slide.motion, centreOf(report.pairs)) } : null
  const score = (pose: Motion | null): number =>
    movers.reduce(
      (sum, i) =>
        sum +
        stayers.reduce(
          (s, j) =>
            s +
            judgePose(
              described[i],
              described[j],
              compose(invertRigid(motions[j]), pose ? compose(pose, motions[i]) : motions[i]),
            ).score,
          0,
        ),
      0,
    )
  const asTaken = score(null)
  const others = report.alternatives
    .filter((x) => x.ruledOutBy !== 'marks' && sameSet(x.movers, movers, stayers))
    .map((x) => (x.movers[0] === movers[0] ? x.motion : invertRigid(x.motion)))
  // What fits once fits again: two quarter turns are a half turn.
  const twice = others
    .flatMap((p) => [invertRigid(p), ...others.map((q) => compose(p, q))])
    .slice(0, MAX_TWICE)
    .map((p) => nestled(described, motions, movers, a, b, p))
  return {
    freedom,
    turn,
    poses: [
      ...others,
      ...twice,
      ...(turn ? flipsOf(turn).map((f) => nestled(described, motions, movers, a, b, f)) : []),
    ],
    fit: (pose) => score(pose) / asTaken,
  }
}

/** A pose settled on the outlines of the link's two takes. */
function nestled(
  described: readonly TakeFeatures[],
  motions: readonly Motion[],
  movers: readonly number[],
  a: number,
  b: number,
  pose: Motion,
): Motion {
  const [m, s] = movers.includes(a) ? [a, b] : [b, a]
  const start = compose(invertRigid(motions[s]), compose(pose, motions[m]))
  return compose(
    motions[s],
    compose(refineCoarse(described[m].outline, described[s].outline, start), invertRigid(motions[m])),
  )
}

function onAxis(m: FreeMotion, at: readonly number[]): [number, number, number] {
  const along = [0, 1, 2].reduce((s, k) => s + (at[k] - m.point[k]) * m.axis[k], 0)
  return [0, 1, 2].map((k) => m.point[k] + along * m.axis[k]) as [number, number, number]
}
