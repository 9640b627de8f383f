import { levelPhotos, type Readings } from '../colour/level-photos'
import { SHADING_TERMS, shadingTerms } from '../colour/shading'
import { toLight } from '../colour/srgb'
import { checkpoint, type RunContext } from '../context'
import { compose } from '../linear/rigid'
import { solveCholesky } from '../linear/cholesky'
import { project, type Camera } from '../view/camera'
import type { ContourFinder } from './contour'
import { EdgeSearch } from './find-edges'
import { addRows, edgesOf } from './fit-turn'
import { readLevel, type Level } from './grey-levels'
import { NormalEquations, tukey } from './normal-equations'
import type { Places } from './surface-places'
import { nudge } from './turn'

export interface FittedPhoto {
  readonly camera: Camera
  /** Median distance of its contours from the edges they found, px. */
  readonly edgePx: number
  /** Share of its contours' places that lie on an edge. */
  readonly found: number
}

/** Three of turning and three of shifting; then lens, shared. */
const OWN = 6
const SHARED = 2
const ALL = OWN + SHARED
const NUDGE = 1e-6
/** Contours are sure to so many px, all of one photo together as if there were so many. */
const EDGE_WEIGHT = 0.1
const EDGE_REACH = 3
/** Light too near to none or to the brightest tells nothing; bytes. */
const DARKEST = 6
const BRIGHTEST = 249
const DARK = 0.004
/** Log of light: readings agree so well where cameras are right. */
const COLOUR_SIGMA = 0.03
const FIRST_LIMIT = 0.6
const LIMIT = 0.15
/** A photo may stand off its turn by so much: turns, and shifts as shares of the size. */
const OWN_SIGMA = [0.01, 0.01, 0.01, 0.01, 0.01, 0.01]
const FOCAL_SIGMA = 0.02
const BENT_SIGMA = 0.05

/**
 * Moves each photo's camera by itself, and the lens of all, until contours lie on edges and every place of the surface
 * has one colour in all photos (after Zhou and Koltun 2014, "Color map optimization for 3D reconstruction with consumer
 * depth cameras"), photos being levelled meanwhile, so that exposure and light are not taken for it.
 * @param cameras as far as the turn tells them, of the size of the levels
 */
export function fitPhotos(
  cameras: readonly Camera[],
  levels: readonly Level[],
  places: Places,
  finder: ContourFinder,
  middle: readonly number[],
  size: number,
  rounds: number,
  context: RunContext,
): FittedPhoto[] {
  let now = cameras.slice()
  const search = new EdgeSearch()
  const moves = cameras.map(() => new Float64Array(OWN))
  const lens = [0, 0]
  const told: { edgePx: number; found: number }[] = []
  for (let round = 0; round < rounds; round++) {
    checkpoint(context, round, rounds, 'Holding colours against each other')
    const limit = Math.max(LIMIT, FIRST_LIMIT * 0.6 ** round)
    const colours = new PhotoColours(now, levels, places)
    const albedo = colours.albedo(limit)
    const shared = new NormalEquations(SHARED)
    const eachOwn = now.map((camera, p) => {
      const sums = new NormalEquations(ALL)
      const nudged = nudgedCameras(camera, middle, size)
      const edges = edgesOf(finder, search, levels[p], camera, EDGE_REACH)
      const off = [...edges.off].filter((d) => !Number.isNaN(d)).map(Math.abs)
      off.sort((a, b) => a - b)
      told[p] = {
        edgePx: off[off.length >> 1] ?? Infinity,
        found: edges.contour.count === 0 ? 0 : off.filter((d) => d < 1.5).length / edges.contour.count,
      }
      addRows(sums, edges, camera, nudged, EDGE_REACH)
      sums.scale(EDGE_WEIGHT)
      colours.add(sums, p, nudged, albedo, limit)
      for (let i = 0; i < OWN; i++) sums.hold(i, moves[p][i], OWN_SIGMA[i])
      return sums
    })
    shared.hold(0, lens[0], FOCAL_SIGMA)
    shared.hold(1, lens[1], BENT_SIGMA)
    const steps = solveTogether(eachOwn, shared)
    if (!steps) break
    lens[0] += steps.lens[0]
    lens[1] += steps.lens[1]
    now = now.map((camera, p) => {
      const own = steps.own[p]
      for (let i = 0; i < OWN; i++) moves[p][i] += own[i]
      return moved(camera, [...own, ...steps.lens], middle, size)
    })
  }
  return now.map((camera, p) => ({ camera, ...told[p] }))
}

