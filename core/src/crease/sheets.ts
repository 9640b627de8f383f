/** Numbers a sheet takes: origin, two axes and the normal, then the six of its height. */
const SIZE = 18

/**
 * Local surfaces, each a height over a plane of its own: h = c₀ + c₁u + c₂v + c₃u² + c₄uv + c₅v², mm. Outside is up.
 */
export class Sheets {
  count = 0
  private values = new Float64Array(SIZE * 256)

  /** @param frame origin xyz, u, v, normal: twelve numbers @param c six heights @returns the sheet's number */
  add(frame: ArrayLike<number>, c: ArrayLike<number>): number {
    if ((this.count + 1) * SIZE > this.values.length) {
      const more = new Float64Array(this.values.length * 2)
      more.set(this.values)
      this.values = more
    }
    this.replace(this.count, frame, c)
    return this.count++
  }

  replace(sheet: number, frame: ArrayLike<number>, c: ArrayLike<number>): void {
    const o = sheet * SIZE
    for (let k = 0; k < 12; k++) this.values[o + k] = frame[k]
    for (let k = 0; k < 6; k++) this.values[o + 12 + k] = c[k]
  }

  /** Forgets the sheets from this number on. */
  cut(count: number): void {
    this.count = count
  }

  /**
   * How far a place lies outside a sheet, mm: its height off the quadric over the length of the gradient (Taubin 1991).
   * @param normal the way the sheet faces there, unit, written
   */
  off(sheet: number, x: number, y: number, z: number, normal: Float64Array): number {
    const s = this.values,
      o = sheet * SIZE
    const dx = x - s[o],
      dy = y - s[o + 1],
      dz = z - s[o + 2]
    const u = dx * s[o + 3] + dy * s[o + 4] + dz * s[o + 5],
      v = dx * s[o + 6] + dy * s[o + 7] + dz * s[o + 8],
      h = dx * s[o + 9] + dy * s[o + 10] + dz * s[o + 11]
    const c = o + 12
    const q = s[c] + s[c + 1] * u + s[c + 2] * v + s[c + 3] * u * u + s[c + 4] * u * v + s[c + 5] * v * v
    const qu = s[c + 1] + 2 * s[c + 3] * u + s[c + 4] * v,
      qv = s[c + 2] + s[c + 4] * u + 2 * s[c + 5] * v
    const length = Math.sqrt(1 + qu * qu + qv * qv)
    for (let k = 0; k < 3; k++) normal[k] = (s[o + 9 + k] - qu * s[o + 3 + k] - qv * s[o + 6 + k]) / length
    return (h - q) / length
  }

  /** Moves a place onto a sheet, by steps along the way it faces. @returns false where it is not reached */
  lay(sheet: number, at: Float64Array, nearMm: number): boolean {
    for (let step = 0; step < LAY_STEPS; step++) {
      const d = this.off(sheet, at[0], at[1], at[2], one)
      for (let k = 0; k < 3; k++) at[k] -= d * one[k]
      if (Math.abs(d) < nearMm) return true
    }
    return false
  }

  /**
   * Moves a place to where two sheets meet, the nearest way (Newton's steps of least length).
   * @returns false where they do not meet at an angle near it
   */
  meet(i: number, j: number, at: Float64Array, nearMm: number): boolean {
    for (let step = 0; step < MEET_STEPS; step++) {
      const a = this.off(i, at[0], at[1], at[2], one),
        b = this.off(j, at[0], at[1], at[2], two)
      const dot = one[0] * two[0] + one[1] * two[1] + one[2] * two[2]
      const det = 1 - dot * dot
      if (!(det > LEAST_SINE2)) return false
      const s = (a - dot * b) / det,
        t = (b - dot * a) / det
      for (let k = 0; k < 3; k++) at[k] -= s * one[k] + t * two[k]
      if (Math.abs(a) + Math.abs(b) < nearMm) return true
    }
    return false
  }

  /** Moves a place to where three sheets meet. @returns false where they do not meet in one place near it */
  meetThree(i: number, j: number, k: number, at: Float64Array, nearMm: number): boolean {
    for (let step = 0; step < MEET_STEPS; step++) {
      const a = this.off(i, at[0], at[1], at[2], one),
        b = this.off(j, at[0], at[1], at[2], two),
        c = this.off(k, at[0], at[1], at[2], three)
      const jk = cross(two, three),
        ki = cross(three, one),
        ij = cross(one, two)
      const det = one[0] * jk[0] + one[1] * jk[1] + one[2] * jk[2]
      if (!(Math.abs(det) > LEAST_DETERMINANT)) return false
      for (let m = 0; m < 3; m++) at[m] -= (a * jk[m] + b * ki[m] + c * ij[m]) / det
      if (Math.abs(a) + Math.abs(b) + Math.abs(c) < nearMm) return true
    }
    return false
  }
}

const LAY_STEPS = 6
const MEET_STEPS = 8
/** Sheets that meet at less than 15° (sine squared) have no line that could be told. */
const LEAST_SINE2 = 0.067
/** Three sheets have to span so much (of a cube's corner, which is 1) to meet in a place. */
const LEAST_DETERMINANT = 0.15

const one = new Float64Array(3),
  two = new Float64Array(3),
  three = new Float64Array(3)

const cross = (a: Float64Array, b: Float64Array): [number, number, number] => [
  a[1] * b[2] - a[2] * b[1],
  a[2] * b[0] - a[0] * b[2],
  a[0] * b[1] - a[1] * b[0],
]
