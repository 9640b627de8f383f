import { checkpoint, type RunContext } from '../context'
import { medianSpacing } from '../cloud/spacing'
import { median } from '../linear/samples'
import { vertexNormals } from '../mesh/normals'
import type { TriangleMesh } from '../shapes'
import { CellIndex } from '../spatial/cell-index'
import { Ball, type OrientedPoints } from './ball'
import { Sheets } from './sheets'
import { MOST_SHEETS, Splitter } from './split'
import { WedgeJudge, type Turn } from './wedge'

/** Pairs of sheets at a place, both ways round. */
const PAIRS = MOST_SHEETS ** 2
/** The points of a place come from so many edges round it, or so many of their own spacings. */
const BALL_EDGES = 2.5
const BALL_SPACINGS = 7
/** The surface bends here by more than can be one smooth side (1 less the length of the mean normal round a point). */
const BENT = 0.012
const SMOOTHINGS = 3
/** Points that face away from the surface are another side's (cosine). */
const LEAST_FACING = -0.15
/** One smooth surface will do where it leaves no more than this of what sheets leave. */
const SHEETS_ARE_BETTER = 0.85
/** Of the points round a place so many may lie on no sheet. */
const MOST_STRANGE = 0.12
/** Places at which the noise is looked at. */
const NOISE_PLACES = 300
/** Noise below this share of an edge is not told from none. */
const LEAST_NOISE = 0.01

/** What the points say round the points of a mesh: which sheets are there, and where they meet in edges. */
export interface Places {
  readonly sheets: Sheets
  /** Per point of the mesh: how many sheets; 0 where there is no edge near. */
  readonly count: Uint8Array
  /** `MOST_SHEETS` a point: numbers of its sheets; see `sheetAt`. */
  readonly sheetOf: Int32Array
  /** For each two of a point's sheets: how they meet; see `turnAt`. */
  readonly turns: Int8Array
  /** For each two: how far the points beside such an edge lie inside it on the mean, mm; see `insideAt`. */
  readonly insideMm: Float32Array
  /** Per point: which of its sheets it lies on, −1 where there is none. */
  readonly side: Int8Array
  readonly noiseMm: number
  readonly spacingMm: number
}

/** Looks for sheets and the edges between them wherever the mesh bends. @param edgeMm length of the mesh's edges */
export function lookForEdges(
  mesh: TriangleMesh,
  points: OrientedPoints,
  edgeMm: number,
  mostCosine: number,
  context: RunContext,
): Places {
  const n = mesh.positions.length / 3
  const p = mesh.positions
  const spacingMm = medianSpacing({ positions: points.positions })
  const radiusMm = Math.max(BALL_EDGES * edgeMm, BALL_SPACINGS * spacingMm)
  const ball = new Ball(points, new CellIndex(points.positions, radiusMm), radiusMm)
  const { normals, bent } = bending(mesh)
  const noiseMm = Math.max(noiseOf(mesh, normals, bent, ball), LEAST_NOISE * edgeMm)
  const sheets = new Sheets()
  const splitter = new Splitter(sheets, noiseMm)
  const judge = new WedgeJudge(sheets, splitter, { mostCosine, edgeMm, noiseMm, spacingMm })
  const count = new Uint8Array(n),
    side = new Int8Array(n).fill(-1),
    sheetOf = new Int32Array(n * MOST_SHEETS).fill(-1),
    turns = new Int8Array(n * PAIRS),
    insideMm = new Float32Array(n * PAIRS)
  const { start, ring } = rings(mesh)
  for (let v = 0; v < n; v++) {
    if (v % 2000 === 0) checkpoint(context, v, n, 'Looking for edges')
    // What is known of a place holds for those beside it, too.
    if (bent[v] < BENT || count[v] > 0) continue
    ball.gather(p[v * 3], p[v * 3 + 1], p[v * 3 + 2], normals.subarray(v * 3, v * 3 + 3), LEAST_FACING)
    const whole = splitter.asOne(ball)
    if (whole <= noiseMm * SHEETS_ARE_BETTER) continue
    const before = sheets.count
    const found = splitter.split(ball)
    const isEdge =
      found.length > 1 &&
      strange(ball) <= MOST_STRANGE &&
      offSheets(ball, sheets) <= SHEETS_ARE_BETTER * whole &&
      writeTurns(ball, found, judge, turns, insideMm, v)
    if (!isEdge) {
      sheets.cut(before)
      continue
    }
    count[v] = found.length
    sheetOf.set(found, v * MOST_SHEETS)
    for (let i = start[v]; i < start[v + 1]; i++) {
      const u = ring[i]
      if (count[u] > 0) continue
      count[u] = found.length
      sheetOf.copyWithin(u * MOST_SHEETS, v * MOST_SHEETS, (v + 1) * MOST_SHEETS)
      turns.copyWithin(u * PAIRS, v * PAIRS, (v + 1) * PAIRS)
      insideMm.copyWithin(u * PAIRS, v * PAIRS, (v + 1) * PAIRS)
    }
  }
  const places: Places = { sheets, count, sheetOf, turns, insideMm, side, noiseMm, spacingMm }
  for (let v = 0; v < n; v++) if (count[v] > 0) side[v] = sideAt(places, v, p[v * 3], p[v * 3 + 1], p[v * 3 + 2])
  return places
}

