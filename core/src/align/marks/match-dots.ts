import {
  compose,
  invertRigid,
  rotationMotion,
  shiftMotion,
  transformPoint,
  rotationAngle,
  type Motion,
} from '../../linear/rigid'
import type { FoundDot } from '../../tidy/dots'
import { isGeometryError } from '../../errors'
import { across } from '../../linear/across'
import { rigidFromPairs } from './pairs'
import type { FreeMotion } from '../slippage'

/** How the dots of some takes lie on those of the others. */
export interface DotMatch {
  /** To be done to the movers, common frame. */
  readonly motion: Motion
  /** Dots that come together: [of the movers, of the stayers]. */
  readonly pairs: readonly (readonly [number, number])[]
  /** Another, different pose brings as many together. */
  readonly ambiguous: boolean
  readonly rmsMm: number
}

/** Dots whose faces differ by more cannot be one. */
const MIN_COSINE = 0.7
const DIFFERENT_DEG = 6
/** Triangles with a shorter side fix no turn. */
const MIN_SIDE_MM = 4
const MAX_TRIPLES = 4000

/**
 * Finds the pose in which most dots come together. Poses come from the ones given (as placed, look-alikes), from
 * turning about a free axis until one dot lies on another, and from triangles of equal sides (distance signatures).
 * @param movers dots in the common frame, as the takes lie now @param stayers likewise
 * @param free a motion the shapes leave free: a turn about it costs nothing
 * @param fits whether the surfaces allow a pose
 */
export function matchDots(
  movers: readonly FoundDot[],
  stayers: readonly FoundDot[],
  given: readonly Motion[],
  free: FreeMotion | null,
  toleranceMm: number,
  fits: (pose: Motion) => boolean = () => true,
): DotMatch | null {
  if (movers.length === 0 || stayers.length === 0) return null
  const turned = free
    ? given.flatMap((g) =>
        turnsAbout(
          free,
          movers.map((d) => movedDot(d, g)),
          stayers,
          toleranceMm,
        ).map((t) => compose(t, g)),
      )
    : []
  const poses = [...given, ...turned, ...trianglePoses(movers, stayers, toleranceMm)]
  // Counting dots is cheap, asking the surfaces is not: only poses that could win are asked.
  const judged = poses
    .map((motion) => ({ motion, ...together(movers, stayers, motion, toleranceMm) }))
    .filter((j) => j.pairs.length > 0)
    .sort((p, q) => q.pairs.length - p.pairs.length || p.rmsMm - q.rmsMm)
  const best = judged.find((j) => fits(j.motion))
  if (!best) return null
  const ambiguous = judged.some(
    (j) =>
      j.pairs.length === best.pairs.length &&
      (rotationAngle(compose(invertRigid(best.motion), j.motion)) * 180) / Math.PI > DIFFERENT_DEG &&
      fits(j.motion),
  )
  return { ...best, ambiguous }
}

/** Dots that lie on each other, each used once, nearest first. */
function together(
  movers: readonly FoundDot[],
  stayers: readonly FoundDot[],
  m: Motion,
  toleranceMm: number,
): { pairs: [number, number][]; rmsMm: number } {
  const near: { i: number; j: number; d: number }[] = []
  movers.forEach((a, i) => {
    const p = transformPoint(m, ...a.centre)
    const n = faced(m, a.normal)
    stayers.forEach((b, j) => {
      const d = Math.hypot(p[0] - b.centre[0], p[1] - b.centre[1], p[2] - b.centre[2])
      if (d <= toleranceMm && n[0] * b.normal[0] + n[1] * b.normal[1] + n[2] * b.normal[2] >= MIN_COSINE)
        near.push({ i, j, d })
    })
  })
  const pairs: [number, number][] = []
  let sum = 0
  for (const { i, j, d } of near.sort((x, y) => x.d - y.d))
    if (!pairs.some(([p, q]) => p === i || q === j)) {
      pairs.push([i, j])
      sum += d * d
    }
  return { pairs, rmsMm: pairs.length > 0 ? Math.sqrt(sum / pairs.length) : 0 }
}

const faced = (m: Motion, [x, y, z]: readonly [number, number, number]): [number, number, number] => [
  m[0] * x + m[1] * y + m[2] * z,
  m[4] * x + m[5] * y + m[6] * z,
  m[8] * x + m[9] * y + m[10] * z,
]

