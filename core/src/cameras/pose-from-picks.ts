import { GeometryError } from '../errors'
import { compose, twistMotion, type Motion } from '../linear/rigid'
import { project, STRAIGHT, type Camera } from '../view/camera'
import { NormalEquations, tukey } from './normal-equations'
import { threePointPoses } from './three-points'

/** A place of the surface, mm, and where a photo shows it, pixels. */
export interface PhotoPick {
  readonly px: readonly [number, number]
  readonly at: readonly [number, number, number]
}

/** What is known of a lens before: pixels of focal length, and how sure, as a share. */
export interface FocalGuess {
  readonly focalPx: number
  readonly sure: number
}

export interface PickedPose {
  readonly camera: Camera
  /** Of each pick, in pixels. */
  readonly residualsPx: readonly number[]
  readonly rmsPx: number
  /** The picks fit the mirror image of the surface much better. */
  readonly mirrored: boolean
}

/** Fewest picks: three leave several ways, and nothing that tells a wrong one. */
export const LEAST_PICKS = 4
/** Of focal lengths nobody knows, in widths of the picture: from wide phones to long lenses. */
const FOCALS = [0.6, 0.75, 0.95, 1.2, 1.5, 1.9, 2.4, 3]
/** How far a lens nobody knows may lie from those. */
const UNKNOWN = 0.5
const MOST_TRIPLES = 20
const KEPT = 6
const ROUNDS = 25
/** A hand hits a place so well, as a share of the picture's width. */
export const PICK_SIGMA = 0.0015
const MIRROR = 0.35

/**
 * Where a photo's camera stood, from places somebody picked on it and on the surface: three of them at a time give ways
 * (`threePointPoses`), the one all agree with best is made as good as it gets, focal length included, a wrong pick
 * losing its weight.
 * @throws PARAMS for fewer than four, DEGENERATE when no camera sees them so
 */
export function poseFromPicks(
  picks: readonly PhotoPick[],
  widthPx: number,
  heightPx: number,
  focal: FocalGuess | null,
): PickedPose {
  if (picks.length < LEAST_PICKS)
    throw new GeometryError('PARAMS', `A photo needs ${LEAST_PICKS} picks or more; there are ${picks.length}.`)
  const plain = bestPose(picks, widthPx, heightPx, focal)
  const mirror = bestPose(
    picks.map(({ px, at }) => ({ px, at: [-at[0], at[1], at[2]] })),
    widthPx,
    heightPx,
    focal,
  )
  if (!plain) throw new GeometryError('DEGENERATE', 'No camera sees the picked places where they were picked.')
  const floor = PICK_SIGMA * widthPx
  return {
    ...plain,
    mirrored: mirror !== null && plain.rmsPx > 2 * floor && mirror.rmsPx < Math.max(floor, MIRROR * plain.rmsPx),
  }
}

function bestPose(
  picks: readonly PhotoPick[],
  widthPx: number,
  heightPx: number,
  focal: FocalGuess | null,
): Omit<PickedPose, 'mirrored'> | null {
  const base = {
    widthPx,
    heightPx,
    principalPx: [widthPx / 2, heightPx / 2] as [number, number],
    distortion: STRAIGHT,
  }
  const sigma = PICK_SIGMA * widthPx
  const ways: { camera: Camera; cost: number }[] = []
  for (const focalPx of focal ? [focal.focalPx] : FOCALS.map((k) => k * widthPx))
    for (const motion of waysOf(picks, focalPx, base.principalPx)) {
      const camera = { ...base, focalPx, motion }
      ways.push({ camera, cost: costOf(camera, picks, 10 * sigma) })
    }
  ways.sort((a, b) => a.cost - b.cost)
  const held = focal ?? { focalPx: 1.2 * widthPx, sure: UNKNOWN }
  let best: Omit<PickedPose, 'mirrored'> | null = null
  let least = Infinity
  for (const way of ways.slice(0, KEPT)) {
    const camera = refine(way.camera, picks, held, sigma)
    const residualsPx = residualsOf(camera, picks)
    const cost = costOf(camera, picks, 6 * sigma)
    if (cost < least) {
      least = cost
      best = { camera, residualsPx, rmsPx: Math.sqrt(residualsPx.reduce((s, r) => s + r * r, 0) / picks.length) }
    }
  }
  return best
}

