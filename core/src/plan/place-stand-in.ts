import { dampTwist, NormalEquations } from '../align/least-squares/normal-equations'
import { planeRow, tukeyWeight } from '../align/least-squares/plane-row'
import { motionAbout } from '../align/least-squares/twist'
import { meanPoint } from '../linear/mean-point'
import {
  compose,
  identityMotion,
  invertRigid,
  rotationMotion,
  transformPoint,
  transformPoints,
  type Motion,
} from '../linear/rigid'
import type { Similarity } from '../linear/similarity'
import { meshAreaMm2, sampleSurface } from '../mesh/sample-surface'
import { boundsOf, diagonal, type TriangleMesh } from '../shapes'
import { KdTree } from '../spatial/kd-tree'

/** Where a stand-in lies in the piece it stood in for. */
export interface StandInPlace {
  /** Coordinates of the stand-in to those of the piece. */
  readonly place: Similarity
  /** Mean distance between the two surfaces, the farthest left out, mm. */
  readonly offMm: number
  /** That over the size of the piece. */
  readonly off: number
  /** Other ways in which it lies as well; they differ by a turn, degrees. */
  readonly alsoAtDeg: readonly number[]
  /** It lies as well at any angle about its axis. */
  readonly anyAngle: boolean
}

/** Places that are looked through, and those a place is settled with; of each surface, about. */
const LOOK_POINTS = 500
const SETTLE_POINTS = 2500
const YAWS = 24
const LOOK_ROUNDS = 10
const SETTLE_ROUNDS = 25
/** Share of the pairs that have a say: a stand-in is no scan, and some of it is nowhere on the piece. */
const KEPT = 0.85
/** Of the size: a stand-in that lies farther off than this standing upright is tried on its sides. */
const POOR = 0.05
/** A place is still as good as the best up to so much farther off: of the best's own distance, and of the size. */
const AS_GOOD = 0.25
const AS_GOOD_SIZE = 1e-3
/** Turns that differ by less are one, as far as areas go. */
const OTHER_DEG = 25
/** So many of them: nobody can say how it stood. */
const MANY_TURNS = 5
/** Places that are so much worse at first, of the size, are settled all the same. */
const LOOK_AGAIN = 0.01
/** Two places whose points differ by less, of the size, are one. */
const SAME = 0.08
/** Sizes that differ by more than a scan can be off: another unit. */
const OTHER_UNIT = 1.6

/**
 * Finds where a stand-in lies in the joined piece: from many turns about the upright, and about the other axes where none
 * of them fits, nearest places with the farthest left out (trimmed iterated closest points: Chetverikov et al. 2002), by
 * the plane distance (Chen and Medioni 1991) both ways. Turns that lie as well are told: of a turned piece nobody can
 * say how it stood.
 * @param piece in mm, standing as it was scanned
 */
