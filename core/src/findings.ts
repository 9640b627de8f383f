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
export const mm = (v: number, digits = 2): string => `${v.toFixed(digits)} mm`
/** A share 0 to 1 as text. */
export const percent = (v: number, digits = 1): string => `${(v * 100).toFixed(digits)} %`
/** With a capital, as a sentence begins. */
export const capital = (s: string): string => s.charAt(0).toUpperCase() + s.slice(1)
/** A whole number with its thousands set apart. */
export const grouped = (v: number): string => Math.round(v).toLocaleString('en')
