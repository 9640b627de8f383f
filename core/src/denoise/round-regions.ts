import { across } from '../linear/across'
import { solveCholesky } from '../linear/cholesky'
import { circleAcross } from '../linear/circle'
import { smallestEigen3 } from '../linear/symmetric3'
import type { FaceNeighbours } from './face-normals'
import { isBentOver, spread, type LaidRegion } from './flat-regions'

/** An infinite cylinder. */
interface Cylinder {
  /** A place of its axis, and the axis' direction of length 1. */
  readonly at: readonly [number, number, number]
  readonly axis: readonly [number, number, number]
  readonly radiusMm: number
}

/** A part of a surface that is round like a cylinder. */
export interface RoundRegion extends LaidRegion {
  readonly radiusMm: number
}

/** Faces from which a cylinder is first told. */
const PATCH = 90
/** So many of them, the nearest to where it began, are not begun from again. */
const MIDDLE = 14
/** Noise the first patch may lie off its cylinder, root mean square. */
const PATCH_SIGMAS = 3
/** The same before its axis is laid by the points. */
const ROUGH_SIGMAS = 10
/** Of the normals' spread along the second direction, what the axis may have at most. */
const MOST_ALONG = 0.1
/** A patch must turn by at least this (mean square of the normals' second direction; about 4°). */
const LEAST_TURN = Math.sin((4 * Math.PI) / 180) ** 2
/** A face belongs to a cylinder whose surface it faces like (cosine; 6°), and lies near. */
const ALIKE = Math.cos((6 * Math.PI) / 180)
/** Faces of a first patch face alike from one to the next (cosine; 40°). */
const SMOOTH = Math.cos((40 * Math.PI) / 180)
/** Noise a point may lie off; a skin's is told too low, for it is alike at neighbours. */
const NEAR_SIGMAS = 5
/** Fewer faces say nothing sure of it. */
const MIN_FACES = 200
/** An arc under this may be anything that bends, radians. */
const LEAST_ARC = (2 * Math.PI) / 3
/** What follows a barrel, a waist or an oval takes less than this share off the scatter. */
const MOST_BENT = 0.15
/** Steps of Gauss–Newton at a time. */
const ROUNDS = 4
/** It is fitted anew each time the region has grown by so much. */
const REFIT = 1.25
/** It is grown again as long as it gets so much larger. */
const REGROWN = 1.02

/**
 * Cylinders of a mesh beside its planes: patches whose normals spread along one circle, grown while faces lie near and
 * face like the surface, fitted anew by Gauss–Newton as they grow (Lukács, Marshall and Martin 1998), kept where what is
 * left of the scatter does not bend. They are fitted to points: middles of faces lie inside what is round.
 * @param p places of the points, mm @param normals of faces, their noise taken off
 * @param of each face's region so far, −1 for none; written @param first the number the first of them gets
 * @param sigmaMm noise of the surface
 */
