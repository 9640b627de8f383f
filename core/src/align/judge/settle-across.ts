import type { RunContext } from '../../context'
import { solveCholesky } from '../../linear/cholesky'
import { compose, invertRigid, shiftMotion, type Motion } from '../../linear/rigid'
import { freeMoves, matchJointly } from '../refine/joint'
import { ruledOutIn, type CrossingPair, type LaidTakes, type RuledOut } from './closely'
import type { JudgedPair } from './slides'

/* Another pose of some takes, settled on all that crosses a cut as the pose taken is. */

/** Points and rounds for settling another pose on all that crosses the cut. */
const ACROSS_SAMPLES = 16_000,
  ACROSS_ROUNDS = 12
/** Of places ruled out, so many of a kind are enough. */
export const PLENTY = 60
/** A pose is eased out by no more than so far at a time. */
const EASED_VOXELS = 2.5

/**
 * A pose settled on all that crosses the cut, as the pose taken is: matched to one take alone it may stand a little off
 * the others.
 */
export async function settledAcross(
  set: LaidTakes,
  crossing: readonly JudgedPair[],
  movers: readonly number[],
  h: Motion,
  context: RunContext,
): Promise<Motion> {
  const members = [...new Set(crossing.flatMap((p) => [p.a, p.b]))]
  const bodies = members.map((i) => ({
    cloud: set.takes[i],
    start: movers.includes(i) ? compose(h, set.motions[i]) : set.motions[i],
    moves: movers.includes(i) ? freeMoves(0) : [],
  }))
  const voxel = set.described[0].outline.voxelMm
  const joint = await matchJointly(
    bodies,
    {
      reachMm: voxel,
      unknowns: 6,
      samples: ACROSS_SAMPLES,
      maxRounds: ACROSS_ROUNDS,
      apart: (a, b) => movers.includes(members[a]) === movers.includes(members[b]),
    },
    { ...context, progress: () => undefined },
  )
  const m = members.findIndex((i) => movers.includes(i))
  return compose(joint.motions[m], invertRigid(set.motions[members[m]]))
}

/**
 * A pose that stands a little inside may not have settled: its faces hold each other in the wrong place, and are brought
 * out, or across to the other side of a wall, and settled anew; null where that does not help.
 */
export async function easedOut(
  set: LaidTakes,
  crossing: readonly CrossingPair[],
  main: readonly CrossingPair[],
  movers: readonly number[],
  motion: Motion,
  { push, places }: RuledOut,
  context: RunContext,
): Promise<{ motion: Motion; out: RuledOut } | null> {
  const shift = shiftOut(push)
  if (Math.hypot(...shift) > EASED_VOXELS * set.described[0].outline.voxelMm) return null
  for (const way of [1, -1]) {
    const moved = compose(shiftMotion(...(shift.map((v) => way * v) as [number, number, number])), motion)
    const eased = await settledAcross(set, main, movers, moved, context)
    const out = ruledOutIn(set, crossing, movers, eased, PLENTY)
    if (out.places < places / 2) return { motion: eased, out }
  }
  return null
}

/** The shift that brings places out of what they stand in, by least squares, mm; what they do not tell of stays. */
function shiftOut(push: readonly number[]): [number, number, number] {
  const a = new Float64Array(9),
    b = new Float64Array(3)
  for (let i = 0; i < push.length; i += 4)
    for (let r = 0; r < 3; r++) {
      b[r] += push[i + r] * push[i + 3]
      for (let c = 0; c < 3; c++) a[r * 3 + c] += push[i + r] * push[i + c]
    }
  for (let r = 0; r < 3; r++) a[r * 4] += 1e-2 * push.length
  return solveCholesky(a, b, b, 3) ? [b[0], b[1], b[2]] : [0, 0, 0]
}
