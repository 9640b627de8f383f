export type Verdict = 'sound' | 'doubtful' | 'unsound'

/** One figure behind a finding. */
export interface Figure {
  readonly label: string
  readonly value: number | string
  readonly unit?: string
  readonly verdict?: Verdict
  /** The rule behind it, shown on demand. */
  readonly rule?: string
}

/** What a step ends in: a sentence, the figures behind it, a verdict, where it is, and the best next move. */
export interface Finding {
  readonly id: string
  readonly verdict: Verdict
  /** What is, why it matters, in the words of the bench. */
  readonly text: string
  readonly figures?: readonly Figure[]
  readonly nextMove?: string
}

const ORDER: readonly Verdict[] = ['sound', 'doubtful', 'unsound']

/** The worst verdict of all; sound where nothing is said. */
export function worst(findings: readonly Pick<Finding, 'verdict'>[]): Verdict {
  return findings.reduce<Verdict>((w, f) => (ORDER.indexOf(f.verdict) > ORDER.indexOf(w) ? f.verdict : w), 'sound')
}

/** Millimetres as text. */
/** A length in the unit that fits it: what would round to nothing is told in µm. */
export const mm = (v: number, digits = 2): string =>
  v !== 0 && Math.abs(v) < 10 ** -digits ? `${Number((v * 1000).toPrecision(2))} µm` : `${v.toFixed(digits)} mm`

/** Three digits that count; larger numbers whole. */
const threeDigits = (v: number): number => (Math.abs(v) >= 100 ? Math.round(v) : Number(v.toPrecision(3)))

/** An area in the unit that fits it; mm² for what is smaller than a fingernail. */
export const areaText = (mm2: number): string =>
  Math.abs(mm2) < 100
    ? `${threeDigits(mm2)} mm²`
    : Math.abs(mm2) < 1e6
      ? `${threeDigits(mm2 / 100)} cm²`
      : `${threeDigits(mm2 / 1e6)} m²`

/** A volume in the unit that fits it. */
export const volumeText = (mm3: number): string =>
  Math.abs(mm3) < 1000
    ? `${threeDigits(mm3)} mm³`
    : Math.abs(mm3) < 1e7
      ? `${(mm3 / 1000).toFixed(1)} cm³`
      : `${(mm3 / 1e6).toFixed(2)} dm³`
/** A share 0 to 1 as text. */
export const percent = (v: number, digits = 1): string => `${(v * 100).toFixed(digits)} %`
/** With a capital, as a sentence begins. */
export const capital = (s: string): string => s.charAt(0).toUpperCase() + s.slice(1)
/** A whole number with its thousands set apart. */
export const grouped = (v: number): string => Math.round(v).toLocaleString('en')

/** A size of a file: kB under a megabyte (10⁶). */
export const bytesText = (bytes: number): string =>
  bytes < 1e6 ? `${Number((bytes / 1e3).toPrecision(3))} kB` : `${Number((bytes / 1e6).toPrecision(3))} MB`
