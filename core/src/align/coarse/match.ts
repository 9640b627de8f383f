import { meanPoint } from '../../linear/mean-point'
import type { Motion } from '../../linear/rigid'
import { axisPoses } from './axis-poses'
import { consensusPoses, featureMatches } from './consensus'
import type { TakeFeatures } from './features'
import { firstLook, judgePose, samePose, type Candidate } from './judge-pose'
import { refineCoarse } from './refine-coarse'

/** Candidates refined, and given back at most. */
const REFINED = 18
export const MAX_CANDIDATES = 10
/** A pose that fits without a doubt. */
const CLEAR = { share: 0.3, rmsVoxels: 0.2, inTheWay: 0.01 } as const

/**
 * Poses in which two takes may belong together, without any start: feature matches (several for each place),
 * second-order compatible consensus sets, poses clustered, refined on the outlines, ranked by what fits less what one
 * take would have hidden from the other.
 * Sources: Chen, Sun, Yang, Tao 2022, "SC²-PCR: a second order spatial compatibility for efficient and robust point
 * cloud registration", CVPR; compatibility of oriented pairs as in Drost, Ulrich, Navab, Ilic 2010, "Model globally,
 * match locally", CVPR (the four-part pair feature).
 */
export function matchCoarse(a: TakeFeatures, b: TakeFeatures): Candidate[] {
  const pairs = featureMatches(a, b)
  const poses = consensusPoses(a.outline, b.outline, pairs)
  const ranked = rankPoses(a, b, poses)
  const [best] = ranked
  // Where features lead to a pose that fits without a doubt, the axes of the whole add nothing but time.
  if (best && best.share >= CLEAR.share && best.rmsVoxels <= CLEAR.rmsVoxels && best.inTheWay <= CLEAR.inTheWay)
    return ranked
  return rankPoses(a, b, [...poses, ...axisPoses(a.outline, b.outline)])
}

/** Distinct, refined, ranked. Poses may come from anywhere: features, symmetries, other takes. */
export function rankPoses(a: TakeFeatures, b: TakeFeatures, poses: readonly Motion[]): Candidate[] {
  const voxel = a.outline.voxelMm
  const middle = meanPoint(a.outline.points)
  const stride = Math.max(1, Math.floor(a.outline.points.length / 3 / 300))
  const first = poses
    .map((motion) => ({ motion, score: firstLook(a, b, motion, stride) }))
    .sort((p, q) => q.score - p.score)
  const chosen: Motion[] = []
  for (const { motion } of first) {
    if (chosen.length >= REFINED) break
    if (chosen.every((c) => !samePose(c, motion, middle, voxel))) chosen.push(motion)
  }
  const found = chosen
    .map((m) => judgePose(a, b, refineCoarse(a.outline, b.outline, m)))
    .filter((c) => c.fitting > 0)
    .sort((p, q) => q.score - p.score)
  const kept: Candidate[] = []
  for (const c of found)
    if (kept.length < MAX_CANDIDATES && kept.every((k) => !samePose(k.motion, c.motion, middle, voxel))) kept.push(c)
  return kept
}
