import { solveCholesky } from '../../linear/cholesky'
import { NormalEquations } from '../least-squares/normal-equations'
import { planeRow, TUKEY, tukeyWeight } from '../least-squares/plane-row'
import type { JudgedPair } from './slides'
import type { SharedSurface } from './shared-surface'

/** What a pair would still move by itself, and how its sizes compare. */
export interface Tension {
  readonly a: number
  readonly b: number
  /** Motion of the second take that the pair alone wants, at the farthest shared place, mm. */
  readonly wantsMm: number
  /** Twist (turn, shift) about the centre. */
  readonly twist: Float64Array
  /** How much larger the second take is, and one standard deviation of that. */
  readonly scale: number
  readonly scaleSigma: number
}

export interface ClosingError {
  /** Largest misfit round a ring when takes are only chained along their links, mm at the farthest point. */
  readonly beforeMm: number
  /** Largest share of it any one pair keeps after all were matched together, mm. */
  readonly afterMm: number
  readonly rings: number
}

/** Damping of what the shared surface leaves free: it is no tension. */
const DAMPING = 1e-3

/** The pair's own least-squares step, with size as a seventh unknown (similarity fit, Umeyama 1991, linearised). */
export function tensionOf(
  { a, b, shared }: JudgedPair,
  centre: readonly number[],
  radiusMm: number,
  inflation: number,
): Tension {
  const equations = new NormalEquations(7),
    { h, g } = equations
  const row = new Float64Array(7)
  // Wide enough that what is pulled apart still pulls: a narrow one would call it an outlier.
  const limit = Math.max(TUKEY * shared.scatterMm, 3 * shared.p95Mm, 1e-9)
  for (let i = 0; i < shared.apartMm.length; i++) {
    const r = -shared.apartMm[i]
    const w = tukeyWeight(r / limit)
    if (w === 0) continue
    fillRow(shared, i, centre, radiusMm, row)
    equations.add(row, r, w)
  }
  equations.mirror()
  // Turns are scaled by the radius, so that all unknowns are millimetres at the rim.
  let trace = 0
  for (let c = 0; c < 7; c++) trace += h[c * 8] / 7
  const twist = new Float64Array(6)
  const six = new Float64Array(36)
  for (let c = 0; c < 6; c++)
    for (let d = 0; d < 6; d++) six[c * 6 + d] = h[c * 7 + d] + (c === d ? DAMPING * trace + 1e-12 : 0)
  const x6 = new Float64Array(6)
  if (solveCholesky(six, g.slice(0, 6), x6, 6)) for (let c = 0; c < 6; c++) twist[c] = c < 3 ? x6[c] / radiusMm : x6[c]
  const full = h.slice()
  for (let c = 0; c < 6; c++) full[c * 8] += DAMPING * trace + 1e-12
  full[48] += 1e-12
  const x = new Float64Array(7),
    e = new Float64Array(7),
    inverse = new Float64Array(7)
  e[6] = 1
  const solved = solveCholesky(full.slice(), g, x, 7) && solveCholesky(full, e, inverse, 7)
  return {
    a,
    b,
    twist,
    wantsMm: Math.hypot(x6[0], x6[1], x6[2]) + Math.hypot(x6[3], x6[4], x6[5]),
    scale: solved ? -x[6] / radiusMm : 0,
    scaleSigma: solved
      ? (Math.sqrt(Math.max(0, inverse[6])) * Math.max(shared.scatterMm, 1e-9) * Math.sqrt(inflation)) / radiusMm
      : Infinity,
  }
}

/**
 * Distance of second from first along the normal, by turn (3, scaled), shift (3) and size (1, scaled) of the second.
 */
function fillRow(s: SharedSurface, i: number, c: readonly number[], radius: number, row: Float64Array): void {
  const x = s.points[i * 3] - c[0],
    y = s.points[i * 3 + 1] - c[1],
    z = s.points[i * 3 + 2] - c[2]
  const a = (s.normals[i * 3] + s.others[i * 3]) / 2,
    b = (s.normals[i * 3 + 1] + s.others[i * 3 + 1]) / 2,
    d = (s.normals[i * 3 + 2] + s.others[i * 3 + 2]) / 2
  planeRow(row, x, y, z, a, b, d)
  for (let k = 0; k < 3; k++) row[k] /= radius
  row[6] = (x * a + y * b + z * d) / radius
}

/**
 * Standard deviations from which on something is sure, among so many pairs that each had a chance of it: four for one.
 */
export const sureAmong = (pairs: number): number => Math.sqrt(16 + 2 * Math.log(Math.max(1, pairs)))

/**
 * Pairs that can tell whether takes are pulled apart: the links, and those that share enough. A pair that shares little
 * wants much by chance, and among many pairs one always does.
 */
export const witnesses = (
  tensions: readonly Tension[],
  pairs: readonly JudgedPair[],
  tree: readonly (readonly [number, number])[],
  leastShare: number,
): Tension[] =>
  tensions.filter(
    (t) => isLink(tree, t) || pairs.some((p) => p.a === t.a && p.b === t.b && p.shared.share >= leastShare),
  )

const isLink = (tree: readonly (readonly [number, number])[], t: Pick<Tension, 'a' | 'b'>): boolean =>
  tree.some(([p, q]) => (p === t.a && q === t.b) || (p === t.b && q === t.a))

/** What rings of pairs do not add up to when the takes hang on a tree of links. */
export function closingError(
  tensions: readonly Tension[],
  tree: readonly (readonly [number, number])[],
  takes: number,
  radiusMm: number,
): ClosingError {
  const offset = Array.from({ length: takes }, () => new Float64Array(6))
  const placed = new Set<number>(tree.length > 0 ? [tree[0][0]] : [])
  const of = (a: number, b: number): Float64Array | null => {
    const t = tensions.find((x) => (x.a === a && x.b === b) || (x.a === b && x.b === a))
    return t ? t.twist.map((v) => (t.a === a ? v : -v)) : null
  }
  for (let round = 0; round < tree.length; round++)
    for (const [p, q] of tree) {
      const [a, b] = placed.has(p) ? [p, q] : [q, p]
      if (!placed.has(a) || placed.has(b)) continue
      const step = of(a, b)
      if (step) for (let c = 0; c < 6; c++) offset[b][c] = offset[a][c] + step[c]
      placed.add(b)
    }
  let beforeMm = 0,
    afterMm = 0,
    rings = 0
  const size = (t: ArrayLike<number>): number => Math.hypot(t[0], t[1], t[2]) * radiusMm + Math.hypot(t[3], t[4], t[5])
  for (const t of tensions) {
    afterMm = Math.max(afterMm, size(t.twist))
    if (isLink(tree, t)) continue
    rings++
    beforeMm = Math.max(beforeMm, size(t.twist.map((v, c) => v - (offset[t.b][c] - offset[t.a][c]))))
  }
  return { beforeMm, afterMm, rings }
}
