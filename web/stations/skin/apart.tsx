'use client'
import { useEffect, useState } from 'react'
import { Plain } from '@/components/ui'
import { geometry } from '@/lib/geometry'
import { attempt, useDesk } from '@/lib/store'
import { laidTakes, madeUnsized } from '@/lib/made-of'

/** Where the takes do not agree, painted on the skin. */
export function Apart() {
  const state = useDesk((d) => d.state)
  const marked = useDesk((d) => d.skinMark)
  const set = useDesk((d) => d.set)
  const [looking, setLooking] = useState(false)
  useEffect(() => () => set({ skinMark: null }), [set])
  const first = state.mesh?.chain[0]
  const made = madeUnsized(state)
  const hash = state.mesh?.shape.hash ?? ''
  if (!made || !first?.findings.some((f) => f.id === 'skin.apart' && f.verdict !== 'sound')) return null
  const isShown = marked?.hash === hash
  const show = (): Promise<void> =>
    attempt(async () => {
      if (isShown) return set({ skinMark: null })
      setLooking(true)
      try {
        const mark = await geometry(hash).apart(hash, laidTakes(state), made.up, Number(first.figures.spacingMm))
        set({ skinMark: { hash, mark }, view: 'surface' })
      } finally {
        setLooking(false)
      }
    })
  return (
    <Plain className="my-2 w-full" disabled={looking} onClick={show}>
      {looking ? 'Looking where they lie apart…' : isShown ? 'Plain again' : 'Show where the takes lie apart'}
    </Plain>
  )
}
