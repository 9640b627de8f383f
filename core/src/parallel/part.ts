/** One of several equal shares of a loop. */
export interface Part {
  readonly index: number
  readonly of: number
}
export const WHOLE: Part = { index: 0, of: 1 }