/** The same dot after a motion. */
export const movedDot = (d: FoundDot, m: Motion): FoundDot => ({
  ...d,
  centre: transformPoint(m, ...d.centre),
  normal: faced(m, d.normal),
})

/** Half turns about two axes across the free one: a piece that is round may be so end for end. */
export function flipsOf({ axis, point }: FreeMotion): Motion[] {
  const u = new Float64Array(6)
  across(axis[0], axis[1], axis[2], u)
  return [u.slice(0, 3), u.slice(3, 6)].map((a) =>
    compose(
      shiftMotion(...point),
      compose(rotationMotion(Array.from(a), Math.PI), shiftMotion(-point[0], -point[1], -point[2])),
    ),
  )
}

/** Turns about an axis that lay a dot of the one on a dot of the other at the same height and distance from it. */
function turnsAbout(
  { kind, axis, point }: FreeMotion,
  movers: readonly FoundDot[],
  stayers: readonly FoundDot[],
  toleranceMm: number,
): Motion[] {
  if (kind !== 'rotation') return []
  const polar = (d: FoundDot): { height: number; out: number[] } => {
    const r = d.centre.map((v, k) => v - point[k])
    const height = r[0] * axis[0] + r[1] * axis[1] + r[2] * axis[2]
    return { height, out: r.map((v, k) => v - height * axis[k]) }
  }
  const out: Motion[] = []
  for (const a of movers.map(polar))
    for (const b of stayers.map(polar)) {
      const ra = Math.hypot(...a.out),
        rb = Math.hypot(...b.out)
      if (
        Math.abs(a.height - b.height) > toleranceMm ||
        Math.abs(ra - rb) > toleranceMm ||
        Math.min(ra, rb) < toleranceMm
      )
        continue
      const cross = [
        a.out[1] * b.out[2] - a.out[2] * b.out[1],
        a.out[2] * b.out[0] - a.out[0] * b.out[2],
        a.out[0] * b.out[1] - a.out[1] * b.out[0],
      ]
      const angle = Math.atan2(
        cross.reduce((s, v, k) => s + v * axis[k], 0),
        a.out.reduce((s, v, k) => s + v * b.out[k], 0),
      )
      out.push(
        compose(
          shiftMotion(...point),
          compose(rotationMotion(axis, angle), shiftMotion(-point[0], -point[1], -point[2])),
        ),
      )
    }
  return out
}

/** Poses from triangles whose sides agree. */
function trianglePoses(movers: readonly FoundDot[], stayers: readonly FoundDot[], toleranceMm: number): Motion[] {
  const side = (d: readonly FoundDot[], i: number, j: number): number =>
    Math.hypot(...d[i].centre.map((v, k) => v - d[j].centre[k]))
  const out: Motion[] = []
  const n = movers.length,
    m = stayers.length
  let looked = 0
  for (let i = 0; i < n; i++)
    for (let j = i + 1; j < n; j++)
      for (let k = j + 1; k < n && looked < MAX_TRIPLES; k++, looked++) {
        const [ij, jk, ik] = [side(movers, i, j), side(movers, j, k), side(movers, i, k)]
        if (Math.min(ij, jk, ik) < MIN_SIDE_MM) continue
        for (let p = 0; p < m; p++)
          for (let q = 0; q < m; q++) {
            if (q === p || Math.abs(side(stayers, p, q) - ij) > toleranceMm) continue
            for (let r = 0; r < m; r++) {
              if (
                r === p ||
                r === q ||
                Math.abs(side(stayers, q, r) - jk) > toleranceMm ||
                Math.abs(side(stayers, p, r) - ik) > toleranceMm
              )
                continue
              try {
                const fit = rigidFromPairs(
                  Float64Array.from([i, j, k].flatMap((d) => [...movers[d].centre])),
                  Float64Array.from([p, q, r].flatMap((d) => [...stayers[d].centre])),
                )
                if (fit.rmsMm <= toleranceMm) out.push(fit.motion)
              } catch (error) {
                // Three dots on a line say nothing of the turn about it.
                if (!isGeometryError(error)) throw error
              }
            }
          }
      }
  return out
}
