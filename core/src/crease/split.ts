import { QuadricFit } from '../cloud/quadric'
import { smallestEigen3 } from '../linear/symmetric3'
import { MOST_POINTS, type Ball } from './ball'
import type { Sheets } from './sheets'

/** Sheets looked for round one place. */
export const MOST_SHEETS = 4
/** Points that make a sheet. */
const LEAST_POINTS = 10
/** Points whose own plane is tried as the beginning of a sheet. */
const BEGINNINGS = 18
/** A point belongs to a sheet within so many noises of it. */
const NOISES = 3
/** … and facing as it does (cosine); the normals of points near an edge are blurred across it. */
const FACING = 0.5
/** A sheet's own beginning wants normals that agree better. */
const FIRST_FACING = 0.85
const GROWTHS = 3
/** So often a sheet is begun at one place; what does not grow to one is left. */
const TRIES = 8
const EXCHANGES = 2
/** A bent height is taken where it leaves so much less than a plane does. */
const BENT_IS_BETTER = 0.8
/** A sheet may bend so much over the ball's radius (radius over radius of curvature): more is a round and no side. */
const MOST_BEND = 1

/** Fits sheets to the points of balls; its stores serve all balls. */
export class Splitter {
  private readonly quadric = new QuadricFit()
  private readonly frame = new Float64Array(12)
  private readonly c = new Float64Array(6)
  private readonly eigen = new Float64Array(6)
  private readonly normal = new Float64Array(3)
  private readonly chosen = new Int32Array(MOST_POINTS)
  /** How far the points of the last fit lie off it, RMS, mm. */
  rmsMm = 0
  /** The last fit bends more than a side does. */
  private isRound = false

  constructor(
    private readonly sheets: Sheets,
    private readonly noiseMm: number,
  ) {}

  /** How far all points of a ball lie off one surface, RMS, mm; as if they were one smooth place. */
  asOne(ball: Ball): number {
    return this.fit(ball, this.choose(ball, ANY), true, Infinity) ? this.rmsMm : Infinity
  }

  /**
   * Splits the points of a ball into sheets: the best of some points' planes begins one, it grows by what lies on it and
   * is fitted again (forward search: Fleishman, Cohen-Or and Silva 2005, "Robust moving least-squares fitting with sharp
   * features"), the rest makes the next. Each point then goes to the nearest.
   * @returns numbers of the sheets, those that are rounds left out
   */
  split(ball: Ball): number[] {
    const first = this.sheets.count
    const found: number[] = []
    const rounds = new Set<number>()
    for (let tries = 0; tries < TRIES && found.length < MOST_SHEETS && this.begin(ball); tries++) {
      const id = first + found.length
      let taken = 0
      for (let growth = 0; growth < GROWTHS; growth++) {
        if (!this.fit(ball, this.choose(ball, -2), growth > 0)) break
        this.sheets.cut(id)
        this.sheets.add(this.frame, this.c)
        taken = this.take(ball, id)
      }
      for (let i = 0; i < ball.count; i++) if (ball.sheet[i] === -2) ball.sheet[i] = id
      if (taken < LEAST_POINTS) {
        this.sheets.cut(id)
        for (let i = 0; i < ball.count; i++) if (ball.sheet[i] === id) ball.sheet[i] = -3
        continue
      }
      found.push(id)
    }
    for (let round = 0; round < EXCHANGES; round++) {
      this.exchange(ball, found)
      for (const id of found)
        if (this.fit(ball, this.choose(ball, id), true)) {
          this.sheets.replace(id, this.frame, this.c)
          if (round === EXCHANGES - 1 && this.isRound) rounds.add(id)
        }
    }
    this.exchange(ball, found)
    for (let i = 0; i < ball.count; i++) if (rounds.has(ball.sheet[i])) ball.sheet[i] = -1
    return found.filter((id) => !rounds.has(id))
  }

