'use client'
import { wrap, type Remote } from 'comlink'
import { useEffect, useRef, useState } from 'react'
import type { BenchWorker, LiveRequest, LiveView } from '@/workers/bench.worker'

let bench: Remote<BenchWorker> | undefined
const worker = (): Remote<BenchWorker> => (bench ??= wrap<BenchWorker>(new Worker(new URL('../workers/bench.worker.ts', import.meta.url), { type: 'module' })))

/** The device's view as light, distance and take change; always the newest, one look at a time. */
export function useLiveView(request: LiveRequest | null): LiveView | { error: string } | null {
  const [live, setLive] = useState<LiveView | { error: string } | null>(null)
  const latest = useRef<LiveRequest | null>(null)
  const running = useRef(false)
  const key = JSON.stringify(request)
  useEffect(() => {
    latest.current = request
    if (!request || running.current) return
    running.current = true
    void (async () => {
      try {
        for (let asked: LiveRequest | null = null; latest.current && asked !== latest.current;) {
          asked = latest.current
          setLive(await worker().look(asked))
        }
      } finally {
        running.current = false
      }
    })()
    // eslint-disable-next-line react-hooks/exhaustive-deps -- the key says it all
  }, [key])
  return request ? live : null
}