export function roundRegions(
  p: Float64Array,
  indices: Uint32Array,
  normals: Float64Array,
  neighbours: FaceNeighbours,
  of: Int32Array,
  first: number,
  sigmaMm: number,
): RoundRegion[] {
  const { start, items } = neighbours
  const faces = indices.length / 3
  const tried = new Uint8Array(faces)
  // In which patch or region a face and a point came last.
  const faceIn = new Int32Array(faces).fill(-1),
    pointIn = new Int32Array(p.length / 3).fill(-1)
  let stamp = 0
  const found: RoundRegion[] = []
  const told = new Float64Array(4)
  const withPoints = (f: number, points: number[]): void => {
    for (let h = f * 3; h < f * 3 + 3; h++)
      if (pointIn[indices[h]] !== stamp) {
        pointIn[indices[h]] = stamp
        points.push(indices[h])
      }
  }
  /** The faces round one that go smoothly over into each other, the nearest first. */
  const patchFrom = (seed: number): number[] => {
    const patch = [seed]
    faceIn[seed] = ++stamp
    for (let k = 0; k < patch.length && patch.length < PATCH; k++) {
      const f = patch[k]
      for (let i = start[f]; i < start[f + 1] && patch.length < PATCH; i++) {
        const g = items[i]
        if (of[g] >= 0 || faceIn[g] === stamp || facing(normals, f, g) < SMOOTH) continue
        faceIn[g] = stamp
        patch.push(g)
      }
    }
    return patch
  }
  const belongs = (round: Cylinder, f: number): boolean => {
    for (let h = f * 3; h < f * 3 + 3; h++) {
      offCylinder(round, p, indices[h], told)
      if (Math.abs(told[0]) > NEAR_SIGMAS * sigmaMm) return false
    }
    // The way out of it differs little from one corner to the next.
    return Math.abs(told[1] * normals[f * 3] + told[2] * normals[f * 3 + 1] + told[3] * normals[f * 3 + 2]) >= ALIKE
  }
  for (let seed = 0; seed < faces; seed++) {
    if (of[seed] >= 0 || tried[seed]) continue
    const patch = patchFrom(seed)
    // What a patch says is said of its middle, too.
    for (let k = 0; k < Math.min(patch.length, MIDDLE); k++) tried[patch[k]] = 1
    if (patch.length < PATCH) continue
    const some: number[] = []
    for (const f of patch) withPoints(f, some)
    let round = toldBy(patch, normals, some, p, ROUGH_SIGMAS * sigmaMm)
    if (!round || rmsOff(round, p, some) > PATCH_SIGMAS * sigmaMm) continue
    const region: number[] = [],
      points: number[] = []
    stamp++
    const take = (f: number): void => {
      faceIn[f] = stamp
      region.push(f)
      withPoints(f, points)
    }
    for (const f of patch) if (belongs(round, f)) take(f)
    // Faces that a first fit left aside are asked again by the next, until no more come in.
    for (let grown = 0; round && region.length > grown * REGROWN;) {
      grown = region.length
      let refit = Math.ceil(grown * REFIT)
      for (let k = 0; k < region.length && round; k++) {
        for (let i = start[region[k]]; i < start[region[k] + 1]; i++) {
          const g = items[i]
          if (of[g] < 0 && faceIn[g] !== stamp && belongs(round, g)) take(g)
        }
        if (region.length >= refit) {
          round = fitted(round, p, points)
          refit = Math.ceil(region.length * REFIT)
        }
      }
      round &&= fitted(round, p, points)
    }
    if (!round || region.length < MIN_FACES || isNone(round, p, points)) {
      for (const f of region) tried[f] = 1
      continue
    }
    for (const f of region) of[f] = first + found.length
    found.push({ faces: region, surface: offSurface(round), radiusMm: round.radiusMm })
  }
  return found
}

const facing = (n: Float64Array, f: number, g: number): number =>
  n[f * 3] * n[g * 3] + n[f * 3 + 1] * n[g * 3 + 1] + n[f * 3 + 2] * n[g * 3 + 2]

/** The cylinder a patch tells by its faces' normals and its points; null where they tell none. */
function toldBy(
  patch: readonly number[],
  n: Float64Array,
  points: readonly number[],
  p: Float64Array,
  roughMm: number,
): Cylinder | null {
  const s = new Float64Array(6)
  for (const f of patch) {
    const [x, y, z] = [n[f * 3], n[f * 3 + 1], n[f * 3 + 2]]
    s[0] += x * x
    s[1] += x * y
    s[2] += x * z
    s[3] += y * y
    s[4] += y * z
    s[5] += z * z
  }
  for (let i = 0; i < 6; i++) s[i] /= patch.length
  const eigen = new Float64Array(6)
  smallestEigen3(s[0], s[1], s[2], s[3], s[4], s[5], eigen)
  if (eigen[1] < LEAST_TURN || eigen[0] > MOST_ALONG * eigen[1]) return null
  const axis = [eigen[3], eigen[4], eigen[5]] as const
  const frame = new Float64Array(6)
  across(...axis, frame)
  const circle = circleAcross(p, points, frame)
  if (!circle) return null
  const { u, v, radius } = circle
  const at = [0, 1, 2].map((c) => u * frame[c] + v * frame[3 + c]) as [number, number, number]
  // Beside the patch, so that shifts and tilts of the axis are told apart.
  const o = points[0] * 3
  const along = axis[0] * p[o] + axis[1] * p[o + 1] + axis[2] * p[o + 2]
  for (let c = 0; c < 3; c++) at[c] += along * axis[c]
  const rough = { at, axis, radiusMm: radius }
  return rmsOff(rough, p, points) > roughMm ? null : fitted(rough, p, points)
}