export function placeStandIn(standIn: TriangleMesh, piece: TriangleMesh): StandInPlace {
  const size = diagonal(boundsOf(piece.positions))
  const ratio = reach(piece) / reach(standIn)
  const scale = ratio > OTHER_UNIT || ratio < 1 / OTHER_UNIT ? ratio : 1
  const model = scaledBy(standIn, scale)
  const few: Sides = { from: spread(model, LOOK_POINTS), to: spread(piece, LOOK_POINTS) }
  const found: { motion: Motion; offMm: number }[] = []
  const look = (tilt: Motion): void => {
    for (let k = 0; k < YAWS; k++) {
      const turn = compose(rotationMotion([0, 0, 1], (k * 2 * Math.PI) / YAWS), tilt)
      found.push(settle(few, onMiddle(turn, model, piece), LOOK_ROUNDS))
    }
  }
  look(identityMotion())
  if (Math.min(...found.map((f) => f.offMm)) > POOR * size)
    for (const [axis, angle] of [
      [[1, 0, 0], Math.PI / 2],
      [[1, 0, 0], -Math.PI / 2],
      [[1, 0, 0], Math.PI],
      [[0, 1, 0], Math.PI / 2],
      [[0, 1, 0], -Math.PI / 2],
    ] as const)
      look(rotationMotion(axis, angle))
  found.sort((a, b) => a.offMm - b.offMm)
  const corners = cornersOf(model)
  const apart = (a: Motion, b: Motion): number => {
    const p = transformPoints(a, corners),
      q = transformPoints(b, corners)
    let most = 0
    for (let i = 0; i < p.length; i += 3)
      most = Math.max(most, Math.hypot(p[i] - q[i], p[i + 1] - q[i + 1], p[i + 2] - q[i + 2]))
    return most / size
  }
  const different: typeof found = []
  for (const f of found)
    if (f.offMm <= found[0].offMm * 2 + LOOK_AGAIN * size && different.every((d) => apart(d.motion, f.motion) > SAME))
      different.push(f)
  const many: Sides = { from: spread(model, SETTLE_POINTS), to: spread(piece, SETTLE_POINTS) }
  const settled = different.slice(0, 12).map((d) => settle(many, d.motion, SETTLE_ROUNDS))
  settled.sort((a, b) => a.offMm - b.offMm)
  const [best] = settled
  const turns: number[] = []
  for (const s of settled) {
    if (s.offMm > best.offMm * (1 + AS_GOOD) + AS_GOOD_SIZE * size) break
    const turn = turnDeg(best.motion, s.motion)
    if ([0, ...turns].every((t) => betweenDeg(t, turn) > OTHER_DEG)) turns.push(turn)
  }
  return {
    place: { scale, motion: best.motion },
    offMm: best.offMm,
    off: best.offMm / size,
    alsoAtDeg: turns.map((t) => Math.round(Math.min(t, 360 - t))).sort((p, q) => p - q),
    anyAngle: turns.length >= MANY_TURNS,
  }
}

/** Places spread over a surface, with what it faces there. */
interface Side {
  readonly points: Float32Array
  readonly normals: Float32Array
  readonly tree: KdTree
  readonly spacingMm: number
}
interface Sides {
  readonly from: Side
  readonly to: Side
}

function spread(mesh: TriangleMesh, count: number): Side {
  const spacingMm = Math.sqrt(meshAreaMm2(mesh) / count)
  const { positions, normals } = sampleSurface(mesh, spacingMm)
  return { points: positions, normals: normals!, tree: new KdTree(positions), spacingMm }
}

/** How far a surface reaches from its middle, root of the mean square of places spread over it: the same however it lies. */
function reach(mesh: TriangleMesh): number {
  const p = sampleSurface(mesh, Math.sqrt(meshAreaMm2(mesh) / SETTLE_POINTS)).positions
  const c = meanPoint(p)
  let sum = 0
  for (let i = 0; i < p.length; i++) sum += (p[i] - c[i % 3]) ** 2
  return Math.sqrt(sum / (p.length / 3))
}

const scaledBy = (mesh: TriangleMesh, factor: number): TriangleMesh =>
  factor === 1 ? mesh : { kind: 'mesh', positions: mesh.positions.map((v) => v * factor), indices: mesh.indices }

function cornersOf({ positions }: TriangleMesh): Float32Array {
  const { min, max } = boundsOf(positions)
  return Float32Array.from(
    Array.from({ length: 8 }, (_, k) => [0, 1, 2].map((c) => ((k >> c) & 1 ? max[c] : min[c]))).flat(),
  )
}

/** A turn, and a shift that lays the middle of one box on that of the other. */
function onMiddle(turn: Motion, model: TriangleMesh, piece: TriangleMesh): Motion {
  const a = boundsOf(transformPoints(turn, model.positions)),
    b = boundsOf(piece.positions)
  const out = Float64Array.from(turn)
  for (let c = 0; c < 3; c++) out[c * 4 + 3] += (b.min[c] + b.max[c] - a.min[c] - a.max[c]) / 2
  return out
}