function moved(camera: Camera, d: ArrayLike<number>, middle: readonly number[], size: number): Camera {
  const [k1, ...rest] = camera.distortion
  return {
    ...camera,
    motion: compose(camera.motion, nudge(d, middle, size)),
    focalPx: camera.focalPx * Math.exp(d[OWN]),
    distortion: [k1 + d[OWN + 1], ...rest] as unknown as Camera['distortion'],
  }
}

const nudgedCameras = (camera: Camera, middle: readonly number[], size: number): Camera[] =>
  Array.from({ length: ALL }, (_, i) =>
    moved(
      camera,
      Array.from({ length: ALL }, (_v, k) => (k === i ? NUDGE : 0)),
      middle,
      size,
    ),
  )

/** Own unknowns of each photo are taken out one photo after the other (Schur's complement); then the lens is solved. */
function solveTogether(
  each: readonly NormalEquations[],
  shared: NormalEquations,
): { own: Float64Array[]; lens: Float64Array } | null {
  const C = Float64Array.from(shared.a),
    c = Float64Array.from(shared.b)
  const kept = each.map((sums) => {
    const A = new Float64Array(OWN * OWN)
    const sides = Array.from({ length: SHARED + 1 }, () => new Float64Array(OWN))
    for (let i = 0; i < OWN; i++) {
      for (let j = 0; j <= i; j++) A[i * OWN + j] = A[j * OWN + i] = sums.a[i * ALL + j]
      A[i * OWN + i] *= 1 + 1e-6
      for (let s = 0; s < SHARED; s++) sides[s][i] = sums.a[(OWN + s) * ALL + i]
      sides[SHARED][i] = sums.b[i]
    }
    const solved = sides.map((b) => {
      const x = new Float64Array(OWN)
      return solveCholesky(A, b, x, OWN) ? x : null
    })
    if (solved.some((x) => x === null)) return null
    for (let s = 0; s < SHARED; s++) {
      const dot = (x: Float64Array): number => x.reduce((sum, v, i) => sum + v * sides[s][i], 0)
      for (let q = 0; q <= s; q++) C[s * SHARED + q] += sums.a[(OWN + s) * ALL + OWN + q] - dot(solved[q]!)
      c[s] += sums.b[OWN + s] - dot(solved[SHARED]!)
    }
    return solved as Float64Array[]
  })
  for (let s = 0; s < SHARED; s++) for (let q = 0; q < s; q++) C[q * SHARED + s] = C[s * SHARED + q]
  const lens = new Float64Array(SHARED)
  if (!solveCholesky(C, c, lens, SHARED)) return null
  const own = kept.map((solved) => {
    const x = new Float64Array(OWN)
    if (solved) for (let i = 0; i < OWN; i++) x[i] = solved[SHARED][i] - lens[0] * solved[0][i] - lens[1] * solved[1][i]
    return x
  })
  return { own, lens }
}

/** What photos show at places of a surface, with cameras as they are now. */
class PhotoColours {
  /** photos×places×3 log of light, NaN where a photo shows nothing. */
  private readonly logs: Float64Array
  private readonly count: number
  private terms = new Float64Array(0)
  private levelled: { gains: Float64Array; shading: Float64Array } | null = null

  constructor(
    private readonly cameras: readonly Camera[],
    private readonly levels: readonly Level[],
    private readonly places: Places,
  ) {
    this.count = places.positions.length / 3
    this.logs = new Float64Array(cameras.length * this.count * 3).fill(NaN)
    cameras.forEach((camera, p) => this.read(camera, p))
  }

  private read(camera: Camera, p: number): void {
    const { positions: at, scores } = this.places
    const shown = new Float64Array(3),
      colour = new Float64Array(3)
    for (let i = 0; i < this.count; i++) {
      if (scores[p * this.count + i] === 0) continue
      project(camera, at[i * 3], at[i * 3 + 1], at[i * 3 + 2], shown)
      if (!readLevel(this.levels[p], shown[0], shown[1], colour, 0)) continue
      if (colour[1] < DARKEST || Math.max(colour[0], colour[1], colour[2]) > BRIGHTEST) continue
      for (let c = 0; c < 3; c++) this.logs[(p * this.count + i) * 3 + c] = logOf(colour[c])
    }
  }

