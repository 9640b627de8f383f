import { invertRigid } from '../../linear/rigid'
import type { Described } from './describe'
import { matchCoarse, type Candidate } from './match'

/** Candidates between takes, worked out when first asked for: placing and judging ask for the same pairs, and after every second thought again. */
export class CoarseMatches {
  private readonly made = new Map<number, Candidate[]>()

  constructor(private readonly takes: readonly Described[]) {}

  /** Poses a → b, the best first. */
  between(a: number, b: number): Candidate[] {
    if (a > b) return this.between(b, a).map((c) => ({ ...c, motion: invertRigid(c.motion) }))
    const key = a * this.takes.length + b
    const found = this.made.get(key) ?? matchCoarse(this.takes[a]!, this.takes[b]!)
    this.made.set(key, found)
    return found
  }
}
