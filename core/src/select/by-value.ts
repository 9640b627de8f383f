import { GeometryError } from '../errors'
import { emptyBits, setBit } from './bits'
import type { LocalPlane } from './regions'

/** CIE L*a*b* of an sRGB colour, white D65 (IEC 61966-2-1; CIE 15). */
export function labOf(red: number, green: number, blue: number): [number, number, number] {
  const linear = (v: number): number => (v <= 10.31475 ? v / 255 / 12.92 : ((v / 255 + 0.055) / 1.055) ** 2.4)
  const r = linear(red),
    g = linear(green),
    b = linear(blue)
  const f = (t: number): number => (t > 216 / 24389 ? Math.cbrt(t) : (24389 / 27) * (t / 116) + 16 / 116)
  const x = f((0.4124564 * r + 0.3575761 * g + 0.1804375 * b) / 0.95047),
    y = f(0.2126729 * r + 0.7151522 * g + 0.072175 * b),
    z = f((0.0193339 * r + 0.119192 * g + 0.9503041 * b) / 1.08883)
  return [116 * y - 16, 500 * (x - y), 200 * (y - z)]
}

/**
 * Items whose colour is no farther from a given one than a difference (CIE76: distance in L*a*b*).
 * @throws PARAMS when the items have no colours
 */
export function selectByColour(
  colours: Uint8Array | undefined,
  colour: readonly [number, number, number],
  difference: number,
): Uint8Array {
  if (!colours) throw new GeometryError('PARAMS', 'This take has no colours to choose by.')
  if (!(difference >= 0)) throw new GeometryError('PARAMS', 'The colour difference must be 0 or more.')
  const [l, a, b] = labOf(...colour)
  const bits = emptyBits(colours.length / 3)
  const limit = difference * difference + 1e-9
  // A scan has few colours beside its points: each is reckoned once.
  const known = new Map<number, boolean>()
  for (let i = 0, k = 0; k < colours.length; i++, k += 3) {
    const key = (colours[k] << 16) | (colours[k + 1] << 8) | colours[k + 2]
    let within = known.get(key)
    if (within === undefined) {
      const [l2, a2, b2] = labOf(colours[k], colours[k + 1], colours[k + 2])
      within = (l2 - l) ** 2 + (a2 - a) ** 2 + (b2 - b) ** 2 <= limit
      known.set(key, within)
    }
    if (within) setBit(bits, i)
  }
  return bits
}

/**
 * Items whose value lies below a limit; values that are no numbers are chosen too, being worth nothing.
 * @throws PARAMS when there are none
 */
export function selectBelow(values: Float32Array | undefined, limit: number): Uint8Array {
  if (!values) throw new GeometryError('PARAMS', 'This take does not say how sure its points are.')
  const bits = emptyBits(values.length)
  for (let i = 0; i < values.length; i++) if (!(values[i] >= limit)) setBit(bits, i)
  return bits
}

/** Items inside an upright box. @throws PARAMS when a side is turned about */
export function selectInBox(positions: Float32Array, min: readonly number[], max: readonly number[]): Uint8Array {
  if ([0, 1, 2].some((c) => !(min[c] <= max[c]))) throw new GeometryError('PARAMS', 'The box ends before it begins.')
  const bits = emptyBits(positions.length / 3)
  for (let i = 0, k = 0; k < positions.length; i++, k += 3) {
    const x = positions[k],
      y = positions[k + 1],
      z = positions[k + 2]
    if (x >= min[0] && x <= max[0] && y >= min[1] && y <= max[1] && z >= min[2] && z <= max[2]) setBit(bits, i)
  }
  return bits
}

/** Items below a plane: on the side its normal points away from. */
export function selectBelowPlane(positions: Float32Array, { normal, offset }: LocalPlane): Uint8Array {
  const bits = emptyBits(positions.length / 3)
  for (let i = 0, k = 0; k < positions.length; i++, k += 3)
    if (normal[0] * positions[k] + normal[1] * positions[k + 1] + normal[2] * positions[k + 2] < offset) setBit(bits, i)
  return bits
}

/** The plane through three places, its normal turned towards `above`. @throws DEGENERATE when they lie on a line */
export function planeThrough(
  a: readonly number[],
  b: readonly number[],
  c: readonly number[],
  above: readonly number[],
): LocalPlane {
  const u = [0, 1, 2].map((k) => b[k] - a[k]),
    v = [0, 1, 2].map((k) => c[k] - a[k])
  const n = [u[1] * v[2] - u[2] * v[1], u[2] * v[0] - u[0] * v[2], u[0] * v[1] - u[1] * v[0]]
  const l = Math.hypot(...n)
  if (!(l > 1e-9 * Math.hypot(...u) * Math.hypot(...v)) || l === 0)
    throw new GeometryError('DEGENERATE', 'The three points lie on one line: they do not say which plane is meant.')
  const sign = n.reduce((s, x, k) => s + x * (above[k] - a[k]), 0) < 0 ? -1 : 1
  const normal = n.map((x) => (sign * x) / l) as [number, number, number]
  return { normal, offset: normal[0] * a[0] + normal[1] * a[1] + normal[2] * a[2] }
}
