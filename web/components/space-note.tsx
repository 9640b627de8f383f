'use client'
import { useEffect, useState } from 'react'
import type { Space } from '@holosoma/engine'
import { api } from '@/lib/api'
import { megabytes } from '@/lib/format'

/** Less room than this is told wherever one works, bytes. */
const LOW_BYTES = 2e9
const ASK_MS = 60_000

/** What the house holds and what is free; with `quiet`, only when room runs out. */
export function SpaceNote({ quiet = false }: { quiet?: boolean }) {
  const [space, setSpace] = useState<Space | null>(null)
  useEffect(() => {
    const ask = (): void =>
      void api.house().then(
        (h) => setSpace(h.space),
        () => undefined,
      )
    ask()
    const timer = setInterval(ask, ASK_MS)
    return () => clearInterval(timer)
  }, [])
  if (!space) return null
  const low = space.roomBytes !== null && space.roomBytes < LOW_BYTES
  if (low) {
    return (
      <p
        role="alert"
        data-testid="low-space"
        className="rounded-md border border-ochre/60 bg-card px-3 py-1.5 text-[13px]"
      >
        Room runs out: {megabytes(space.roomBytes)} can still be written where the database lies. Free some space before
        you go on; what is saved is safe.
      </p>
    )
  }
  if (quiet) return null
  return (
    <p data-testid="space" className="figure text-[12.5px] text-graphite">
      {megabytes(space.usedBytes)} kept here
      {space.roomBytes !== null && `, room for ${megabytes(space.roomBytes)} more`}
    </p>
  )
}
