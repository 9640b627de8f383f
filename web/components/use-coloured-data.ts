'use client'
import { useEffect, useState } from 'react'
import { geometry } from '@/lib/geometry'
import { useDesk } from '@/lib/store'
import type { DrawData } from '@/workers/geometry.worker'

/** A skin in its colours; null until it is here, or while it is not asked for. */
export function useColouredData(hash: string, asked: boolean): DrawData | null {
  const set = useDesk((d) => d.set)
  const [now, setNow] = useState<{ readonly hash: string; readonly data: DrawData } | null>(null)
  useEffect(() => {
    if (!asked || hash === '') return
    let current = true
    geometry(hash)
      .drawColoured(hash)
      .then(
        (data) => current && setNow({ hash, data }),
        (e: Error) => current && set({ error: e.message }),
      )
    return () => {
      current = false
    }
  }, [asked, hash, set])
  return asked && now?.hash === hash ? now.data : null
}
