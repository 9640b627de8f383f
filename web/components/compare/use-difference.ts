'use client'
import { useEffect, useState } from 'react'
import { geometry } from '@/lib/geometry'
import type { LaidShape } from '@/lib/comparison'

export interface Difference {
  /** A distance for each point that is drawn, one list a shape, mm. */
  readonly each: readonly Float32Array[]
  /** Whether outside and inside are told apart. */
  readonly signed: boolean
  readonly meanMm: number
  readonly p95Mm: number
  readonly maxMm: number
}

/** How far some shapes lie from others; null until it is measured, or where nothing is asked. */
export function useDifference(of: readonly LaidShape[] | null, from: readonly LaidShape[]): Difference | null {
  const [found, setFound] = useState<{ key: string; difference: Difference } | null>(null)
  const key = of ? JSON.stringify([of, from].map((list) => list.map(({ hash, rows }) => [hash, rows]))) : ''
  useEffect(() => {
    let current = true
    if (of && of.length > 0 && from.length > 0) {
      const plain = (list: readonly LaidShape[]) => list.map(({ hash, rows }) => ({ hash, rows }))
      geometry(of[0].hash)
        .differ(plain(of), plain(from))
        .then(
          (difference) => current && setFound({ key, difference }),
          () => undefined,
        )
    }
    return () => {
      current = false
    }
    // eslint-disable-next-line react-hooks/exhaustive-deps -- the key says it all
  }, [key])
  return found && found.key === key ? found.difference : null
}