function writeTurns(
  ball: Ball,
  found: readonly number[],
  judge: WedgeJudge,
  turns: Int8Array,
  insideMm: Float32Array,
  v: number,
): boolean {
  let any = false
  for (let a = 0; a < found.length; a++)
    for (let b = 0; b < a; b++) {
      const turn = judge.turn(ball, found[a], found[b])
      if (turn !== 0) any = true
      for (const i of [pair(v, a, b), pair(v, b, a)]) {
        turns[i] = turn
        insideMm[i] = judge.insideMm
      }
    }
  return any
}

const pair = (v: number, a: number, b: number): number => v * PAIRS + a * MOST_SHEETS + b

/** Of the sheets of point `v`, the a-th by its number. */
export const sheetAt = ({ sheetOf }: Places, v: number, a: number): number => sheetOf[v * MOST_SHEETS + a]
/** How its a-th and b-th sheet meet. */
export const turnAt = ({ turns }: Places, v: number, a: number, b: number): Turn => turns[pair(v, a, b)] as Turn
/** How far points beside that edge lie inside it on the mean, mm. */
export const insideAt = ({ insideMm }: Places, v: number, a: number, b: number): number => insideMm[pair(v, a, b)]

const facing = new Float64Array(3)

/** Which of the sheets of a place, by what is known at point `v`, a place lies on. */
export function sideAt(places: Places, v: number, x: number, y: number, z: number): number {
  const k = places.count[v]
  const off = [0, 0, 0, 0]
  for (let a = 0; a < k; a++) off[a] = places.sheets.off(sheetAt(places, v, a), x, y, z, facing)
  let best = 0,
    most = -1
  for (let a = 0; a < k; a++) {
    let wins = 0
    for (let b = 0; b < k; b++) {
      if (a === b) continue
      const turn = turnAt(places, v, a, b)
      // Outwards the piece is what lies inside both; the side is the sheet one lies nearer to being outside of.
      if (turn !== 0 ? turn * (off[a] - off[b]) > 0 : Math.abs(off[a]) < Math.abs(off[b])) wins++
    }
    if (wins > most || (wins === most && Math.abs(off[a]) < Math.abs(off[best]))) {
      most = wins
      best = a
    }
  }
  return best
}

/** Share of a ball's points that lie on none of its sheets. */
function strange({ sheet, count }: Ball): number {
  let n = 0
  for (let i = 0; i < count; i++) if (sheet[i] < 0) n++
  return count > 0 ? n / count : 1
}

/** RMS of the points off their own sheets, mm. */
function offSheets(ball: Ball, sheets: Sheets): number {
  let squares = 0,
    n = 0
  for (let i = 0; i < ball.count; i++) {
    if (ball.sheet[i] < 0) continue
    const o = i * 3
    squares +=
      sheets.off(
        ball.sheet[i],
        ball.middle[0] + ball.at[o],
        ball.middle[1] + ball.at[o + 1],
        ball.middle[2] + ball.at[o + 2],
        facing,
      ) ** 2
    n++
  }
  return n > 0 ? Math.sqrt(squares / n) : Infinity
}

/** Mean way the surface faces round each point, unit, and how much it bends there (0: flat). */
function bending(mesh: TriangleMesh): { normals: Float32Array; bent: Float32Array } {
  const { indices } = mesh
  let sums = vertexNormals(mesh)
  const n = sums.length / 3
  const weight = new Float32Array(n)
  for (let round = 0; round < SMOOTHINGS; round++) {
    const next = sums.slice()
    weight.fill(1)
    for (let i = 0; i < indices.length; i++) {
      const a = indices[i],
        b = indices[i % 3 === 2 ? i - 2 : i + 1]
      weight[a]++
      for (let c = 0; c < 3; c++) next[a * 3 + c] += sums[b * 3 + c]
    }
    for (let v = 0; v < n; v++) for (let c = 0; c < 3; c++) next[v * 3 + c] /= weight[v]
    sums = next
  }
  const bent = new Float32Array(n)
  for (let v = 0; v < n; v++) {
    const length = Math.hypot(sums[v * 3], sums[v * 3 + 1], sums[v * 3 + 2])
    bent[v] = 1 - length
    for (let c = 0; c < 3; c++) sums[v * 3 + c] /= length || 1
  }
  return { normals: sums, bent }
}

/** Points each point has an edge to: ring[start[v]] … ring[start[v + 1] − 1]. */
function rings({ positions, indices }: TriangleMesh): { start: Int32Array; ring: Uint32Array } {
  const start = new Int32Array(positions.length / 3 + 1)
  for (let i = 0; i < indices.length; i++) start[indices[i] + 1]++
  for (let v = 0; v + 1 < start.length; v++) start[v + 1] += start[v]
  const ring = new Uint32Array(indices.length),
    at = start.slice()
  for (let i = 0; i < indices.length; i++) ring[at[indices[i]]++] = indices[i % 3 === 2 ? i - 2 : i + 1]
  return { start, ring }
}

/** Scatter of the points about the surface where it is smooth, mm: the median over some places. */
function noiseOf({ positions: p }: TriangleMesh, normals: Float32Array, bent: Float32Array, ball: Ball): number {
  const smooth: number[] = []
  for (let v = 0; v < bent.length; v++) if (bent[v] < BENT) smooth.push(v)
  const every = Math.max(1, Math.floor(smooth.length / NOISE_PLACES))
  const splitter = new Splitter(new Sheets(), 0)
  const found: number[] = []
  for (let i = 0; i < smooth.length; i += every) {
    const v = smooth[i] * 3
    ball.gather(p[v], p[v + 1], p[v + 2], normals.subarray(v, v + 3), 0.5)
    if (ball.count < 24) continue
    const off = splitter.asOne(ball)
    if (Number.isFinite(off)) found.push(off)
  }
  return found.length > 0 ? median(found) : 0
}
