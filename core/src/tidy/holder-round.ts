import { across } from '../linear/across'
import type { Random } from '../linear/random'

/** An upright cylinder on the table. */
export interface RoundHolder {
  /** Middle in the table's own two directions (`across`), mm. */
  readonly centre: readonly [number, number]
  readonly radiusMm: number
  readonly topMm: number
  /** Share of the directions round the axis from which its wall was seen. */
  readonly aroundShare: number
  readonly wallPoints: number
}

/** Heights over the table and places in its plane of all points. */
export interface Footing {
  readonly u: Float32Array
  readonly v: Float32Array
  readonly h: Float32Array
}

function axesOf(normal: readonly [number, number, number]): Float64Array {
  const axes = new Float64Array(6)
  across(...normal, axes)
  return axes
}

/** Places of points over a table whose normal and offset are given. */
export function footingOf(p: Float32Array, normal: readonly [number, number, number], offsetMm: number): Footing {
  const n = p.length / 3
  const u = new Float32Array(n),
    v = new Float32Array(n),
    h = new Float32Array(n)
  const axes = axesOf(normal)
  const a = axes.subarray(0, 3),
    b = axes.subarray(3)
  for (let i = 0, k = 0; i < n; i++, k += 3) {
    const x = p[k],
      y = p[k + 1],
      z = p[k + 2]
    u[i] = a[0] * x + a[1] * y + a[2] * z
    v[i] = b[0] * x + b[1] * y + b[2] * z
    h[i] = normal[0] * x + normal[1] * y + normal[2] * z - offsetMm
  }
  return { u, v, h }
}

const TRIALS = 600
const VOTERS = 4000
const SECTORS = 36
/** Cosine: a wall's normal may lean this far from level, and from the radius. */
const LEVEL = 0.3
const RADIAL = 0.9
/** A slice belongs to the cylinder while it is seen over this share of the best slice's round. */
const MIN_SLICE = 0.4
const MIN_AROUND = 0.35

/**
 * The cylinder that stands on the table, from the wall points above it: RANSAC over pairs of points with their normals,
 * which cross at the axis (after Schnabel, Wahl and Klein 2007, "Efficient RANSAC for point-cloud shape detection");
 * then how high it reaches, slice by slice. null where none stands there.
 * @param low walls below this height vote for where it stands, mm
 * @param tallMm of the whole take
 */
export function findRoundHolder(
  normals: Float32Array,
  up: readonly [number, number, number],
  f: Footing,
  spacingMm: number,
  fromMm: number,
  low: number,
  tallMm: number,
  random: Random,
): RoundHolder | null {
  const axes = axesOf(up)
  const a = axes.subarray(0, 3),
    b = axes.subarray(3)
  const walls: number[] = []
  const nu: number[] = [],
    nv: number[] = []
  const gatherWalls = (to: number): void => {
    for (let i = 0, k = 0; i < f.h.length; i++, k += 3) {
      if (f.h[i] < fromMm || f.h[i] > to) continue
      const x = normals[k],
        y = normals[k + 1],
        z = normals[k + 2]
      if (Math.abs(x * up[0] + y * up[1] + z * up[2]) > LEVEL) continue
      const s = a[0] * x + a[1] * y + a[2] * z,
        t = b[0] * x + b[1] * y + b[2] * z,
        l = Math.hypot(s, t)
      walls.push(i)
      nu.push(s / l)
      nv.push(t / l)
    }
  }
  gatherWalls(low)
  if (walls.length < 30) return null
  const skip = Math.max(1, Math.floor(walls.length / VOTERS))
  const tolerance = Math.max(0.35 * spacingMm, 0.12)
  const votes = (cu: number, cv: number, r: number, band: number, each: (k: number, angle: number) => void): void => {
    for (let k = 0; k < walls.length; k += band === 0 ? 1 : skip) {
      const i = walls[k]
      const x = f.u[i] - cu,
        y = f.v[i] - cv,
        d = Math.hypot(x, y)
      if (Math.abs(d - r) <= tolerance && Math.abs(nu[k] * x + nv[k] * y) >= RADIAL * d) each(k, Math.atan2(y, x))
    }
  }
  let best: [number, number, number] | null = null,
    most = 0
  for (let t = 0; t < TRIALS; t++) {
    const i = random.integer(walls.length),
      j = random.integer(walls.length)
    const det = nu[i] * nv[j] - nv[i] * nu[j]
    if (Math.abs(det) < 0.15) continue
    // Where the two lines along the normals cross.
    const dx = f.u[walls[j]] - f.u[walls[i]],
      dy = f.v[walls[j]] - f.v[walls[i]]
    const s = (dx * nv[j] - dy * nu[j]) / det
    const cu = f.u[walls[i]] + s * nu[i],
      cv = f.v[walls[i]] + s * nv[i]
    const r = Math.hypot(f.u[walls[j]] - cu, f.v[walls[j]] - cv)
    if (Math.abs(Math.abs(s) - r) > tolerance || r < 3 * spacingMm) continue
    let n = 0
    votes(cu, cv, r, 1, () => n++)
    if (n > most) {
      most = n
      best = [cu, cv, r]
    }
  }
  if (!best || most * skip < 30) return null
  best = fitCircle(f, walls, best, votes)
  // How high it reaches is asked of all walls.
  if (low < tallMm) {
    walls.length = nu.length = nv.length = 0
    gatherWalls(tallMm)
  }
  return measure(f, walls, best, spacingMm, fromMm, votes, normals, up)
}

