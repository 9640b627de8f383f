'use client'
import { useEffect, useRef, useState } from 'react'
import { geometry } from '@/lib/geometry'
import { laidTakes, madeOf } from '@/lib/made-of'
import { useDesk } from '@/lib/store'
import type { OnSkin } from '@/workers/on-skin'

export interface FromTakesNow {
  readonly hash: string
  readonly found: OnSkin
  /** The same of the skin that was looked at before this one; null: none was. */
  readonly before: OnSkin | null
}

/** How far the skin lies from its takes, told anew as it changes; null while it is not known, or not asked for. */
export function useFromTakes(hash: string, asked: boolean): FromTakesNow | null {
  const state = useDesk((d) => d.state)
  const set = useDesk((d) => d.set)
  const [now, setNow] = useState<FromTakesNow | null>(null)
  const last = useRef<FromTakesNow | null>(null)
  const key = asked ? `${hash} ${state.join?.step.id ?? ''}` : ''
  useEffect(() => {
    if (key === '') return
    let current = true
    const { state: piece } = useDesk.getState()
    const made = madeOf(piece)
    if (!made) return
    geometry(hash)
      .fromTakes(hash, { takes: laidTakes(piece), up: made.up, scale: made.scale })
      .then(
        (found) => {
          if (!current) return
          if ('error' in found) return set({ error: found.error })
          const before = last.current && last.current.hash !== hash ? last.current.found : null
          last.current = { hash, found, before }
          setNow(last.current)
        },
        (e: Error) => current && set({ error: e.message }),
      )
    return () => {
      current = false
    }
  }, [key, hash, set])
  return asked && now?.hash === hash ? now : null
}
