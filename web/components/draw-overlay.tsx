'use client'
import { useCallback, useEffect, useRef, useState, type PointerEvent, type ReactNode } from 'react'
import { attempt } from '@/lib/store'
import type { Ray, Stage } from '@/stage/stage'

/** Places of a stroke closer than this are one, in pixels of the page. */
const STEP_PX = 3
/** A brush asks for what lies under it this often while it moves, ms. */
const BRUSH_MS = 30
/** Room round the brush's ring for its line, pixels. */
const RING_EDGE = 2

/** What a pointer draws on a stage: an outline of some kind, a brush's stroke, or a click. */
export type DrawTool = 'lasso' | 'polygon' | 'box' | 'brush' | 'click'

/** Where a drawn outline is told. @param polygon x, y, x, y … in pixels of the stage */
export type Outlined = (polygon: readonly number[], view: ReturnType<Stage['view']>) => Promise<void>

interface Props {
  readonly stage: () => Stage | null
  readonly tool: DrawTool
  readonly onOutline: Outlined
  /** An outline is begun in this view. */
  readonly onAim?: (view: ReturnType<Stage['view']>) => void
  readonly onClick?: (ray: Ray) => Promise<void>
  readonly brush?: {
    readonly radiusMm: number
    begin(): void
    /** A stretch of the stroke; it begins where the one before ended. */
    stretch(rays: readonly Ray[]): Promise<void>
    /** All stretches so far have been told. */
    rest?(): Promise<void>
    /** The stroke is over, and all of it has been told. */
    end?(): Promise<void>
  }
}

