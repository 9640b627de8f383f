import { GeometryError } from '../errors'

/** A 4×4 motion, row-major, last row 0 0 0 1; millimetres. */
export type Motion = Float64Array

/** The motion that moves nothing. */
export function identityMotion(): Motion {
  return Float64Array.of(1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1)
}

/** Whether a motion moves nothing, to the last bit. */
export function isIdentity(m: Motion): boolean {
  return m.every((v, i) => v === (i % 5 === 0 ? 1 : 0))
}

/** A shift, mm. */
export function shiftMotion(x: number, y: number, z: number): Motion {
  return Float64Array.of(1, 0, 0, x, 0, 1, 0, y, 0, 0, 1, z, 0, 0, 0, 1)
}

/** The motion that first does `b`, then `a`. */
export function compose(a: Motion, b: Motion): Motion {
  const out = new Float64Array(16)
  for (let i = 0; i < 4; i++) {
    for (let j = 0; j < 4; j++) {
      let sum = 0
      for (let k = 0; k < 4; k++) sum += a[i * 4 + k] * b[k * 4 + j]
      out[i * 4 + j] = sum
    }
  }
  return out
}

/** Inverse of a rigid motion (rotation and shift only). */
export function invertRigid(m: Motion): Motion {
  const out = identityMotion()
  for (let i = 0; i < 3; i++) {
    for (let j = 0; j < 3; j++) out[i * 4 + j] = m[j * 4 + i]!
    out[i * 4 + 3] = -(m[i] * m[3] + m[4 + i] * m[7] + m[8 + i] * m[11])
  }
  return out
}

/** Rotation by `angle` radians round a unit or non-unit axis through the origin (Rodrigues), then a shift. */
export function rotationMotion(axis: readonly number[], angle: number, shift: readonly number[] = [0, 0, 0]): Motion {
  const length = Math.hypot(axis[0], axis[1], axis[2])
  if (!(length > 0)) throw new GeometryError('DEGENERATE', 'A rotation needs an axis that is not zero.')
  const x = axis[0] / length
  const y = axis[1] / length
  const z = axis[2] / length
  const c = Math.cos(angle)
  const s = Math.sin(angle)
  const t = 1 - c
  return Float64Array.of(
    t * x * x + c,
    t * x * y - s * z,
    t * x * z + s * y,
    shift[0],
    t * x * y + s * z,
    t * y * y + c,
    t * y * z - s * x,
    shift[1],
    t * x * z - s * y,
    t * y * z + s * x,
    t * z * z + c,
    shift[2],
    0,
    0,
    0,
    1,
  )
}

/** The motion of a small twist (rotation vector in radians, shift in mm) about the origin. */
export function twistMotion(twist: ArrayLike<number>): Motion {
  const angle = Math.hypot(twist[0], twist[1], twist[2])
  const shift = [twist[3], twist[4], twist[5]]
  if (angle < 1e-300) {
    const out = identityMotion()
    out[3] = shift[0]!
    out[7] = shift[1]!
    out[11] = shift[2]!
    return out
  }
  return rotationMotion([twist[0], twist[1], twist[2]], angle, shift)
}

/** Where a motion takes a place, mm. */
export function transformPoint(m: Motion, x: number, y: number, z: number): [number, number, number] {
  return [
    m[0] * x + m[1] * y + m[2] * z + m[3],
    m[4] * x + m[5] * y + m[6] * z + m[7],
    m[8] * x + m[9] * y + m[10] * z + m[11],
  ]
}

/** Interleaved xyz through a motion; `out` may be `points` itself. */
export function transformPoints(m: Motion, points: Float32Array, out = new Float32Array(points.length)): Float32Array {
  const [a, b, c, d, e, f, g, h, i, j, k, l] = m as unknown as number[]
  for (let p = 0; p < points.length; p += 3) {
    const x = points[p]
    const y = points[p + 1]
    const z = points[p + 2]
    out[p] = a * x + b * y + c * z + d
    out[p + 1] = e * x + f * y + g * z + h
    out[p + 2] = i * x + j * y + k * z + l
  }
  return out
}

/** Directions through the rotation part only. */
export function rotateVectors(m: Motion, vectors: Float32Array, out = new Float32Array(vectors.length)): Float32Array {
  const r = Float64Array.from(m)
  r[3] = 0
  r[7] = 0
  r[11] = 0
  return transformPoints(r, vectors, out)
}

