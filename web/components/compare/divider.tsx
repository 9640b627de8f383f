'use client'
import { useRef, type KeyboardEvent, type PointerEvent } from 'react'

const STEP = 0.02
const LEAST = 0.03

/** A line down the stage that is dragged, or moved by the arrow keys. @param at of the stage's width, 0–1 */
export function Divider({ at, onMove }: { at: number; onMove: (at: number) => void }) {
  const bar = useRef<HTMLDivElement>(null)
  const within = (v: number): number => Math.min(1 - LEAST, Math.max(LEAST, v))
  const drag = (event: PointerEvent): void => {
    if (!bar.current?.hasPointerCapture(event.pointerId)) return
    const box = bar.current.parentElement!.getBoundingClientRect()
    onMove(within((event.clientX - box.left) / box.width))
  }
  const keys = (event: KeyboardEvent): void => {
    const by = { ArrowLeft: -STEP, ArrowRight: STEP }[event.key]
    if (by === undefined) return
    event.preventDefault()
    onMove(within(at + by))
  }
  return (
    <div
      ref={bar}
      role="separator"
      tabIndex={0}
      aria-label="Divider"
      aria-orientation="vertical"
      aria-valuenow={Math.round(at * 100)}
      aria-valuemin={0}
      aria-valuemax={100}
      className="absolute inset-y-0 z-10 w-5 -translate-x-1/2 cursor-ew-resize touch-none"
      style={{ left: `${at * 100}%` }}
      onPointerDown={(e) => bar.current?.setPointerCapture(e.pointerId)}
      onPointerMove={drag}
      onKeyDown={keys}
    >
      <i className="absolute inset-y-0 left-1/2 w-0.5 -translate-x-1/2 bg-ink" aria-hidden="true" />
      <i
        className="absolute top-1/2 left-1/2 h-9 w-2.5 -translate-x-1/2 -translate-y-1/2 rounded border border-ink bg-card"
        aria-hidden="true"
      />
    </div>
  )
}
