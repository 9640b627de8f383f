import { Matrix, solve } from 'ml-matrix'
import { GeometryError } from '../errors'
import { fitPlane, fitSphere } from '../measure/fit-shapes'
import { seededRandom } from '../linear/random'
import { rangeNoiseMm, type DeviceProfile } from '../plan/device-profile'
import { driftPoint } from './drift'

/*
 * The simulated device calibrated on its board, and tested on two spheres and a flat. Both measure through the same
 * noise and drift as the takes do.
 */

export type CalibrationMode = 'near' | 'far'

export interface Calibration {
  readonly mode: CalibrationMode
  /** Board positions looked at. */
  readonly views: number
  /** What the fit found, as parts per million and as bow at the window's edge, mm. */
  readonly scalePpm: number
  readonly bowMm: number
  /** Left over after the fit, root mean square, mm. */
  readonly residualMm: number
  readonly verdict: 'sound' | 'doubtful' | 'unsound'
}

const MARKS = 9
/** Residuals are judged against the device's noise, averaged over a mark's pixels. */
const PIXELS_PER_MARK = 30

/**
 * The board routine: flat, then tilted to each of four sides, each at several heights of the mode's half of the depth
 * band. The marks' measured places against their known ones give scale and bow by least squares.
 * @param warmK temperature since the last calibration
 * @throws PARAMS for a mode the device does not have
 */
export function calibrate(device: DeviceProfile, mode: CalibrationMode, warmK: number, seed: number): Calibration {
  if (mode !== 'near' && mode !== 'far') throw new GeometryError('PARAMS', 'There is a near and a far mode.')
  const random = seededRandom(seed)
  const heights = mode === 'near' ? [0.15, 0.35, 0.5] : [0.5, 0.7, 0.9]
  const tilts = [
    [0, 0],
    [0.35, 0],
    [-0.35, 0],
    [0, 0.35],
    [0, -0.35],
  ] as const
  const half = device.windowMm / 2
  const rows: number[][] = [],
    off: number[][] = []
  for (const h of heights)
    for (const [tx, ty] of tilts) {
      const depth = device.nearMm + h * (device.farMm - device.nearMm)
      for (let i = 0; i < MARKS; i++)
        for (let j = 0; j < MARKS; j++) {
          const x = ((i / (MARKS - 1)) * 2 - 1) * half * 0.6,
            y = ((j / (MARKS - 1)) * 2 - 1) * half * 0.6
          const c = depth + tx * x + ty * y
          const [ma, mb, mc] = driftPoint(device, warmK, x, y, c)
          const sigma = rangeNoiseMm(device, c) / Math.sqrt(PIXELS_PER_MARK)
          const e = [
            ma - x + sigma * random.gaussian(),
            mb - y + sigma * random.gaussian(),
            mc - c + sigma * random.gaussian(),
          ]
          const r2 = ((x * device.standOffMm) / c / half) ** 2 + ((y * device.standOffMm) / c / half) ** 2
          rows.push([x, 0], [y, 0], [c - device.standOffMm, r2])
          off.push([e[0]], [e[1]], [e[2]])
        }
    }
  const a = new Matrix(rows),
    b = new Matrix(off)
  const fit = solve(a, b, true)
  const left = Matrix.sub(b, a.mmul(fit))
  const residualMm = Math.sqrt(left.to1DArray().reduce((s, v) => s + v * v, 0) / left.rows)
  const expected = rangeNoiseMm(device, device.farMm) / Math.sqrt(PIXELS_PER_MARK)
  return {
    mode,
    views: heights.length * tilts.length,
    scalePpm: fit.get(0, 0) * 1e6,
    bowMm: fit.get(1, 0),
    residualMm,
    verdict: residualMm > 4 * expected ? 'unsound' : residualMm > 2 * expected ? 'doubtful' : 'sound',
  }
}

export interface Acceptance {
  /** VDI/VDE 2634 part 2: probing error of form and of size, sphere spacing error, flatness error; mm. */
  readonly formMm: number
  readonly sizeMm: number
  readonly spacingMm: number
  readonly flatnessMm: number
  readonly limitMm: number
  readonly verdict: 'sound' | 'doubtful' | 'unsound'
}

/** Share of points that may be left out of a form or flatness error as outliers. */
const OUTLIERS = 0.003
const SPHERE_POINTS = 1500

/**
 * Acceptance test on artefacts known in size: a ball in ten places of the measuring volume (form and size), a bar with
 * two balls (spacing), a flat (flatness); after VDI/VDE 2634 part 2. Form and flatness are the range of distances to
 * the least-squares element, a few per mille of outliers left out; size and spacing the signed error of the largest.
 * The limit is the device's stated accuracy, for form and flatness three times it (from memory).
 * @param warmK temperature since calibration
 */