/** Lies over the stage while a tool is held: what the pointer draws is shown, and told when it is let go. */
export function DrawOverlay({ stage, tool, onOutline, onAim, onClick, brush }: Props) {
  const [path, setPath] = useState<readonly number[]>([])
  const [at, setAt] = useState<readonly [number, number] | null>(null)
  const brushed = useRef<readonly number[]>([0, 0])
  const ring = useRef<SVGSVGElement>(null)
  const drawing = useRef(false)
  const asked = useRef<{ rays: Ray[]; last: number; busy: boolean }>({ rays: [], last: 0, busy: false })
  useEffect(() => setPath([]), [tool])
  const closePolygon = useCallback((): void => {
    const drawn = path
    setPath([])
    if (drawn.length < 6) return
    void attempt(() => onOutline(drawn, stage()!.view()))
  }, [path, stage, onOutline])
  const cornered = tool === 'polygon' && path.length > 0
  useEffect(() => {
    if (!cornered) return
    const keys = (e: KeyboardEvent): void => {
      if (e.key !== 'Enter' && e.key !== 'Backspace' && e.key !== 'Escape') return
      e.preventDefault()
      e.stopPropagation()
      if (e.key === 'Enter') closePolygon()
      else setPath(e.key === 'Backspace' ? path.slice(0, -2) : [])
    }
    window.addEventListener('keydown', keys, { capture: true })
    return () => window.removeEventListener('keydown', keys, { capture: true })
  }, [cornered, closePolygon, path])
  const spot = (e: PointerEvent): [number, number] => {
    const box = e.currentTarget.getBoundingClientRect()
    return [e.clientX - box.left, e.clientY - box.top]
  }
  /** The ring that shows the brush goes by itself, without anything else being drawn again. */
  const showRing = (x: number, y: number): void => {
    if (!ring.current) return
    ring.current.style.transform = `translate(${x}px, ${y}px)`
    ring.current.style.visibility = 'visible'
  }
  const rayAt = (x: number, y: number): Ray => stage()!.ray(x, y)
  const pressed = (e: PointerEvent, x: number, y: number): Ray => ({ ...rayAt(x, y), pressure: pressureOf(e) })
  const paint = async (): Promise<void> => {
    const a = asked.current
    if (!brush || a.busy || a.rays.length === 0) return
    a.busy = true
    a.last = performance.now()
    // The last place stays, so that the next stretch begins where this one ends.
    const rays = a.rays.splice(0, a.rays.length, a.rays.at(-1)!)
    try {
      await attempt(() => brush.stretch(rays))
    } finally {
      a.busy = false
    }
    // What was drawn meanwhile; the place that stays behind alone is done already.
    if (a.rays.length > 1) void paint()
    else {
      if (brush.rest) await attempt(brush.rest)
      if (brush.end && !drawing.current) await attempt(brush.end)
    }
  }
  const down = (e: PointerEvent): void => {
    if (e.button !== 0 || !stage()) return
    if (tool === 'polygon') {
      const at = spot(e)
      if (path.length === 0) onAim?.(stage()!.view())
      // The second click of a double click closes; it is no corner of its own.
      const [lx, ly] = path.slice(-2)
      if (path.length > 0 && Math.hypot(at[0] - lx, at[1] - ly) < STEP_PX) return
      setPath([...path, ...at])
      return
    }
    e.currentTarget.setPointerCapture(e.pointerId)
    drawing.current = true
    const [x, y] = spot(e)
    if (tool === 'brush') brushed.current = [x, y]
    else setPath([x, y])
    if (tool === 'lasso' || tool === 'box') onAim?.(stage()!.view())
    if (tool === 'brush') {
      brush?.begin()
      asked.current = { rays: [pressed(e, x, y)], last: 0, busy: false }
      void paint()
    }
  }
  const move = (e: PointerEvent): void => {
    const [x, y] = spot(e)
    if (tool === 'brush') showRing(x, y)
    else if (tool === 'polygon') setAt([x, y])
    if (!drawing.current) return
    const [px, py] = tool === 'brush' ? brushed.current : path.slice(-2)
    if (Math.hypot(x - px, y - py) < STEP_PX) return
    if (tool === 'brush') brushed.current = [x, y]
    else setPath(tool === 'box' ? [path[0], path[1], x, y] : [...path, x, y])
    if (tool === 'brush') {
      asked.current.rays.push(pressed(e, x, y))
      if (performance.now() - asked.current.last > BRUSH_MS) void paint()
    }
  }
  const up = (e: PointerEvent): void => {
    if (!drawing.current) return
    drawing.current = false
    const [x, y] = spot(e)
    const drawn = path
    setPath([])
    if (tool === 'brush') return void paint()
    const view = stage()!.view()
    void attempt(async () => {
      if (tool === 'lasso' || tool === 'box') {
        const polygon = tool === 'box' ? [drawn[0], drawn[1], x, drawn[1], x, y, drawn[0], y] : drawn
        await onOutline(polygon, view)
      } else if (tool === 'click') await onClick?.(rayAt(x, y))
    })
  }
  const dropped = (): void => {
    drawing.current = false
    setPath([])
  }
  const perMm = stage() ? 8 / Math.max(1e-9, stage()!.ray(0, 0).radiusMm) : 1
  const ringPx = (brush?.radiusMm ?? 0) * perMm + RING_EDGE
  return (
    <div
      className="absolute inset-0 cursor-crosshair touch-none"
      data-testid="chooser"
      onPointerDown={down}
      onPointerMove={move}
      onPointerUp={up}
      onPointerCancel={dropped}
      onPointerLeave={() => {
        setAt(null)
        if (ring.current) ring.current.style.visibility = 'hidden'
      }}
      onDoubleClick={() => tool === 'polygon' && closePolygon()}
      onWheel={(e) => stage()?.zoomBy(e.deltaY < 0 ? 1.1 : 1 / 1.1)}
    >
      <svg className="pointer-events-none absolute inset-0 h-full w-full" aria-hidden="true">
        {tool === 'polygon' && path.length > 0 && (
          <Outline>
            <polygon points={pairs([...path, ...(at ?? [])])} />
          </Outline>
        )}
        {tool === 'polygon' &&
          path.length > 0 &&
          Array.from({ length: path.length / 2 }, (_, i) => (
            <circle key={i} cx={path[2 * i]} cy={path[2 * i + 1]} r="3.5" fill="#356a8f" stroke="white" />
          ))}
        {tool === 'lasso' && path.length > 4 && (
          <Outline>
            <polygon points={pairs(path)} />
          </Outline>
        )}
        {tool === 'box' && path.length === 4 && (
          <Outline>
            <rect
              x={Math.min(path[0], path[2])}
              y={Math.min(path[1], path[3])}
              width={Math.abs(path[2] - path[0])}
              height={Math.abs(path[3] - path[1])}
            />
          </Outline>
        )}
      </svg>
      {tool === 'brush' && (
        <svg
          ref={ring}
          width={2 * ringPx}
          height={2 * ringPx}
          style={{ marginLeft: -ringPx, marginTop: -ringPx }}
          className="pointer-events-none invisible absolute top-0 left-0 will-change-transform"
          aria-hidden="true"
        >
          <Outline plain>
            <circle cx={ringPx} cy={ringPx} r={ringPx - RING_EDGE} />
          </Outline>
        </svg>
      )}
    </div>
  )
}

/** How hard a pen is pressed, 0–1; whatever cannot tell is pressed fully. */
const pressureOf = (e: PointerEvent): number => (e.pointerType === 'pen' ? e.pressure : 1)

/**
 * A line of woad on a wider white one, so that it is seen on light and dark (a blurred shadow would hold the pointer up
 * without a graphics card).
 */
function Outline({ plain = false, children }: { plain?: boolean; children: ReactNode }) {
  return (
    <>
      <g fill="none" stroke="white" strokeWidth="3.5" strokeOpacity="0.85">
        {children}
      </g>
      <g
        fill={plain ? 'none' : 'rgba(53,106,143,0.14)'}
        stroke="#356a8f"
        strokeWidth="1.5"
        {...(!plain && { strokeDasharray: '5 3' })}
      >
        {children}
      </g>
    </>
  )
}

function pairs(path: readonly number[]): string {
  let out = ''
  for (let i = 0; i + 1 < path.length; i += 2) out += `${path[i].toFixed(1)},${path[i + 1].toFixed(1)} `
  return out
}
