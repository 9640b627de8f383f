'use client'
import { wrap, type Remote } from 'comlink'
import type { Restart } from '@holosoma/core/plan'
import type { BenchWorker, LiveRequest, LiveView, RestartRequest } from '@/workers/bench.worker'
import { useNewest } from './use-newest'

let bench: Remote<BenchWorker> | undefined
const worker = (): Remote<BenchWorker> =>
  (bench ??= wrap<BenchWorker>(new Worker(new URL('../workers/bench.worker.ts', import.meta.url), { type: 'module' })))

const look = (r: LiveRequest): Promise<LiveView | { error: string }> => worker().look(r)
const restart = (r: RestartRequest): Promise<Restart | null> => worker().restart(r)

/** The device's view as light, distance and take change. */
export const useLiveView = (request: LiveRequest | null): LiveView | { error: string } | null =>
  useNewest(request, look)

/** Where a take begins after the piece was turned. */
export const useRestart = (request: RestartRequest | null): Restart | null => useNewest(request, restart)