export function acceptanceTest(device: DeviceProfile, warmK: number, seed: number): Acceptance {
  const random = seededRandom(seed)
  const half = device.windowMm / 2
  const depth = (device.farMm - device.nearMm) / 2
  const radius = Math.min(half, depth) * 0.28
  let formMm = 0,
    sizeMm = 0
  const ball = (x: number, y: number, z: number): ReturnType<typeof fitSphere> =>
    fitSphere(measureBall(device, warmK, random, x, y, z, radius))
  for (let k = 0; k < 10; k++) {
    const place = [0, 1, 2].map((c) => (random.next() * 2 - 1) * (c < 2 ? half * 0.5 : depth * 0.5)) as [
      number,
      number,
      number,
    ]
    const fit = ball(place[0], place[1], device.standOffMm + place[2])
    formMm = Math.max(formMm, spread(fit.residuals))
    const e = 2 * (fit.radiusMm - radius)
    if (Math.abs(e) > Math.abs(sizeMm)) sizeMm = e
  }
  let spacingMm = 0
  const bar = half * 0.9
  for (let k = 0; k < 7; k++) {
    const angle = (k * Math.PI) / 7,
      dx = (Math.cos(angle) * bar) / 2,
      dy = (Math.sin(angle) * bar) / 2,
      dz = k % 2 ? depth * 0.3 : 0
    const a = ball(dx, dy, device.standOffMm + dz).centre,
      b = ball(-dx, -dy, device.standOffMm - dz).centre
    const e = Math.hypot(a[0] - b[0], a[1] - b[1], a[2] - b[2]) - Math.hypot(2 * dx, 2 * dy, 2 * dz)
    if (Math.abs(e) > Math.abs(spacingMm)) spacingMm = e
  }
  let flatnessMm = 0
  for (let k = 0; k < 6; k++) {
    const tx = (random.next() - 0.5) * 0.8,
      ty = (random.next() - 0.5) * 0.8
    const points: number[] = []
    for (let i = 0; i < SPHERE_POINTS; i++) {
      const x = (random.next() * 2 - 1) * half * 0.7,
        y = (random.next() * 2 - 1) * half * 0.7
      points.push(...measure(device, warmK, random, x, y, device.standOffMm + tx * x * 0.5 + ty * y * 0.5))
    }
    flatnessMm = Math.max(flatnessMm, spread(fitPlane(points).residuals))
  }
  const limitMm = device.accuracyMm
  const worst = Math.max(
    formMm / (3 * limitMm),
    Math.abs(sizeMm) / limitMm,
    Math.abs(spacingMm) / limitMm,
    flatnessMm / (3 * limitMm),
  )
  return {
    formMm,
    sizeMm,
    spacingMm,
    flatnessMm,
    limitMm,
    verdict: worst > 1 ? 'unsound' : worst > 0.8 ? 'doubtful' : 'sound',
  }
}

/** Range between the outermost residuals when the outermost few per mille are left out. */
function spread(residuals: Float64Array): number {
  const r = Float64Array.from(residuals).sort()
  const k = Math.ceil((r.length * OUTLIERS) / 2)
  return r[r.length - 1 - k] - r[k]
}

/** A device fits every point to its neighbours before it judges form: noise of so many pixels together. */
const SMOOTHED = 9

function measure(
  device: DeviceProfile,
  warmK: number,
  random: { gaussian(): number },
  x: number,
  y: number,
  z: number,
): [number, number, number] {
  const [a, b, c] = driftPoint(device, warmK, x, y, z)
  const n = (rangeNoiseMm(device, z) / Math.sqrt(SMOOTHED)) * random.gaussian()
  const l = Math.hypot(x, y, z)
  return [a + (n * x) / l, b + (n * y) / l, c + (n * z) / l]
}

function measureBall(
  device: DeviceProfile,
  warmK: number,
  random: { next(): number; gaussian(): number },
  x: number,
  y: number,
  z: number,
  radius: number,
): number[] {
  const out: number[] = []
  while (out.length < SPHERE_POINTS * 3) {
    // The half that faces the device, as far as it can see.
    const u = 1 - random.next() * (1 - Math.cos(1.1)),
      a = random.next() * 2 * Math.PI,
      s = Math.sqrt(1 - u * u)
    out.push(
      ...measure(device, warmK, random, x + radius * s * Math.cos(a), y + radius * s * Math.sin(a), z - radius * u),
    )
  }
  return out
}
