import type { KernelArray } from '../context'
import { histogramsKernel } from '../align/coarse/describe'
import { matchPairsKernel } from '../align/coarse/match-pairs'
import { jointPairsKernel } from '../align/joint-gather'
import { prepareKernel } from '../align/prepare-takes'
import { featureKernel } from '../cloud/normals'
import { meanDistanceKernel } from '../cloud/outliers'
import type { Part } from '../spatial/neighbourhoods'

/**
 * A loop that can be shared out: it reads and writes arrays, each share other places of them. `tick` hears how many
 * items are done, and throws to stop.
 */
export type Kernel = (
  arrays: Readonly<Record<string, KernelArray>>,
  params: Readonly<Record<string, number>>,
  part: Part,
  tick: (done: number) => void,
) => void

/** @throws for a name that is no kernel */
export function kernelNamed(name: string): Kernel {
  const kernel: Kernel | undefined = (
    {
      features: featureKernel,
      meanDistances: meanDistanceKernel,
      prepareTakes: prepareKernel,
      histograms: histogramsKernel,
      matchPairs: matchPairsKernel,
      jointPairs: jointPairsKernel,
    } as Record<string, Kernel>
  )[name]
  if (!kernel) throw new Error(`no kernel is called ${name}`)
  return kernel
}
