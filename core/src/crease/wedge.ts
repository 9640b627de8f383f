import type { Ball } from './ball'
import type { Sheets } from './sheets'
import type { Splitter } from './split'

/** What an edge has to show. */
export interface WedgeRules {
  /** Sheets that meet at less than this are one (cosine between the ways they face). */
  readonly mostCosine: number
  /** Length edges of the mesh have, mm. */
  readonly edgeMm: number
  readonly noiseMm: number
  /** How far points lie apart, mm. */
  readonly spacingMm: number
}

/** Sheets that face against each other are the two sides of a wall and meet nowhere near (cosine). */
const AGAINST = -0.94
/** Where two sheets meet has to be so near the place they were fitted at, in edges of the mesh … */
const NEAR = 2
/** … and both have to reach so far from there, in the same. */
const REACHES = 0.9
/** A sheet's points begin so near the line, in spacings of points or edges of the mesh, whichever is more. */
const BEGINS_SPACINGS = 2
const BEGINS_EDGES = 0.6
/** Points so near a line, in edges, stand beside it. */
const BESIDE_EDGES = 1.2
/** Of a sheet's points so many may lie past the line. */
const MOST_PAST = 0.08
/** Points beside the line may lie inside the wedge by this share of an edge, and what noise explains. */
const MOST_ROUND = 0.015
const ROUND_SIGMAS = 3
const LEAST_POINTS = 8

/** Where two sheets of a ball meet: 1 outwards, −1 inwards, 0 where the points show no such edge. */
export type Turn = -1 | 0 | 1

/** Judges by a ball's points whether two of its sheets meet in an edge; its stores serve all. */
export class WedgeJudge {
  /** The place of the edge nearest the ball's middle, mm, and the way the edge runs there. */
  readonly at = new Float64Array(3)
  readonly along = new Float64Array(3)
  /** How far the points beside the edge that was asked for last lie inside it on the mean, mm. */
  insideMm = 0
  private readonly n1 = new Float64Array(3)
  private readonly n2 = new Float64Array(3)
  /** Along the line, mm from `at`: where both sheets have points beside it. */
  private from = 0
  private to = 0

  constructor(
    private readonly sheets: Sheets,
    private readonly splitter: Splitter,
    private readonly rules: WedgeRules,
  ) {}

  /**
   * An edge is believed where the sheets stand at an angle, reach away from it and up to it, end at it, and where the
   * points beside it lie on them and not on a round between.
   */
  turn(ball: Ball, i: number, j: number): Turn {
    const { sheets, at, n1, n2, along, rules } = this
    const { edgeMm } = rules
    at.set(ball.middle)
    if (!sheets.meet(i, j, at, 1e-3 * edgeMm)) return 0
    const far = Math.hypot(at[0] - ball.middle[0], at[1] - ball.middle[1], at[2] - ball.middle[2])
    if (far > NEAR * edgeMm) return 0
    sheets.off(i, at[0], at[1], at[2], n1)
    sheets.off(j, at[0], at[1], at[2], n2)
    const cosine = n1[0] * n2[0] + n1[1] * n2[1] + n1[2] * n2[2]
    if (cosine > rules.mostCosine || cosine < AGAINST) return 0
    const sine = Math.sqrt(1 - cosine * cosine)
    along[0] = (n1[1] * n2[2] - n1[2] * n2[1]) / sine
    along[1] = (n1[2] * n2[0] - n1[0] * n2[2]) / sine
    along[2] = (n1[0] * n2[1] - n1[1] * n2[0]) / sine
    this.stretch(ball, i, j)
    const side = this.sideOf(ball, i, j)
    if (side === 0 || side !== this.sideOf(ball, j, i)) return 0
    return this.isSharp(ball, i, j, side) ? side : 0
  }

  /**
   * How far along the line both sheets have points beside it. Past a corner one of them may go on as the side of
   * something else, and says nothing of this edge there.
   */
  private stretch(ball: Ball, i: number, j: number): void {
    const { rules, at, along } = this
    const beside = Math.max(BESIDE_EDGES * rules.edgeMm, BEGINS_SPACINGS * rules.spacingMm)
    const low = [Infinity, Infinity],
      high = [-Infinity, -Infinity]
    for (let k = 0; k < ball.count; k++) {
      const which = ball.sheet[k] === i ? 0 : ball.sheet[k] === j ? 1 : -1
      if (which < 0) continue
      const x = ball.middle[0] + ball.at[k * 3] - at[0],
        y = ball.middle[1] + ball.at[k * 3 + 1] - at[1],
        z = ball.middle[2] + ball.at[k * 3 + 2] - at[2]
      if (across(x, y, z, along) > beside) continue
      const t = x * along[0] + y * along[1] + z * along[2]
      low[which] = Math.min(low[which], t)
      high[which] = Math.max(high[which], t)
    }
    this.from = Math.max(low[0], low[1])
    this.to = Math.min(high[0], high[1])
  }

