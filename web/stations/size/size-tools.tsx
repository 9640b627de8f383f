'use client'
import { useEffect } from 'react'
import { geometry } from '@/lib/geometry'
import { attemptInTurn, useDesk } from '@/lib/store'
import type { Ray } from '@/stage/stage'

/** Lays the two places that are measured between on the skin, and takes clicks while they are picked. */
export function SizeTools() {
  const hash = useDesk((d) => d.state.mesh?.shape.hash)
  const sizing = useDesk((d) => d.sizing)
  const points = useDesk((d) => d.sizePoints)
  const set = useDesk((d) => d.set)
  useEffect(() => {
    if (!hash) return
    const pick = (ray: Ray): Promise<void> =>
      attemptInTurn(async () => {
        const hit = await geometry(hash).pick(hash, ray.origin, ray.direction, ray.radiusMm)
        if (!hit) throw new Error('There is no surface under the click; click on the piece itself.')
        const next = [...useDesk.getState().sizePoints, { at: hit.at }].slice(-2)
        set({ sizePoints: next, sizing: next.length < 2 })
      })
    const pins = points.map((p, i) => ({ at: p.at, text: i === 0 ? 'A' : 'B', colour: '#23272B' }))
    set({ skinTools: { pins, onPick: sizing ? pick : null } })
    return () => set({ skinTools: null })
  }, [hash, sizing, points, set])
  return null
}
