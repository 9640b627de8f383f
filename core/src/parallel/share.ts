import { checkpoint, type KernelArray, type RunContext } from '../context'
import { WHOLE } from './part'
import type { Kernel } from './kernel'

/** Fewer points than this are not worth starting threads for. */
const MIN = 150_000

/** Whether a loop over so many items is shared out. */
export const isShared = (context: RunContext, items: number, least = MIN): boolean =>
  !!context.parallel && context.parallel.threads > 1 && items >= least

/** Runs a kernel on all threads, or here. The bytes are the same. */
export async function runKernel(
  kernel: Kernel,
  arrays: Readonly<Record<string, KernelArray>>,
  params: Readonly<Record<string, number>>,
  items: number,
  context: RunContext,
  note: string,
): Promise<void> {
  if (isShared(context, items)) return context.parallel!.run(kernel.name, arrays, params, context, note)
  kernel.loop(arrays, params, WHOLE, (done) => checkpoint(context, done, items, note))
}
