import type { RunContext } from '../../context'
import { invertRigid } from '../../linear/rigid'
import type { TakeFeatures } from './features'
import { matchCoarse } from './match'
import type { Candidate } from './judge-pose'
import { matchPairs } from './match-pairs'

/**
 * Candidates between takes, worked out when first asked for: placing and judging ask for the same pairs, and after
 * every second thought again.
 */
export class CoarseMatches {
  private readonly made = new Map<number, Candidate[]>()

  constructor(private readonly takes: readonly TakeFeatures[]) {}

  /** Works out many pairs ahead, several at a time where there are threads. */
  async prepare(pairs: readonly (readonly [number, number])[], context: RunContext): Promise<void> {
    const ahead = pairs
      .map(([a, b]): [number, number] => (a < b ? [a, b] : [b, a]))
      .filter(([a, b]) => !this.made.has(a * this.takes.length + b))
    const found = await matchPairs(this.takes, ahead, context)
    ahead.forEach(([a, b], i) => this.made.set(a * this.takes.length + b, found[i]))
  }

  /** Poses a → b, the best first. */
  between(a: number, b: number): Candidate[] {
    if (a > b) return this.between(b, a).map((c) => ({ ...c, motion: invertRigid(c.motion) }))
    const key = a * this.takes.length + b
    const found = this.made.get(key) ?? matchCoarse(this.takes[a], this.takes[b])
    this.made.set(key, found)
    return found
  }
}