type Votes = (cu: number, cv: number, r: number, band: number, each: (k: number, angle: number) => void) => void

/** Least-squares circle through the wall's points (Gauss–Newton on the distances), two rounds of choosing them. */
function fitCircle(
  f: Footing,
  walls: readonly number[],
  start: [number, number, number],
  votes: Votes,
): [number, number, number] {
  let [cu, cv, r] = start
  for (let round = 0; round < 4; round++) {
    let m = 0,
      xx = 0,
      xy = 0,
      yy = 0,
      x1 = 0,
      y1 = 0,
      ex = 0,
      ey = 0,
      e1 = 0
    votes(cu, cv, r, 0, (k) => {
      const dx = f.u[walls[k]] - cu,
        dy = f.v[walls[k]] - cv,
        d = Math.hypot(dx, dy),
        x = dx / d,
        y = dy / d,
        e = d - r
      m++
      xx += x * x
      xy += x * y
      yy += y * y
      x1 += x
      y1 += y
      ex += e * x
      ey += e * y
      e1 += e
    })
    if (m < 20) break
    // Normal equations of the shifts and the growth; solved by Cramer's rule.
    const det = xx * (yy * m - y1 * y1) - xy * (xy * m - y1 * x1) + x1 * (xy * y1 - yy * x1)
    if (Math.abs(det) < 1e-9 * m * m * m) break
    cu += (ex * (yy * m - y1 * y1) - xy * (ey * m - y1 * e1) + x1 * (ey * y1 - yy * e1)) / det
    cv += (xx * (ey * m - e1 * y1) - ex * (xy * m - y1 * x1) + x1 * (xy * e1 - ey * x1)) / det
    r += (xx * (yy * e1 - y1 * ey) - xy * (xy * e1 - ey * x1) + ex * (xy * y1 - yy * x1)) / det
  }
  return [cu, cv, r]
}

/** How high the wall reaches, from the foot up without a gap, and how far round it was seen. */
function measure(
  f: Footing,
  walls: readonly number[],
  [cu, cv, r]: [number, number, number],
  spacingMm: number,
  fromMm: number,
  votes: Votes,
  normals: Float32Array,
  up: readonly [number, number, number],
): RoundHolder | null {
  const step = 2 * spacingMm
  const slices = new Map<number, Uint8Array>()
  const all = new Uint8Array(SECTORS)
  let wallPoints = 0
  const heights: number[] = []
  votes(cu, cv, r, 0, (k, angle) => {
    const h = f.h[walls[k]]
    const slice = Math.floor((h - fromMm) / step)
    let round = slices.get(slice)
    if (!round) slices.set(slice, (round = new Uint8Array(SECTORS)))
    const sector = Math.min(SECTORS - 1, Math.floor(((angle + Math.PI) / (2 * Math.PI)) * SECTORS))
    round[sector] = all[sector] = 1
    wallPoints++
    heights.push(h)
  })
  const count = (s: Uint8Array | undefined): number => (s ? s.reduce((n, x) => n + x, 0) : 0)
  const best = Math.max(...[...slices.values()].map(count))
  let slice = 0,
    gap = 0,
    top = -1
  for (; gap < 2; slice++) {
    if (count(slices.get(slice)) >= MIN_SLICE * best) {
      top = slice
      gap = 0
    } else gap++
  }
  const aroundShare = count(all) / SECTORS
  if (top < 0 || aroundShare < MIN_AROUND) return null
  const roof = fromMm + (top + 1) * step
  heights.sort((x, y) => x - y)
  const inside = heights.filter((h) => h <= roof + step)
  const wallTop = inside[Math.max(0, Math.floor(0.995 * inside.length) - 1)]
  return {
    centre: [cu, cv],
    radiusMm: r,
    topMm: flatTop(f, normals, up, cu, cv, r, wallTop, step) ?? wallTop,
    aroundShare,
    wallPoints,
  }
}

/** Height of the level ring at the wall's upper end, where it was seen: the surest figure of how high a holder is. */
function flatTop(
  f: Footing,
  normals: Float32Array,
  up: readonly [number, number, number],
  cu: number,
  cv: number,
  r: number,
  wallTop: number,
  step: number,
): number | null {
  const found: number[] = []
  for (let i = 0, k = 0; i < f.h.length; i++, k += 3) {
    if (Math.abs(f.h[i] - wallTop) > 2 * step) continue
    if (normals[k] * up[0] + normals[k + 1] * up[1] + normals[k + 2] * up[2] < 0.9) continue
    if (Math.hypot(f.u[i] - cu, f.v[i] - cv) <= r) found.push(f.h[i])
  }
  if (found.length < 12) return null
  found.sort((a, b) => a - b)
  return found[found.length >> 1]
}
