'use client'
import { wrap, type Remote } from 'comlink'
import { useEffect } from 'react'
import type { LiveMatch, LiveMatchRequest, MatchWorker } from '@/workers/match.worker'
import { useNewest } from './use-newest'

let matching: Remote<MatchWorker> | undefined
const worker = (): Remote<MatchWorker> =>
  (matching ??= wrap<MatchWorker>(
    new Worker(new URL('../workers/match.worker.ts', import.meta.url), { type: 'module' }),
  ))

export type LiveAnswer = { readonly asked: LiveMatchRequest; readonly found: LiveMatch | { readonly error: string } }
const ask = async (asked: LiveMatchRequest): Promise<LiveAnswer> => ({
  asked,
  found: await worker()
    .match(asked)
    .catch((error: Error) => ({ error: error.message })),
})

/**
 * How two takes would lie by the picks and a fine match in the page; the takes are read while the hand still picks.
 * Null until it is known.
 */
export function useLiveMatch(source: string, target: string, start: number[][] | null): LiveAnswer['found'] | null {
  useEffect(() => {
    // What can't be read is said when it is matched.
    void worker()
      .prepare([source, target])
      .catch(() => undefined)
  }, [source, target])
  const request = start ? { source, target, start } : null
  const answer = useNewest(request, ask)
  // An answer to older picks is none.
  return answer && JSON.stringify(answer.asked) === JSON.stringify(request) ? answer.found : null
}
