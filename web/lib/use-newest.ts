'use client'
import { useEffect, useRef, useState } from 'react'

/** The newest answer to a request that keeps changing: one at a time, older ones are skipped. */
export function useNewest<Q, A>(request: Q | null, ask: (request: Q) => Promise<A>): A | null {
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