/** The cylinder of least squares near one, by Gauss–Newton; null where it runs away. */
function fitted(from: Cylinder, p: Float64Array, points: readonly number[]): Cylinder | null {
  let { at, axis, radiusMm } = from
  const frame = new Float64Array(6),
    step = new Float64Array(5),
    row = new Float64Array(5)
  for (let round = 0; round < ROUNDS; round++) {
    across(...axis, frame)
    const normal = new Float64Array(25),
      right = new Float64Array(5)
    let extent = 0
    for (const f of points) {
      const x = p[f * 3] - at[0],
        y = p[f * 3 + 1] - at[1],
        z = p[f * 3 + 2] - at[2]
      const u = frame[0] * x + frame[1] * y + frame[2] * z,
        v = frame[3] * x + frame[4] * y + frame[5] * z,
        h = axis[0] * x + axis[1] * y + axis[2] * z
      const l = Math.sqrt(u * u + v * v) || 1e-12
      extent = Math.max(extent, Math.abs(h))
      // The axis shifted along u and v, tilted towards them, and the radius.
      row[0] = -u / l
      row[1] = -v / l
      row[2] = (-u / l) * h
      row[3] = (-v / l) * h
      row[4] = -1
      for (let i = 0; i < 5; i++) {
        right[i] -= row[i] * (l - radiusMm)
        for (let k = 0; k < 5; k++) normal[i * 5 + k] += row[i] * row[k]
      }
    }
    if (!solveCholesky(normal, right, step, 5)) return null
    const [du, dv, tu, tv, dr] = step
    at = [0, 1, 2].map((c) => at[c] + du * frame[c] + dv * frame[3 + c]) as [number, number, number]
    const tilted = [0, 1, 2].map((c) => axis[c] + tu * frame[c] + tv * frame[3 + c])
    const length = Math.hypot(...tilted)
    axis = tilted.map((v) => v / length) as [number, number, number]
    radiusMm += dr
    if (!(radiusMm > 0) || !Number.isFinite(length)) return null
    if (Math.hypot(du, dv, dr) + Math.hypot(tu, tv) * extent < 1e-7 * radiusMm) break
  }
  return { at, axis, radiusMm }
}

/** How far a point lies outside a cylinder, and which way out is there: off, x, y, z. */
function offCylinder({ at, axis, radiusMm }: Cylinder, p: Float64Array, f: number, out: Float64Array): void {
  const x = p[f * 3] - at[0],
    y = p[f * 3 + 1] - at[1],
    z = p[f * 3 + 2] - at[2]
  const h = axis[0] * x + axis[1] * y + axis[2] * z
  const u = x - h * axis[0],
    v = y - h * axis[1],
    w = z - h * axis[2]
  const l = Math.sqrt(u * u + v * v + w * w) || 1e-12
  out[0] = l - radiusMm
  out[1] = u / l
  out[2] = v / l
  out[3] = w / l
}

/** The same of any place, as what is laid onto it asks. */
const offSurface =
  (round: Cylinder): LaidRegion['surface'] =>
  (at, out) => {
    offCylinder(round, at, 0, out)
  }

function rmsOff(round: Cylinder, p: Float64Array, faces: readonly number[]): number {
  const out = new Float64Array(4)
  let sum = 0
  for (const f of faces) {
    offCylinder(round, p, f, out)
    sum += out[0] * out[0]
  }
  return Math.sqrt(sum / faces.length)
}

/** Whether the points are too short an arc of it, or what is left of their scatter bends. */
function isNone(round: Cylinder, p: Float64Array, faces: readonly number[]): boolean {
  const { at, axis, radiusMm } = round
  const frame = new Float64Array(6)
  across(...axis, frame)
  const turns = new Float64Array(faces.length),
    heights = new Float64Array(faces.length),
    off = new Float64Array(faces.length)
  faces.forEach((f, i) => {
    const x = p[f * 3] - at[0],
      y = p[f * 3 + 1] - at[1],
      z = p[f * 3 + 2] - at[2]
    const u = frame[0] * x + frame[1] * y + frame[2] * z,
      v = frame[3] * x + frame[4] * y + frame[5] * z
    turns[i] = Math.atan2(v, u)
    heights[i] = axis[0] * x + axis[1] * y + axis[2] * z
    off[i] = Math.hypot(u, v) - radiusMm
  })
  const sorted = turns.slice().sort()
  // The widest stretch without a face is what the arc leaves out.
  let gap = sorted[0] + 2 * Math.PI - sorted[sorted.length - 1]
  for (let i = 1; i < sorted.length; i++) gap = Math.max(gap, sorted[i] - sorted[i - 1])
  if (2 * Math.PI - gap < LEAST_ARC) return true
  // Barrels and waists, bends of the axis, ovals, and each of them along it.
  const h = spread(heights)
  return isBentOver(off, MOST_BENT, 15, (i, out) => {
    const round = [1, Math.cos(turns[i]), Math.sin(turns[i]), Math.cos(2 * turns[i]), Math.sin(2 * turns[i])]
    round.forEach((r, k) => out.set([r, r * h[i], r * h[i] * h[i]], k * 3))
  })
}
