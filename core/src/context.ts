import { GeometryError } from './errors'
import { seededRandom, type Random } from './linear/random'
import type { PictureDecoder, PictureEncoder } from './pictures'
import type { Solids } from './solids'

/** Threads that share arrays. Kernels are named, so that a thread finds them without being handed code. */
export interface Parallel {
  readonly threads: number
  /**
   * Runs one share of a kernel on each thread.
   * @param input handed to each, its arrays in shared memory @param items counted for the progress
   * @throws CANCELLED when the context says so
   */
  run(
    kernel: string,
    input: unknown,
    items: number,
    context: Pick<RunContext, 'progress' | 'cancelled'>,
    note: string,
  ): Promise<void>
}

/**
 * What a host hands to a computation. The host owns the clock, throttles progress and decides what cancelling means;
 * both calls are cheap, so loops make them every thousand items or so.
 */
export interface RunContext {
  /** Fraction 0–1, never decreasing within one stage; `note` in the words of the bench. */
  progress(fraction: number, note: string): void
  cancelled(): boolean
  /** Asked to end with what there is: only takes can. */
  endEarly?(): boolean
  readonly random: Random
  /** Several threads for the heaviest loops, where the host has them. */
  readonly parallel?: Parallel
  /** Memory a computation may use, bytes; the host knows the machine. @defaultValue 2 GiB */
  readonly memoryBytes?: number
  /** Where the host can decode pictures. */
  readonly decodePicture?: PictureDecoder
  /** And encode them. */
  readonly encodePicture?: PictureEncoder
  /** Boolean operations on closed bodies, where the host has them. */
  readonly solids?: Solids
}

/** A context for callers that need neither progress nor cancel: tests and small calls. */
export function quietContext(seed = 1): RunContext {
  return { progress: () => undefined, cancelled: () => false, random: seededRandom(seed) }
}

/** A part of a longer run: its progress 0–1 is laid into [from, to] of the whole. */
export function stage(context: RunContext, from: number, to: number): RunContext {
  return {
    progress: (fraction, note) => context.progress(from + (to - from) * fraction, note),
    cancelled: () => context.cancelled(),
    random: context.random,
    ...(context.parallel && { parallel: context.parallel }),
    ...(context.endEarly && { endEarly: () => context.endEarly!() }),
    ...(context.memoryBytes !== undefined && { memoryBytes: context.memoryBytes }),
    ...(context.decodePicture && { decodePicture: context.decodePicture }),
    ...(context.encodePicture && { encodePicture: context.encodePicture }),
    ...(context.solids && { solids: context.solids }),
  }
}

/** Throws CANCELLED when the host asked to stop; otherwise reports how far the loop is. */
export function checkpoint(context: RunContext, done: number, total: number, note: string): void {
  if (context.cancelled()) throw new GeometryError('CANCELLED', 'Stopped at your request; nothing was changed.')
  context.progress(total > 0 ? Math.min(1, done / total) : 1, note)
}
