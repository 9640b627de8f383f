import { checkpoint, type RunContext } from '../../context'
import { eachItem, itemCounter } from '../../parallel/items'
import { defineKernel } from '../../parallel/kernel'
import { inShared, allocate } from '../../parallel/allocate'
import { isShared, runShared } from '../../parallel/share'
import { RangeImage } from '../../view/range-image'
import type { TakeFeatures } from './features'
import { matchCoarse, MAX_CANDIDATES } from './match'
import type { Candidate } from './judge-pose'

/** Motion, and the figures beside it. */
const ROW = 16 + 5
/** Fewer pairs than this are not worth starting threads for. */
const MIN_PAIRS = 3
const NOTE = 'Comparing shapes'

/** Candidates of each pair of takes, the best first; several pairs at a time where there are threads. */
export async function matchPairs(
  takes: readonly TakeFeatures[],
  pairs: readonly (readonly [number, number])[],
  context: RunContext,
): Promise<Candidate[][]> {
  if (!isShared(context, pairs.length, MIN_PAIRS))
    return pairs.map(([a, b], i) => {
      checkpoint(context, i, pairs.length, `${NOTE}, pair ${i + 1} of ${pairs.length}`)
      return matchCoarse(takes[a], takes[b])
    })
  const counts = allocate(Int32Array, pairs.length, true),
    rows = allocate(Float64Array, pairs.length * MAX_CANDIDATES * ROW, true)
  const input: PairsToMatch = { counter: itemCounter(true), takes: inShared(takes.map(plain)), pairs, counts, rows }
  await runShared(matchPairsKernel, input, pairs.length, context, NOTE)
  return pairs.map((_, i) =>
    Array.from({ length: counts[i] }, (_, k): Candidate => {
      const at = (i * MAX_CANDIDATES + k) * ROW
      const [share, fitting, inTheWay, rmsVoxels, score] = rows.subarray(at + 16, at + ROW) as unknown as [
        number,
        number,
        number,
        number,
        number,
      ]
      return { motion: rows.slice(at, at + 16), share, fitting, inTheWay, rmsVoxels, score }
    }),
  )
}

interface PairsToMatch {
  readonly counter: Int32Array
  readonly takes: readonly PlainFeatures[]
  readonly pairs: readonly (readonly [number, number])[]
  /** Candidates of each pair, and their rows. */
  readonly counts: Int32Array
  readonly rows: Float64Array
}

/** Candidates of one pair after the other. */
const matchPairsKernel = defineKernel('matchPairs', (input: PairsToMatch, _part, tick) => {
  const { counter, pairs, counts, rows } = input
  const takes = input.takes.map(revived)
  eachItem(counter, pairs.length, tick, (i) => {
    const found = matchCoarse(takes[pairs[i][0]], takes[pairs[i][1]])
    counts[i] = found.length
    found.forEach((c, k) => {
      const at = (i * MAX_CANDIDATES + k) * ROW
      rows.set(c.motion, at)
      rows.set([c.share, c.fitting, c.inTheWay, c.rmsVoxels, c.score], at + 16)
    })
  })
})

/** What threads can be handed of a take: its range images without their ways. */
type PlainFeatures = Omit<TakeFeatures, 'seen'> & {
  readonly seen: { readonly pixelMm: number; readonly images: readonly Pick<RangeImage, 'camera' | 'depth'>[] }
}
const plain = (take: TakeFeatures): PlainFeatures => ({
  ...take,
  seen: { ...take.seen, images: take.seen.images.map(({ camera, depth }) => ({ camera, depth })) },
})
const revived = (take: PlainFeatures): TakeFeatures => ({
  ...take,
  seen: { ...take.seen, images: take.seen.images.map(({ camera, depth }) => new RangeImage(camera, depth)) },
})
