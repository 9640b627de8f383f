'use client'
import { create } from 'zustand'
import type { Restart } from '@holosoma/core/plan'
import type { LiveView } from '@/workers/bench.worker'

/** What the hands do at the bench; the card sets it, the stage shows it. */
interface BenchDesk {
  /** Number of the planned take that is made ready, of its view, and of the exposure in a series. */
  readonly chosen: number
  readonly view: number
  readonly exposure: number
  readonly live: LiveView | { readonly error: string } | null
  /** Where to begin after a turn; null where there is nothing to go by. */
  readonly restart: Restart | null
  set(change: Partial<BenchDesk>): void
}

export const useBenchDesk = create<BenchDesk>()((set) => ({
  chosen: 0,
  view: 0,
  exposure: 0,
  live: null,
  restart: null,
  set: (change) => set(change),
}))