  /** Levels the photos, then gives each place the colour most of them tell. */
  albedo(limit: number): Float64Array {
    const { count, cameras, places } = this
    const rows: number[] = []
    const first = new Int32Array(count + 1)
    for (let i = 0; i < count; i++) {
      for (let p = 0; p < cameras.length; p++) if (!Number.isNaN(this.logs[(p * count + i) * 3])) rows.push(p)
      first[i + 1] = rows.length
    }
    const facing = new Float32Array(rows.length * 3),
      light = new Float32Array(rows.length * 3),
      weight = new Float32Array(rows.length)
    for (let i = 0; i < count; i++)
      for (let r = first[i]; r < first[i + 1]; r++) {
        const p = rows[r]
        const m = cameras[p].motion
        for (let k = 0; k < 3; k++) {
          facing[r * 3 + k] =
            m[k * 4] * places.normals[i * 3] +
            m[k * 4 + 1] * places.normals[i * 3 + 1] +
            m[k * 4 + 2] * places.normals[i * 3 + 2]
          light[r * 3 + k] = Math.exp(this.logs[(p * count + i) * 3 + k]) - DARK
        }
        weight[r] = places.scores[p * count + i] / 255
      }
    const readings: Readings = { first, photo: Uint16Array.from(rows), facing, light, weight }
    this.levelled = levelPhotos(readings, cameras.length)
    this.terms = new Float64Array(rows.length * SHADING_TERMS)
    const out = new Float64Array(count * 3).fill(NaN)
    const values: number[] = []
    for (let i = 0; i < count; i++) {
      if (first[i + 1] - first[i] < 2) continue
      for (let r = first[i]; r < first[i + 1]; r++)
        shadingTerms(facing[r * 3], facing[r * 3 + 1], facing[r * 3 + 2], this.terms, r * SHADING_TERMS)
      for (let c = 0; c < 3; c++) {
        values.length = 0
        for (let r = first[i]; r < first[i + 1]; r++) {
          // What is taken off the photo stays off for the rest of the round.
          const at = (rows[r] * count + i) * 3 + c
          this.logs[at] -= this.off(rows[r], r, c)
          values.push(this.logs[at])
        }
        const middle = values.slice().sort((a, b) => a - b)[values.length >> 1]
        let sum = 0,
          all = 0
        values.forEach((v, k) => {
          const w = tukey(v - middle, limit) * (weight[first[i] + k] + 0.01)
          sum += w * v
          all += w
        })
        out[i * 3 + c] = all > 0 ? sum / all : NaN
      }
    }
    return out
  }

  private off(photo: number, r: number, c: number): number {
    const { gains, shading } = this.levelled!
    let sum = gains[photo * 3 + c]
    for (let k = 0; k < SHADING_TERMS; k++) sum += shading[c * SHADING_TERMS + k] * this.terms[r * SHADING_TERMS + k]
    return sum
  }

  /** Rows of one photo: how far its colours are off, and how that changes as its camera moves. */
  add(sums: NormalEquations, p: number, nudged: readonly Camera[], albedo: Float64Array, limit: number): void {
    const { positions: at } = this.places
    const { count } = this
    const level = this.levels[p],
      camera = this.cameras[p]
    const shown = new Float64Array(3),
      near = new Float64Array(3),
      beside = new Float64Array(12)
    const row = new Float64Array(ALL),
      du = new Float64Array(ALL),
      dv = new Float64Array(ALL)
    for (let i = 0; i < count; i++) {
      const own = (p * count + i) * 3
      if (Number.isNaN(this.logs[own]) || Number.isNaN(albedo[i * 3])) continue
      const [x, y, z] = [at[i * 3], at[i * 3 + 1], at[i * 3 + 2]]
      project(camera, x, y, z, shown)
      const [u, v] = shown
      if (
        !readLevel(level, u - 1, v, beside, 0) ||
        !readLevel(level, u + 1, v, beside, 3) ||
        !readLevel(level, u, v - 1, beside, 6) ||
        !readLevel(level, u, v + 1, beside, 9)
      )
        continue
      nudged.forEach((c, k) => {
        project(c, x, y, z, near)
        du[k] = (near[0] - u) / NUDGE
        dv[k] = (near[1] - v) / NUDGE
      })
      for (let c = 0; c < 3; c++) {
        const residual = this.logs[own + c] - albedo[i * 3 + c]
        const w = tukey(residual, limit)
        if (w === 0) continue
        const gu = (logOf(beside[3 + c]) - logOf(beside[c])) / 2,
          gv = (logOf(beside[9 + c]) - logOf(beside[6 + c])) / 2
        for (let k = 0; k < ALL; k++) row[k] = gu * du[k] + gv * dv[k]
        sums.add(row, residual, w / COLOUR_SIGMA ** 2 / 3)
      }
    }
  }
}

/** Of a byte as it is written: log of its light, kept off naught. */
const logOf = (byte: number): number => Math.log(toLight(Math.max(0, byte) / 255) + DARK)
