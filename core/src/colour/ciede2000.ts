import { LIGHT_OF } from './srgb'

/** White of D65 for the matrix below: its row sums. */
const WHITE = [0.4124564 + 0.3575761 + 0.1804375, 1, 0.0193339 + 0.119192 + 0.9503041] as const
const EPSILON = (6 / 29) ** 3
const POW7 = 25 ** 7
const RAD = Math.PI / 180

const root = (t: number): number => (t > EPSILON ? Math.cbrt(t) : t / (3 * (6 / 29) ** 2) + 4 / 29)

/** CIELAB under D65 of linear light in the primaries of sRGB. @param out gets L*, a*, b* */
export function labOfLight(r: number, g: number, b: number, out: Float64Array): void {
  const x = root((0.4124564 * r + 0.3575761 * g + 0.1804375 * b) / WHITE[0]),
    y = root(0.2126729 * r + 0.7151522 * g + 0.072175 * b),
    z = root((0.0193339 * r + 0.119192 * g + 0.9503041 * b) / WHITE[2])
  out[0] = 116 * y - 16
  out[1] = 500 * (x - y)
  out[2] = 200 * (y - z)
}

/** CIELAB under D65 of sRGB bytes. @param out gets L*, a*, b* */
export const labOfBytes = (r: number, g: number, b: number, out: Float64Array): void =>
  labOfLight(LIGHT_OF[r], LIGHT_OF[g], LIGHT_OF[b], out)

/**
 * Colour difference CIEDE2000 with kL = kC = kH = 1 (CIE 142-2001; formulae and 34 check pairs in Sharma, Wu and Dalal
 * 2005, "The CIEDE2000 color-difference formula").
 */
export function ciede2000(a: ArrayLike<number>, b: ArrayLike<number>): number {
  const mean = (Math.hypot(a[1], a[2]) + Math.hypot(b[1], b[2])) / 2
  const m7 = mean ** 7
  const g = 1.5 - 0.5 * Math.sqrt(m7 / (m7 + POW7))
  const c1 = Math.hypot(g * a[1], a[2]),
    c2 = Math.hypot(g * b[1], b[2])
  const h1 = hue(g * a[1], a[2]),
    h2 = hue(g * b[1], b[2])
  const grey = c1 * c2 === 0
  let turn = grey ? 0 : h2 - h1
  if (turn > 180) turn -= 360
  else if (turn < -180) turn += 360
  const dL = b[0] - a[0],
    dC = c2 - c1,
    dH = 2 * Math.sqrt(c1 * c2) * Math.sin((turn / 2) * RAD)
  let h = h1 + h2
  if (!grey) {
    if (Math.abs(h1 - h2) > 180) h += h < 360 ? 360 : -360
    h /= 2
  }
  const l = (a[0] + b[0]) / 2 - 50,
    c = (c1 + c2) / 2
  const t =
    1 -
    0.17 * Math.cos((h - 30) * RAD) +
    0.24 * Math.cos(2 * h * RAD) +
    0.32 * Math.cos((3 * h + 6) * RAD) -
    0.2 * Math.cos((4 * h - 63) * RAD)
  const c7 = c ** 7
  const sL = 1 + (0.015 * l * l) / Math.sqrt(20 + l * l),
    sC = 1 + 0.045 * c,
    sH = 1 + 0.015 * c * t
  const turned = -Math.sin(60 * RAD * Math.exp(-(((h - 275) / 25) ** 2))) * 2 * Math.sqrt(c7 / (c7 + POW7))
  const [x, y, z] = [dL / sL, dC / sC, dH / sH]
  return Math.sqrt(x * x + y * y + z * z + turned * y * z)
}

function hue(a: number, b: number): number {
  if (a === 0 && b === 0) return 0
  const h = Math.atan2(b, a) / RAD
  return h < 0 ? h + 360 : h
}
