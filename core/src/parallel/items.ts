/* Work in items of uneven size: every thread takes the next one that nobody has. */

/** A counter that threads share; one of its own where there is only one. */
export const itemCounter = (shared: boolean): Int32Array =>
  new Int32Array(shared ? new SharedArrayBuffer(4) : new ArrayBuffer(4))

/**
 * Takes items until none is left.
 * @param tick hears how many this thread has done, and throws to stop
 * @param work may call `pulse` now and then, so that a long item can be stopped
 */
export function eachItem(
  counter: Int32Array,
  count: number,
  tick: (done: number) => void,
  work: (item: number, pulse: () => void) => void,
): void {
  let done = 0
  for (;;) {
    const item = Atomics.add(counter, 0, 1)
    if (item >= count) return
    work(item, () => tick(done))
    tick(++done)
  }
}
