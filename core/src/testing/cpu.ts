/**
 * Runs work and gives its result and the processor seconds this process took meanwhile, whatever else the machine does.
 * For tests that something ends at all, not for timings.
 */
export async function cpuSecondsOf<T>(work: () => Promise<T>): Promise<{ result: T; cpuSeconds: number }> {
  const before = process.cpuUsage()
  const result = await work()
  const { user, system } = process.cpuUsage(before)
  return { result, cpuSeconds: (user + system) / 1e6 }
}
