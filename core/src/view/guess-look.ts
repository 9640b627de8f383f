import { meanPoint } from '../linear/mean-point'
import { rotateVectors, rotationMotion } from '../linear/rigid'
import { boundsOf, diagonal } from '../shapes'
import { seenFromZero } from './seen-from-zero'

/** Of its normals, so many may be turned away by noise. */
const STRAY = 0.03
const SAMPLES = 1200
const ROUNDS = 200
/** Where the way was found, the worst of the normals that count look at most so far past it. */
const LEAST_COSINE = -0.05
/** How far off a device is thought to stand, in sizes of the piece: they stand at two to six. */
const AWAY = 4
/** Ways tried round the one that normals tell, degrees off and so many round; and what makes one of them likelier. */
const TURNS_DEG = [16, 8, 4],
  ROUND = 6,
  LIKELIER = 0.002
/** How much less the most averse normals may face a way that is tried instead. */
const SLACK = 0.1
/** Points that are asked which of two ways is likelier. */
const ASKED = 6000

type Vector = readonly [number, number, number]

/**
 * From where a cloud was taken that is one look at a piece: the way that the most averse of its normals still face,
 * halfway between the steepest surfaces on either side, then turned to where fewest points lie behind others. It is told
 * to some degrees; the distance is not told and taken for usual. Null where no one look can have seen it all: normals
 * face every way, or points lie behind others.
 * Widest cone of directions by a perceptron on the worst (Barequet, Elber 2005, "Optimal bounding cones of vectors in
 * three dimensions", Inf. Process. Lett. 93; Rosenblatt 1958. From memory).
 * @param p points, mm @param n their normals
 * @returns x, y, z, in the cloud's coordinates
 */
export function guessLook(p: Float32Array, n: Float32Array): Vector | null {
  if (n.length === 0) return null
  const some = everyNth(n, SAMPLES)
  const way = widestFacing(some)
  if (!way) return null
  const leastFacing = averse(some, way) - SLACK
  const middle = meanPoint(p)
  const away = AWAY * diagonal(boundsOf(p))
  const eyeOf = (d: Vector): Vector => [middle[0] + away * d[0], middle[1] + away * d[1], middle[2] + away * d[2]]
  const seen = (points: Float32Array, normals: Float32Array, [x, y, z]: Vector): ReturnType<typeof seenFromZero> =>
    seenFromZero({ kind: 'cloud', positions: points, normals, originMm: [-x, -y, -z] })
  const [few, theirs] = [everyNth(p, ASKED), everyNth(n, ASKED)]
  const torn = (d: Vector): number => {
    const s = seen(few, theirs, eyeOf(d))
    return s.torn + Math.max(0, 1 - STRAY - (s.facing ?? 0))
  }
  let best = way,
    least = torn(way)
  for (const deg of TURNS_DEG) {
    const around = best
    for (const d of turnedBy(around, deg)) {
      if (averse(some, d) < leastFacing) continue
      const t = torn(d)
      if (t < least - LIKELIER) {
        least = t
        best = d
      }
    }
  }
  const eye = eyeOf(best)
  return seen(p, n, eye).isView ? eye : null
}

/** The way that the most averse of the directions still face as well as can be; null where none is faced by nearly all. */
function widestFacing(n: Float32Array): Vector | null {
  const count = n.length / 3
  const cosines = new Float64Array(count)
  const sum = [0, 0, 0]
  for (let i = 0; i < n.length; i++) sum[i % 3] += n[i]
  if (Math.hypot(...sum) < 0.2 * count) return null
  let d = unit(sum),
    best = -Infinity,
    at = d
  for (let round = 0; round <= ROUNDS; round++) {
    for (let k = 0; k < count; k++) cosines[k] = n[k * 3] * d[0] + n[k * 3 + 1] * d[1] + n[k * 3 + 2] * d[2]
    const sorted = cosines.slice().sort()
    const low = sorted[Math.floor(STRAY * count)],
      high = sorted[Math.floor(2 * STRAY * count)]
    if (low > best) {
      best = low
      at = d
    }
    const pull = [0, 0, 0]
    for (let k = 0; k < count; k++)
      if (cosines[k] >= low && cosines[k] <= high) for (let c = 0; c < 3; c++) pull[c] += n[k * 3 + c]
    if (Math.hypot(...pull) === 0) break
    const step = 0.1 / (1 + 0.06 * round),
      to = unit(pull)
    d = unit(d.map((v, c) => v + step * to[c]))
  }
  return best < LEAST_COSINE ? null : at
}

/** How far the most averse of the directions that count face a way: a cosine. */
const averse = (n: Float32Array, d: Vector): number =>
  Float64Array.from(
    { length: n.length / 3 },
    (_, k) => n[k * 3] * d[0] + n[k * 3 + 1] * d[1] + n[k * 3 + 2] * d[2],
  ).sort()[Math.floor((STRAY * n.length) / 3)]

/** Ways so much off another, all round it. */
function turnedBy(d: Vector, deg: number): Vector[] {
  const side = unit(Math.abs(d[2]) < 0.9 ? [d[1], -d[0], 0] : [0, d[2], -d[1]])
  const off = rotateVectors(rotationMotion(side, (deg * Math.PI) / 180), Float32Array.from(d))
  return Array.from({ length: ROUND }, (_, k) => {
    const [x, y, z] = rotateVectors(rotationMotion(d, (2 * Math.PI * k) / ROUND), off)
    return [x, y, z]
  })
}

const unit = (v: readonly number[]): Vector => {
  const l = Math.hypot(...v)
  return [v[0] / l, v[1] / l, v[2] / l]
}

/** Some of a list of triples, evenly. */
function everyNth(p: Float32Array, most: number): Float32Array {
  const n = p.length / 3,
    stride = Math.max(1, Math.ceil(n / most))
  const out = new Float32Array(Math.ceil(n / stride) * 3)
  for (let i = 0, at = 0; i < n; i += stride, at += 3) out.set(p.subarray(i * 3, i * 3 + 3), at)
  return out
}
