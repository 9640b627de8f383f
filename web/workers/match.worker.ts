import { expose } from 'comlink'
import { isGeometryError, motionFromRows, motionRows, quietContext, type PointCloud } from '@holosoma/core'
import { matchFine, prepareCloud, type OrientedCloud, measureOverlap } from '@holosoma/core/align'
import { fetchShape } from './fetch-shape'

export interface LiveMatchRequest {
  readonly source: string
  readonly target: string
  /** source → target, as the picks say. */
  readonly start: number[][]
}

export interface LiveMatch {
  /** source → target */
  readonly rows: number[][]
  readonly share: number
  readonly rmsMm: number
  /** What the points' own scatter explains, mm. */
  readonly expectedMm: number
}

/** Takes kept ready; one of a million points is about 60 MB. */
const KEPT = 4
const ready = new Map<string, Promise<OrientedCloud>>()

function prepared(hash: string): Promise<OrientedCloud> {
  const made =
    ready.get(hash) ??
    fetchShape(hash, 'whole').then((shape) => {
      const take = prepareCloud(shape as PointCloud, quietContext())
      // Both sides ask for it: matching the one, measuring the other.
      void take.tree
      return take
    })
  ready.delete(hash)
  ready.set(hash, made)
  made.catch(() => ready.delete(hash))
  if (ready.size > KEPT) ready.delete(ready.keys().next().value!)
  return made
}

const worker = {
  /** Reads takes before the hand has picked on them. */
  async prepare(hashes: readonly string[]): Promise<void> {
    for (const hash of hashes) await prepared(hash)
  },
  /** A fine match of the whole takes from the picks, for telling how it would lie. */
  async match({ source, target, start }: LiveMatchRequest): Promise<LiveMatch | { error: string }> {
    try {
      const [s, t] = [await prepared(source), await prepared(target)]
      const { motion } = matchFine(s, t, motionFromRows(start, 'picks'), { upTo: 'fifth' }, quietContext())
      const { share, rmsMm, expectedMm } = measureOverlap(s, t, motion)
      return { rows: motionRows(motion), share, rmsMm, expectedMm }
    } catch (error) {
      if (isGeometryError(error)) return { error: error.message }
      throw error
    }
  },
}

export type MatchWorker = typeof worker
expose(worker)