/** Of all triples of the picks, or an even share of them. */
function* waysOf(picks: readonly PhotoPick[], focalPx: number, principal: readonly number[]): Generator<Motion> {
  const n = picks.length
  const triples: number[][] = []
  for (let i = 0; i < n; i++) for (let j = i + 1; j < n; j++) for (let k = j + 1; k < n; k++) triples.push([i, j, k])
  const step = Math.max(1, triples.length / MOST_TRIPLES)
  for (let t = 0; t < triples.length; t += step) {
    const chosen = triples[Math.floor(t)].map((i) => picks[i])
    const rays = chosen.flatMap(({ px: [u, v] }) => {
      const x = (u - principal[0]) / focalPx,
        y = (v - principal[1]) / focalPx
      const l = Math.hypot(x, y, 1)
      return [x / l, y / l, 1 / l]
    })
    yield* threePointPoses(
      rays,
      chosen.flatMap(({ at }) => [...at]),
    )
  }
}

/** Distance of each pick from where the camera shows its place, px; infinite for what lies behind it. */
export function residualsOf(camera: Camera, picks: readonly PhotoPick[]): number[] {
  const out = new Float64Array(3)
  return picks.map(({ px, at }) => {
    project(camera, at[0], at[1], at[2], out)
    return out[2] > 0 ? Math.hypot(out[0] - px[0], out[1] - px[1]) : Infinity
  })
}

const costOf = (camera: Camera, picks: readonly PhotoPick[], limit: number): number =>
  residualsOf(camera, picks).reduce((s, r) => s + Math.min(1, (r / limit) ** 2), 0)

/** Pose about the middle of the picks, and focal length. */
function refine(start: Camera, picks: readonly PhotoPick[], held: FocalGuess, sigma: number): Camera {
  let camera = start
  let damping = 1e-3
  const middle = [0, 1, 2].map((c) => picks.reduce((s, p) => s + p.at[c], 0) / picks.length)
  const size = Math.max(1e-9, ...picks.map(({ at }) => Math.hypot(...at.map((v, c) => v - middle[c]))))
  const moved = (from: Camera, d: ArrayLike<number>): Camera => {
    const about = twistMotion([d[0], d[1], d[2], 0, 0, 0])
    for (let r = 0; r < 3; r++)
      about[r * 4 + 3] =
        middle[r] -
        (about[r * 4] * middle[0] + about[r * 4 + 1] * middle[1] + about[r * 4 + 2] * middle[2]) +
        d[3 + r] * size
    return { ...from, motion: compose(from.motion, about), focalPx: from.focalPx * Math.exp(d[6]) }
  }
  const at = new Float64Array(3),
    near = new Float64Array(3)
  const equations = (from: Camera, limit: number): NormalEquations => {
    const sums = new NormalEquations(7)
    const rows = [new Float64Array(7), new Float64Array(7)]
    const nudged = Array.from({ length: 7 }, (_, i) =>
      moved(
        from,
        Array.from({ length: 7 }, (_v, k) => (k === i ? NUDGE : 0)),
      ),
    )
    for (const { px, at: p } of picks) {
      project(from, p[0], p[1], p[2], at)
      if (!(at[2] > 0)) {
        sums.cost += limit * limit
        continue
      }
      nudged.forEach((c, i) => {
        project(c, p[0], p[1], p[2], near)
        rows[0][i] = (near[0] - at[0]) / NUDGE
        rows[1][i] = (near[1] - at[1]) / NUDGE
      })
      const [du, dv] = [at[0] - px[0], at[1] - px[1]]
      const w = tukey(Math.hypot(du, dv), limit) / (sigma * sigma)
      sums.add(rows[0], du, w)
      sums.add(rows[1], dv, w)
      if (w === 0) sums.cost += (limit / sigma) ** 2 / 3
    }
    sums.hold(6, Math.log(from.focalPx / held.focalPx), held.sure)
    return sums
  }
  for (let round = 0; round < ROUNDS; round++) {
    const limit = sigma * Math.max(6, 40 * 0.7 ** round)
    const here = equations(camera, limit)
    const step = here.step(damping)
    if (!step) break
    const there = moved(camera, step)
    if (equations(there, limit).cost <= here.cost) {
      camera = there
      damping = Math.max(1e-9, damping * 0.2)
    } else damping *= 8
    if (damping > 1e6) break
  }
  return camera
}

const NUDGE = 1e-6