  /** Whether the points of one sheet lie inside the other (1: the edge turns outwards) or outside it; 0: on both sides. */
  private sideOf(ball: Ball, i: number, j: number): Turn {
    const { rules, at, along } = this
    const { noiseMm, edgeMm, spacingMm } = rules
    let n = 0,
      inside = 0,
      outside = 0,
      nearest = Infinity,
      farthest = 0
    for (let k = 0; k < ball.count; k++) {
      if (ball.sheet[k] !== i) continue
      const x = ball.middle[0] + ball.at[k * 3],
        y = ball.middle[1] + ball.at[k * 3 + 1],
        z = ball.middle[2] + ball.at[k * 3 + 2]
      if (!this.isBeside(x, y, z)) continue
      const d = this.sheets.off(j, x, y, z, this.n2)
      n++
      if (d < -NOISE_CLEAR * noiseMm) inside++
      else if (d > NOISE_CLEAR * noiseMm) outside++
      const fromLine = across(x - at[0], y - at[1], z - at[2], along)
      if (fromLine < nearest) nearest = fromLine
      if (fromLine > farthest) farthest = fromLine
    }
    if (n < LEAST_POINTS || farthest < REACHES * edgeMm) return 0
    if (nearest > besideMm(edgeMm, spacingMm)) return 0
    const side = inside > outside ? 1 : -1
    return Math.min(inside, outside) <= MOST_PAST * n ? side : 0
  }

  /** Whether a place lies beside the stretch of the line that both sheets have points at. */
  private isBeside(x: number, y: number, z: number): boolean {
    const { at, along } = this
    const t = (x - at[0]) * along[0] + (y - at[1]) * along[1] + (z - at[2]) * along[2]
    return t >= this.from && t <= this.to
  }

  /** Whether the points beside the line lie where the sheets would meet that are fitted to the points away from it. */
  private isSharp(ball: Ball, i: number, j: number, side: Turn): boolean {
    const { rules, sheets, splitter, at, along } = this
    const { noiseMm, edgeMm, spacingMm } = rules
    const within = besideMm(edgeMm, spacingMm)
    const before = sheets.count
    const first = splitter.fitAway(ball, i, at, along, within),
      second = splitter.fitAway(ball, j, at, along, within)
    const { n, insideMm } = this.inside(ball, i, j, first < 0 ? i : first, second < 0 ? j : second, side, within)
    sheets.cut(before)
    this.insideMm = insideMm
    return n === 0 || insideMm <= (ROUND_SIGMAS * noiseMm) / Math.sqrt(n) + MOST_ROUND * edgeMm
  }

  /** How many points of sheets i and j lie beside the line, and how far inside the sheets `a` and `b` on the mean. */
  private inside(
    ball: Ball,
    i: number,
    j: number,
    a: number,
    b: number,
    side: Turn,
    withinMm: number,
  ): { n: number; insideMm: number } {
    const { rules, sheets, at, n1, n2 } = this
    sheets.off(a, at[0], at[1], at[2], n1)
    sheets.off(b, at[0], at[1], at[2], n2)
    // Sideways of the line, however deep: the points of a round lie inside it, not beside it.
    const sideways = [n1[0] - n2[0], n1[1] - n2[1], n1[2] - n2[2]]
    const length = Math.hypot(sideways[0], sideways[1], sideways[2])
    let n = 0,
      off = 0
    for (let k = 0; k < ball.count; k++) {
      // What belongs to a third sheet says nothing here.
      if (ball.sheet[k] !== i && ball.sheet[k] !== j && ball.sheet[k] !== -1) continue
      const x = ball.middle[0] + ball.at[k * 3],
        y = ball.middle[1] + ball.at[k * 3 + 1],
        z = ball.middle[2] + ball.at[k * 3 + 2]
      if (!this.isBeside(x, y, z)) continue
      const s = (x - at[0]) * sideways[0] + (y - at[1]) * sideways[1] + (z - at[2]) * sideways[2]
      if (Math.abs(s) > withinMm * length) continue
      n++
      // What lies outside speaks for no round; a stray point there does not make up for those inside.
      const outside = Math.max(side * sheets.off(a, x, y, z, n1), side * sheets.off(b, x, y, z, n2))
      off += Math.min(outside, NOISE_CLEAR * rules.noiseMm)
    }
    return { n, insideMm: n > 0 ? -off / n : 0 }
  }
}

/** How far from a line its points are looked at for a round, mm. */
export const besideMm = (edgeMm: number, spacingMm: number): number =>
  Math.max(BEGINS_EDGES * edgeMm, BEGINS_SPACINGS * spacingMm)

/**
 * How far inside an edge of that angle (radians, between the ways its sides face) the points beside it would lie on the
 * mean, were it a round: r²·(tan φ/2 − φ/2) over the width looked at (area between two tangents and their circle).
 */
export const insideOfRound = (radiusMm: number, angle: number, withinMm: number): number =>
  (radiusMm ** 2 * (Math.tan(angle / 2) - angle / 2)) / (2 * withinMm)

/** A point is past a sheet where it lies so many noises past it. */
const NOISE_CLEAR = 3

/** Distance from a line through the zero point. */
function across(x: number, y: number, z: number, along: Float64Array): number {
  const t = x * along[0] + y * along[1] + z * along[2]
  return Math.sqrt(Math.max(0, x * x + y * y + z * z - t * t))
}
