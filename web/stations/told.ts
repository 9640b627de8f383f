import type { Finding, Verdict } from '@holosoma/core/findings'
import type { JobRecord, PieceState } from '@holosoma/engine'
import type { Station } from '@/lib/station-names'

/** What a piece waits for, in a sentence and a button's words. */
export interface Move {
  readonly text: string
  readonly move: string
}

/** What a station says by itself. */
export interface Own {
  readonly findings: readonly Finding[]
  /** false: nobody has looked yet, so that there is no verdict. */
  readonly looked: boolean
}

/** What a station comes to, with what the brief asks of it and what it inherits. */
export interface Judgement {
  /** null: not reached, or reached and not looked at yet. */
  readonly verdict: Verdict | null
  /** Own findings first, then what the brief asks and is not so, then what is inherited. */
  readonly findings: readonly Finding[]
}

/** What a station says of a piece: asked by the route, its card, the shelf and the report alike. Holds no drawing. */
export interface StationTold {
  /** null while the station has not been reached. */
  own(state: PieceState): Own | null
  /** The one figure that matters, short; '' for none. */
  figure(state: PieceState): string
  /** What the piece waits for here; null when it waits for something else. Stations are asked in the order of work. */
  waitsFor(state: PieceState, judged: (station: Station) => Judgement): Move | null
  /** Whether a job is work of this station. */
  works(job: JobRecord): boolean
  /** Set where later stations rest on this one and inherit its doubt: what it is called there. */
  readonly foundation?: string
  /** What of its own findings goes on to them. @defaultValue all, and what the brief asks and is not so */
  handsOn?(own: Own): readonly Finding[]
}

export const looked = (findings: readonly Finding[]): Own => ({ findings, looked: true })

/** Takes that have come. */
export const takesOf = (state: PieceState): PieceState['takes'] => state.takes.filter((t) => t.shape)

export const operationOf = (job: JobRecord): string => (job.request.kind === 'operation' ? job.request.operation : '')

/** The first of the worst findings, which speaks for all. */
export const speaks = ({ findings, verdict }: Judgement): string | undefined =>
  findings.find((f) => f.verdict === verdict)?.text
