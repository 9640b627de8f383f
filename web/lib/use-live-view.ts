'use client'
import { wrap, type Remote } from 'comlink'
import { useEffect, useRef, useState } from 'react'
import type { Restart } from '@holosoma/core/plan/restart'
import type { BenchWorker, LiveRequest, LiveView, RestartRequest } from '@/workers/bench.worker'

let bench: Remote<BenchWorker> | undefined
const worker = (): Remote<BenchWorker> => (bench ??= wrap<BenchWorker>(new Worker(new URL('../workers/bench.worker.ts', import.meta.url), { type: 'module' })))

/** The newest answer to a request that keeps changing: one at a time, older ones are skipped. */
function useNewest<Q, A>(request: Q | null, ask: (request: Q) => Promise<A>): A | null {
  const [answer, setAnswer] = useState<A | null>(null)
  const latest = useRef<Q | null>(null)
  const running = useRef(false)
  const key = JSON.stringify(request)
  useEffect(() => {
    latest.current = request
    if (!request || running.current) return
    running.current = true
    void (async () => {
      try {
        for (let asked: Q | null = null; latest.current && asked !== latest.current;) {
          asked = latest.current
          setAnswer(await ask(asked))
        }
      } finally {
        running.current = false
      }
    })()
    // eslint-disable-next-line react-hooks/exhaustive-deps -- the key says it all
  }, [key])
  return request ? answer : null
}

const look = (r: LiveRequest): Promise<LiveView | { error: string }> => worker().look(r)
const restart = (r: RestartRequest): Promise<Restart | null> => worker().restart(r)

/** The device's view as light, distance and take change. */
export const useLiveView = (request: LiveRequest | null): LiveView | { error: string } | null => useNewest(request, look)

/** Where a take begins after the piece was turned. */
export const useRestart = (request: RestartRequest | null): Restart | null => useNewest(request, restart)