/** Angle of the rotation part in radians. */
export function rotationAngle(m: Motion): number {
  // atan2 of the skew part keeps its precision near zero, where acos of the trace loses half its digits.
  const sx = m[9] - m[6]
  const sy = m[2] - m[8]
  const sz = m[4] - m[1]
  return Math.atan2(Math.hypot(sx, sy, sz), m[0] + m[5] + m[10] - 1)
}

/** Pulls accumulated rounding out of the rotation part (Gram–Schmidt on rows). */
export function orthonormalise(m: Motion): Motion {
  const out = Float64Array.from(m)
  let l = Math.hypot(out[0], out[1], out[2])
  for (let i = 0; i < 3; i++) out[i] /= l
  const d = out[0] * out[4] + out[1] * out[5] + out[2] * out[6]
  for (let i = 0; i < 3; i++) out[4 + i] -= d * out[i]
  l = Math.hypot(out[4], out[5], out[6])
  for (let i = 4; i < 7; i++) out[i] /= l
  out[8] = out[1] * out[6] - out[2] * out[5]
  out[9] = out[2] * out[4] - out[0] * out[6]
  out[10] = out[0] * out[5] - out[1] * out[4]
  return out
}

/** Rows for a motions file; the contract is row-major 4×4. */
export function motionRows(m: Motion): number[][] {
  return [0, 4, 8, 12].map((i) => Array.from(m.subarray(i, i + 4)))
}

/** Reads a 4×4 from a file and refuses anything that is not a rigid motion, saying why. */
export function motionFromRows(rows: unknown, name: string): Motion {
  const bad = (why: string): never => {
    throw new GeometryError(
      'FORMAT',
      `The motion of "${name}" ${why}; wanted are four rows of four numbers, a rotation and a shift in mm.`,
    )
  }
  if (!Array.isArray(rows) || rows.length !== 4) return bad('does not have four rows')
  const m = new Float64Array(16)
  rows.forEach((row: unknown, i) => {
    if (!Array.isArray(row) || row.length !== 4) bad(`has a row ${i + 1} without four numbers`)
    ;(row as unknown[]).forEach((v, j) => {
      if (typeof v !== 'number' || !Number.isFinite(v)) bad(`holds ${String(v)} in row ${i + 1}`)
      m[i * 4 + j] = v as number
    })
  })
  if (m[12] !== 0 || m[13] !== 0 || m[14] !== 0 || m[15] !== 1) bad('does not end in the row 0 0 0 1')
  for (let i = 0; i < 3; i++) {
    for (let j = i; j < 3; j++) {
      const dot = m[i * 4] * m[j * 4] + m[i * 4 + 1] * m[j * 4 + 1] + m[i * 4 + 2] * m[j * 4 + 2]
      if (Math.abs(dot - (i === j ? 1 : 0)) > 1e-4) bad('stretches or skews')
    }
  }
  const det =
    m[0] * (m[5] * m[10] - m[6] * m[9]) - m[1] * (m[4] * m[10] - m[6] * m[8]) + m[2] * (m[4] * m[9] - m[5] * m[8])
  if (det < 0) bad('mirrors the piece')
  return m
}

/** Unit axis of a motion's turn; of none, any. */
export function turnAxis(m: Motion): [number, number, number] {
  let axis = [m[9] - m[6], m[2] - m[8], m[4] - m[1]]
  if (Math.hypot(...axis) < 1e-3) {
    // Half a turn: the axis is the longest column of R + I.
    const columns = [0, 1, 2].map((k) => [
      m[k] + (k === 0 ? 1 : 0),
      m[4 + k] + (k === 1 ? 1 : 0),
      m[8 + k] + (k === 2 ? 1 : 0),
    ])
    axis = columns.reduce((a, b) => (Math.hypot(...b) > Math.hypot(...a) ? b : a))
  }
  const l = Math.hypot(...axis) || 1
  return [axis[0] / l, axis[1] / l, axis[2] / l]
}

/** A share of a motion's way: its turn about a place and that place's shift, both in proportion. */
export function partOf(m: Motion, about: readonly [number, number, number], share: number): Motion {
  const there = transformPoint(m, ...about)
  const at = about.map((v, k) => v + share * (there[k] - v)) as [number, number, number]
  return compose(
    shiftMotion(...at),
    compose(rotationMotion(turnAxis(m), share * rotationAngle(m)), shiftMotion(-about[0], -about[1], -about[2])),
  )
}
