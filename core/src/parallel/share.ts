import { checkpoint, type RunContext } from '../context'
import { WHOLE } from './part'
import type { Kernel } from './kernel'

/** Fewer points than this are not worth starting threads for. */
const MIN = 150_000

/** Whether a loop over so many items is shared out. */
export const isShared = (context: RunContext, items: number, least = MIN): boolean =>
  !!context.parallel && context.parallel.threads > 1 && items >= least

/** Runs a kernel on all threads. @param input in shared memory, see `inShared` */
export const runShared = <Input>(
  kernel: Kernel<Input>,
  input: Input,
  items: number,
  context: RunContext,
  note: string,
): Promise<void> => context.parallel!.run(kernel.name, input, items, context, note)

/** Runs a kernel on all threads, or here. The bytes are the same. */
export async function runKernel<Input>(
  kernel: Kernel<Input>,
  input: Input,
  items: number,
  context: RunContext,
  note: string,
): Promise<void> {
  if (isShared(context, items)) return runShared(kernel, input, items, context, note)
  kernel.loop(input, WHOLE, (done) => checkpoint(context, done, items, note))
}