  /**
   * A sheet fitted anew to those of its points that lie away from a line, so that a round at the line has no say in it.
   * @returns its number; −1 where too few are left
   */
  fitAway(ball: Ball, id: number, line: Float64Array, along: Float64Array, awayMm: number): number {
    const { at, middle, sheet, count } = ball
    const { chosen } = this
    let n = 0
    for (let i = 0; i < count; i++) {
      if (sheet[i] !== id) continue
      const x = middle[0] + at[i * 3] - line[0],
        y = middle[1] + at[i * 3 + 1] - line[1],
        z = middle[2] + at[i * 3 + 2] - line[2]
      const t = x * along[0] + y * along[1] + z * along[2]
      if (x * x + y * y + z * z - t * t > awayMm * awayMm) chosen[n++] = i
    }
    return n >= LEAST_POINTS && this.fit(ball, n, true) ? this.sheets.add(this.frame, this.c) : -1
  }

  /** Marks with −2 the points on the best of some planes; false where none holds enough. */
  private begin(ball: Ball): boolean {
    const { sheet, count } = ball
    let free = 0
    for (let i = 0; i < count; i++) if (sheet[i] === -1) free++
    if (free < LEAST_POINTS) return false
    const every = Math.max(1, Math.floor(free / BEGINNINGS))
    let best = -1,
      most = 0,
      n = 0
    for (let i = 0; i < count; i++) {
      if (sheet[i] !== -1 || n++ % every !== 0) continue
      const on = this.countOn(ball, i, false)
      if (on > most) {
        most = on
        best = i
      }
    }
    if (most < LEAST_POINTS) return false
    this.countOn(ball, best, true)
    return true
  }

  /** Free points on the plane of one of them. */
  private countOn({ at, facing, sheet, count }: Ball, i: number, mark: boolean): number {
    const o = i * 3
    const x = facing[o],
      y = facing[o + 1],
      z = facing[o + 2]
    const d = x * at[o] + y * at[o + 1] + z * at[o + 2]
    const near = NOISES * this.noiseMm
    let on = 0
    for (let k = 0; k < count; k++) {
      if (sheet[k] !== -1) continue
      const q = k * 3
      if (Math.abs(x * at[q] + y * at[q + 1] + z * at[q + 2] - d) > near) continue
      if (x * facing[q] + y * facing[q + 1] + z * facing[q + 2] < FIRST_FACING) continue
      on++
      if (mark) sheet[k] = -2
    }
    return on
  }

  /** Marks with −2 the free points on a sheet. @returns how many */
  private take(ball: Ball, id: number): number {
    let n = 0
    for (let i = 0; i < ball.count; i++) {
      if (ball.sheet[i] !== -1 && ball.sheet[i] !== -2) continue
      const on = Math.abs(this.offOf(ball, id, i)) <= NOISES * this.noiseMm && this.facingOf(ball, i) >= FACING
      ball.sheet[i] = on ? -2 : -1
      if (on) n++
    }
    return n
  }

  /** Gives each point to the nearest sheet, or to none. */
  private exchange(ball: Ball, found: readonly number[]): void {
    for (let i = 0; i < ball.count; i++) {
      let best = -1,
        least = (NOISES + 1) * this.noiseMm
      for (const id of found) {
        const off = Math.abs(this.offOf(ball, id, i))
        if (off < least && this.facingOf(ball, i) >= FACING) {
          least = off
          best = id
        }
      }
      ball.sheet[i] = best
    }
  }

  private offOf({ at, middle }: Ball, id: number, i: number): number {
    const o = i * 3
    return this.sheets.off(id, middle[0] + at[o], middle[1] + at[o + 1], middle[2] + at[o + 2], this.normal)
  }
  /** How a point faces against the sheet it was held against last. */
  private facingOf({ facing }: Ball, i: number): number {
    const o = i * 3
    return this.normal[0] * facing[o] + this.normal[1] * facing[o + 1] + this.normal[2] * facing[o + 2]
  }

  /** Lists the points with a mark. @returns how many */
  private choose({ sheet, count }: Ball, mark: number): number {
    let n = 0
    for (let i = 0; i < count; i++) if (mark === ANY || sheet[i] === mark) this.chosen[n++] = i
    return n
  }

