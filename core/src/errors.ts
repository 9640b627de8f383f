/** What went wrong, for programs; the message is for people. */
export type GeometryErrorCode =
  | 'SHAPE'
  | 'NOT_FINITE'
  | 'DEGENERATE'
  | 'RANGE'
  | 'FORMAT'
  | 'TRUNCATED'
  | 'EMPTY'
  | 'NO_OVERLAP'
  | 'MEMORY'
  | 'PARAMS'
  | 'CANCELLED'
  | 'DAMAGED'
  | 'CONFLICT'

/**
 * The one error of the computation. `message` is a sentence a person at the bench can act on:
 * what was found, where, and what would be accepted.
 */
export class GeometryError extends Error {
  override readonly name = 'GeometryError'
  constructor(
    readonly code: GeometryErrorCode,
    message: string,
    readonly detail: Readonly<Record<string, number | string>> = {},
  ) {
    super(message)
  }
}

/** Whether this is a refusal in words: by name, as it may come from another thread. */
export function isGeometryError(error: unknown): error is GeometryError {
  return error instanceof Error && error.name === 'GeometryError'
}