/** Nearest places both ways, the farthest left out, until nothing moves any more. */
function settle({ from, to }: Sides, start: Motion, rounds: number): { motion: Motion; offMm: number } {
  const n = from.points.length / 3,
    m = to.points.length / 3
  const distances = new Float64Array(n + m)
  // The moving place, how far along the normal it lies off, and the normal.
  const pairs = new Float64Array((n + m) * 7)
  const equations = new NormalEquations(6)
  const x = new Float64Array(6),
    row = new Float64Array(6)
  const middle = meanPoint(from.points)
  let best = { motion: start, offMm: Infinity }
  let motion = start
  for (let round = 0; round < rounds; round++) {
    gather(from, to, motion, pairs, distances)
    const limit = Float64Array.from(distances).sort()[Math.floor((n + m) * KEPT)]
    const offMm = distances.reduce((sum, d) => sum + d, 0) / (n + m)
    equations.clear()
    const c = transformPoint(motion, ...middle)
    for (let i = 0; i < n + m; i++) {
      if (distances[i] > limit) continue
      const k = i * 7
      planeRow(row, pairs[k] - c[0], pairs[k + 1] - c[1], pairs[k + 2] - c[2], pairs[k + 4], pairs[k + 5], pairs[k + 6])
      equations.add(row, pairs[k + 3], tukeyWeight(distances[i] / (limit * 1.5)))
    }
    if (best.offMm - offMm < offMm * 2e-3 && round > 3) return offMm < best.offMm ? { motion, offMm } : best
    if (offMm < best.offMm) best = { motion, offMm }
    equations.mirror()
    // What the surface leaves free must not run away.
    dampTwist(equations.h, 1e-3, 1e-12)
    if (!equations.solve(x)) return best
    motion = compose(motionAbout(x, c), motion)
  }
  return best
}

/** The nearest place of the other surface for each place of both, in the coordinates of the piece. */
function gather(from: Side, to: Side, motion: Motion, pairs: Float64Array, distances: Float64Array): void {
  const n = from.points.length / 3,
    m = to.points.length / 3
  const back = invertRigid(motion)
  const room = Math.max(from.spacingMm, to.spacingMm)
  const keep = (i: number, p: readonly number[], q: readonly number[], u: number, v: number, w: number): void => {
    const [x, y, z] = [p[0] - q[0], p[1] - q[1], p[2] - q[2]]
    const along = u * x + v * y + w * z
    // Within a spacing beside it nothing is said: there the surface has no place of its own.
    const beside = Math.max(0, Math.sqrt(Math.max(0, x * x + y * y + z * z - along * along)) - room)
    distances[i] = Math.hypot(along, beside)
    pairs.set([p[0], p[1], p[2], along, u, v, w], i * 7)
  }
  const at = (list: Float32Array, i: number): [number, number, number] => [
    list[i * 3],
    list[i * 3 + 1],
    list[i * 3 + 2],
  ]
  for (let i = 0; i < n; i++) {
    const p = transformPoint(motion, ...at(from.points, i))
    const j = to.tree.nearest(...p)
    keep(i, p, at(to.points, j), ...at(to.normals, j))
  }
  for (let j = 0; j < m; j++) {
    const q = at(to.points, j)
    const i = from.tree.nearest(...transformPoint(back, ...q))
    const [a, b, c] = at(from.normals, i)
    const turned = (r: number): number => motion[r] * a + motion[r + 1] * b + motion[r + 2] * c
    keep(n + j, transformPoint(motion, ...at(from.points, i)), q, turned(0), turned(4), turned(8))
  }
}

/** By how much one place is turned from another about the upright, degrees, 0 to 360. */
function turnDeg(a: Motion, b: Motion): number {
  const relative = compose(b, invertRigid(a))
  const deg = (Math.atan2(relative[4] - relative[1], relative[0] + relative[5]) * 180) / Math.PI
  return (deg + 360) % 360
}

const betweenDeg = (a: number, b: number): number => Math.min(Math.abs(a - b), 360 - Math.abs(a - b))