  /** Fits a plane, and a bent height where that is better and allowed, to the first `n` points of the list. */
  private fit(ball: Ball, n: number, mayBend: boolean, mostBend = MOST_BEND): boolean {
    const { at, facing, middle } = ball
    const { chosen } = this
    const f = this.frame
    let mx = 0,
      my = 0,
      mz = 0,
      nx = 0,
      ny = 0,
      nz = 0
    for (let k = 0; k < n; k++) {
      const o = chosen[k] * 3
      mx += at[o]
      my += at[o + 1]
      mz += at[o + 2]
      nx += facing[o]
      ny += facing[o + 1]
      nz += facing[o + 2]
    }
    if (n < 4) return false
    mx /= n
    my /= n
    mz /= n
    let xx = 0,
      xy = 0,
      xz = 0,
      yy = 0,
      yz = 0,
      zz = 0
    for (let k = 0; k < n; k++) {
      const o = chosen[k] * 3
      const x = at[o] - mx,
        y = at[o + 1] - my,
        z = at[o + 2] - mz
      xx += x * x
      xy += x * y
      xz += x * z
      yy += y * y
      yz += y * z
      zz += z * z
    }
    smallestEigen3(xx, xy, xz, yy, yz, zz, this.eigen)
    const e = this.eigen
    const sign = e[3] * nx + e[4] * ny + e[5] * nz < 0 ? -1 : 1
    const x = sign * e[3],
      y = sign * e[4],
      z = sign * e[5]
    // Any two axes across will do.
    const [ux, uy, uz] = Math.abs(x) < 0.6 ? [0, z, -y] : [-z, 0, x]
    const ul = Math.sqrt(ux * ux + uy * uy + uz * uz)
    f[0] = middle[0] + mx
    f[1] = middle[1] + my
    f[2] = middle[2] + mz
    f[3] = ux / ul
    f[4] = uy / ul
    f[5] = uz / ul
    f[6] = y * f[5] - z * f[4]
    f[7] = z * f[3] - x * f[5]
    f[8] = x * f[4] - y * f[3]
    f[9] = x
    f[10] = y
    f[11] = z
    this.c.fill(0)
    this.isRound = false
    this.rmsMm = Math.sqrt(Math.max(0, e[0]) / n)
    if (!mayBend || n < 2 * LEAST_POINTS || this.rmsMm < this.noiseMm * 0.5) return true
    const { quadric } = this
    quadric.begin()
    for (let k = 0; k < n; k++) {
      this.inFrame(ball, chosen[k])
      quadric.add(local[0], local[1], local[2])
    }
    if (!quadric.solve()) return true
    let squares = 0
    for (let k = 0; k < n; k++) {
      this.inFrame(ball, chosen[k])
      squares += (local[2] - quadric.at(local[0], local[1])) ** 2
    }
    // Six numbers fit anything better than three do; what they take of the scatter by that is given back.
    const rms = Math.sqrt(squares / (n - 6)),
      flat = this.rmsMm * Math.sqrt(n / (n - 3))
    if (rms >= BENT_IS_BETTER * flat) return true
    this.isRound = Math.abs(quadric.curvatures()[0]) * ball.radiusMm > mostBend
    if (!this.isRound) {
      this.c.set(quadric.c)
      this.rmsMm = Math.sqrt(squares / n)
    }
    return true
  }

  private inFrame({ at, middle }: Ball, i: number): void {
    const f = this.frame,
      o = i * 3
    const x = middle[0] + at[o] - f[0],
      y = middle[1] + at[o + 1] - f[1],
      z = middle[2] + at[o + 2] - f[2]
    local[0] = x * f[3] + y * f[4] + z * f[5]
    local[1] = x * f[6] + y * f[7] + z * f[8]
    local[2] = x * f[9] + y * f[10] + z * f[11]
  }
}

const ANY = -9
const local = new Float64Array(3)
