'use client'
import { useEffect, useState } from 'react'
import { geometry } from '@/lib/geometry'
import type { DrawData } from '@/workers/geometry.worker'

/** Draw data of the given shapes as they arrive; what is no longer asked for is let go. */
export function useDrawData(hashes: readonly string[]): ReadonlyMap<string, DrawData> {
  const [data, setData] = useState<ReadonlyMap<string, DrawData>>(new Map())
  const key = [...new Set(hashes)].sort().join()
  useEffect(() => {
    let current = true
    const wanted = key === '' ? [] : key.split(',')
    setData((old) => new Map([...old].filter(([h]) => wanted.includes(h))))
    for (const hash of wanted) {
      geometry(hash)
        .draw(hash)
        .then(
          (d) => {
            if (current) setData((old) => (old.has(hash) ? old : new Map([...old, [hash, d]])))
          },
          () => undefined,
        )
    }
    return () => {
      current = false
    }
  }, [key])
  return data
}
