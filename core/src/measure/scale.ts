import { GeometryError } from '../errors'

/** One calliper reading between two picked points. */
export interface DistancePair {
  readonly from: readonly [number, number, number]
  readonly to: readonly [number, number, number]
  readonly readingMm: number
  /** Standard uncertainty of the reading, mm. */
  readonly uncertaintyMm: number
}

export interface ScaleFit {
  /** Reading over mesh. */
  readonly factor: number
  /** Standard uncertainty of the factor. */
  readonly uncertainty: number
  /** Half width of the 95 % interval. */
  readonly halfWidth95: number
  /** reading − factor·mesh distance, mm, per pair. */
  readonly residualMm: readonly number[]
  readonly meshMm: readonly number[]
  readonly unitSlip: UnitSlip | null
}

export interface UnitSlip {
  readonly factor: number
  readonly text: string
}

export interface ScaleOptions {
  /** Standard uncertainty of one picked point along the distance, mm. @defaultValue 0.05 */
  readonly pickMm?: number
  /** Error common to all readings of the instrument, mm. @defaultValue 0 */
  readonly commonMm?: number
}

export const SCALE_DEFAULTS = { pickMm: 0.05, commonMm: 0 } as const

const SLIPS: readonly UnitSlip[] = [
  { factor: 1000, text: 'the file looks as if it were in metres, read as millimetres (× 1000)' },
  { factor: 0.001, text: 'the file looks a thousand times too big (÷ 1000)' },
  { factor: 25.4, text: 'the file looks as if it were in inches, read as millimetres (× 25.4)' },
  { factor: 1 / 25.4, text: 'the file looks as if millimetres had been taken for inches (÷ 25.4)' },
  { factor: 10, text: 'the file looks as if it were in centimetres, read as millimetres (× 10)' },
  { factor: 0.1, text: 'the file looks ten times too big (÷ 10)' },
]
const SLIP_TOLERANCE = 0.06

/** The unit slip a factor points to, or null. */
export function unitSlip(factor: number): UnitSlip | null {
  return SLIPS.find((s) => Math.abs(factor / s.factor - 1) < SLIP_TOLERANCE) ?? null
}

/** No scanner that was calibrated is off by more than this (common practice). */
const FAR_FACTOR = 1.25

/**
 * Why a scale should be asked about before it is used: it points to a slip of the unit, or it is far from one and rests
 * on a single reading, which can't tell a wrong pick from a file without a unit. Null: nothing speaks against it.
 */
export function scaleDoubt(factor: number, readings: number): string | null {
  const slip = unitSlip(factor)
  if (slip) return slip.text
  if (readings > 1 || Math.max(factor, 1 / factor) <= FAR_FACTOR) return null
  return (
    'no scanner is off by so much, and one reading alone cannot tell a wrong pick from a file ' +
    'without a unit; add a second reading'
  )
}

/**
 * Scale from calliper distances, weighted least squares through zero:
 * k = Σ(mᵢdᵢ/σᵢ²)/Σ(dᵢ²/σᵢ²), σᵢ² = u²(mᵢ) + k²u²(dᵢ), u²(dᵢ) = 2·pick²; the instrument's common error is added in
 * quadrature.
 * The variance follows JCGM 100:2008 (law of propagation); k in σ is found by three rounds.
 */
export function fitScale(pairs: readonly DistancePair[], options: ScaleOptions = {}): ScaleFit {
  if (pairs.length === 0) throw new GeometryError('PARAMS', 'Scaling needs at least one distance.')
  const pick = options.pickMm ?? SCALE_DEFAULTS.pickMm
  const common = options.commonMm ?? SCALE_DEFAULTS.commonMm
  const d = pairs.map((p, i) => {
    const length = Math.hypot(p.from[0] - p.to[0], p.from[1] - p.to[1], p.from[2] - p.to[2])
    if (!(length > 0)) throw new GeometryError('DEGENERATE', `Distance ${i + 1} begins and ends at the same point.`)
    if (!(p.readingMm > 0))
      throw new GeometryError(
        'PARAMS',
        `The reading of distance ${i + 1} must be larger than 0 mm, not ${p.readingMm}.`,
      )
    if (!(p.uncertaintyMm >= 0))
      throw new GeometryError('PARAMS', `The uncertainty of distance ${i + 1} must be 0 mm or more.`)
    return length
  })
  let k = pairs.reduce((s, p, i) => s + p.readingMm * d[i], 0) / d.reduce((s, v) => s + v * v, 0)
  let information = 0
  for (let round = 0; round < 3; round++) {
    let top = 0
    information = 0
    pairs.forEach((p, i) => {
      const variance = Math.max(p.uncertaintyMm ** 2 + 2 * (k * pick) ** 2, 1e-18)
      top += (p.readingMm * d[i]) / variance
      information += (d[i] * d[i]) / variance
    })
    k = top / information
  }
  // The common error shifts all readings alike: its effect on k is Σ(wᵢdᵢ)/Σ(wᵢdᵢ²).
  const shift =
    pairs.reduce((s, p, i) => s + d[i] / Math.max(p.uncertaintyMm ** 2 + 2 * (k * pick) ** 2, 1e-18), 0) / information
  const uncertainty = Math.sqrt(1 / information + (common * shift) ** 2)
  return {
    factor: k,
    uncertainty,
    halfWidth95: 1.959964 * uncertainty,
    residualMm: pairs.map((p, i) => p.readingMm - k * d[i]),
    meshMm: d,
    unitSlip: unitSlip(k),
  }
}

/**
 * Smaller than this the numbers can't be millimetres, larger they can't be either: from 5 mm to a person with what
 * stands about them.
 */
const MAX_METRES = 3
const MAX_MM = 20_000

/** Guess of a file's unit from the size of what is in it; the reason is told, the person decides. */
export function guessUnit(sizeInFile: number): { unit: 'mm' | 'cm' | 'm' | 'in' | 'µm'; reason: string } {
  const size = Number(sizeInFile.toPrecision(3))
  if (sizeInFile < MAX_METRES)
    return {
      unit: 'm',
      reason:
        `all points together reach over ${size}, which as millimetres would be a crumb: the numbers ` +
        'look like metres',
    }
  if (sizeInFile > MAX_MM) {
    return {
      unit: 'µm',
      reason:
        `all points together reach over ${size}; as millimetres that would be ` +
        `${(size / 1000).toFixed(0)} m, far beyond what stands on a bench: the numbers look a ` +
        'thousand times too big, as if they were micrometres',
    }
  }
  return {
    unit: 'mm',
    reason:
      `all points together, with whatever stands about the piece, reach over ${size}, a usual size ` + 'in millimetres',
  }
}

export const UNIT_MM = { mm: 1, cm: 10, m: 1000, in: 25.4 } as const
/** Factors that bring a guessed unit to millimetres, unlike units that are offered for files. */
export const GUESS_MM: Readonly<Record<ReturnType<typeof guessUnit>['unit'], number>> = { ...UNIT_MM, µm: 0.001 }
export type Unit = keyof typeof UNIT_MM
export const UNIT_WORDS: Readonly<Record<Unit, string>> = {
  mm: 'millimetres',
  cm: 'centimetres',
  m: 'metres',
  in: 'inches',
}
