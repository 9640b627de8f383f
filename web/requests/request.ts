import type { Database, JobRequest, PieceState, TakeState, Track } from '@holosoma/engine'
import type { InputSource } from '@holosoma/core/operations'

/** What the page asks for: an operation by name, its parameters, and the take it means, where it means one. */
export interface Asked {
  readonly operation: string
  readonly params: Record<string, unknown>
  readonly takeId?: number
  readonly takeName?: string
  readonly pose?: string
  /** A skin that is to stand beside the one there is, not in its place. */
  readonly beside?: boolean
}

/** A job as it is handed to the queue. */
export interface Job {
  /** null: it begins a result of its own. */
  readonly track: Track | null
  readonly title: string
  readonly request: JobRequest
}

/** What an operation is to work on: stored shapes by their sources, and the takes among them, by whom they are. */
export interface Ground {
  /** Takes that hold something. */
  readonly ready: readonly TakeState[]
  /** The takes this operation works on, in the order in which it gets them. */
  readonly takes: readonly TakeState[]
}

/**
 * What a station knows of an operation beyond its declaration. Everything may be left out: then parameters are as they
 * were asked for, all takes go in, and the title is the operation's own.
 */
export interface Rule {
  /** Why it cannot be done now, in a sentence; null when it can. */
  readonly refuse?: (state: PieceState, ground: Ground, asked: Asked) => string | null
  /** Which takes go in, where the operation works on `takes`. */
  readonly takes?: (state: PieceState, ready: readonly TakeState[], asked: Asked) => readonly TakeState[]
  /** Parameters that follow from the piece, with those that were asked for. */
  readonly params?: (state: PieceState, ground: Ground, asked: Asked) => Record<string, unknown>
  readonly title?: (state: PieceState, ground: Ground, asked: Asked) => string
  /** Hashes of inputs that are not found in the usual place; undefined: the usual place. */
  readonly input?: (
    source: InputSource,
    state: PieceState,
    ground: Ground,
    asked: Asked,
  ) => string | readonly string[] | null | undefined
  /** Instead of all this: jobs that are more than one operation on what is stored. Gives the job's number. */
  readonly submit?: (db: Database, pieceId: number, state: PieceState, asked: Asked) => Promise<number>
}

export type Rules = Readonly<Record<string, Rule>>
