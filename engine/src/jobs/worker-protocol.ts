import type { TimedDraft } from './recipe'

/** What the shared flag says to the thread that computes. */
export const ASKED = { none: 0, cancel: 1, pause: 2, stop: 3 } as const

/** What the thread tells the process that holds the job. */
export type FromThread =
  | { type: 'progress'; fraction: number; note: string }
  | { type: 'expected'; seconds: number }
  /** A process that reads a foreign file for this job has begun; 0: it has ended. */
  | { type: 'reader'; pid: number }
  | { type: 'done'; steps: readonly TimedDraft[] }
  | { type: 'failed'; code: string; message: string }
