'use client'
import { useEffect, useRef, useState, type KeyboardEvent, type PointerEvent, type ReactNode } from 'react'
import type { StageMotion } from '@/stage/motion-handle'
import {
  Stage,
  type CameraPose,
  type Layer,
  type Ray,
  type StagePin,
  type StagePlane,
  type StageProps,
} from '@/stage/stage'

interface Props {
  name: string
  layers: readonly Layer[]
  pins?: readonly StagePin[]
  props?: StageProps | null
  /** A cutting plane with handles. */
  plane?: StagePlane | null
  onPlane?: (plane: StagePlane) => void
  /** Handles on one of the shapes. */
  motion?: StageMotion | null
  onMotion?: (rows: number[][]) => void
  /** A click (not a drag) on the view. */
  onPick?: (ray: Ray) => void
  pose?: CameraPose | null
  onPose?: (pose: CameraPose) => void
  /** Lies over the picture, under its marks; asks for the stage when it needs it. */
  overlay?: (stage: () => Stage | null) => ReactNode
}

const DRAG_PX = 4
const NO_PINS: readonly StagePin[] = []

/** A stage in the page: keys and pointer, scale bar, up mark. */
export function StageView({
  name,
  layers,
  pins = NO_PINS,
  props = null,
  plane = null,
  onPlane,
  motion = null,
  onMotion,
  onPick,
  pose,
  onPose,
  overlay,
}: Props) {
  const canvas = useRef<HTMLCanvasElement>(null)
  const frame = useRef<HTMLDivElement>(null)
  const stage = useRef<Stage | null>(null)
  const pressed = useRef<{ x: number; y: number } | null>(null)
  const [bar, setBar] = useState<{ px: number; mm: number } | null>(null)
  const [lost, setLost] = useState(false)
  const onPoseNow = useRef(onPose)
  useEffect(() => {
    onPoseNow.current = onPose
  }, [onPose])

  useEffect(() => {
    let made: Stage
    try {
      made = new Stage(canvas.current!)
    } catch {
      setLost(true)
      return
    }
    stage.current = made
    made.onScale = setBar
    made.onCamera = (p) => onPoseNow.current?.(p)
    made.onDrawn = () =>
      canvas.current?.setAttribute('data-drawn', String(Number(canvas.current.getAttribute('data-drawn') ?? 0) + 1))
    ;(canvas.current as HTMLCanvasElement & { stage?: Stage }).stage = made
    const watch = new ResizeObserver(([entry]) => made.resize(entry.contentRect.width, entry.contentRect.height))
    watch.observe(frame.current!)
    return () => {
      watch.disconnect()
      made.dispose()
      stage.current = null
    }
  }, [])

  const onPlaneNow = useRef(onPlane)
  useEffect(() => {
    onPlaneNow.current = onPlane
  }, [onPlane])
  useEffect(() => stage.current?.setProps(props), [props])
  useEffect(() => {
    stage.current?.setLayers(layers)
    canvas.current?.setAttribute('data-layers', layers.map((l) => l.key).join(' '))
  }, [layers])
  useEffect(() => stage.current?.setPlane(plane, (p) => onPlaneNow.current?.(p)), [plane, layers])
  const onMotionNow = useRef(onMotion)
  useEffect(() => {
    onMotionNow.current = onMotion
  }, [onMotion])
  useEffect(() => stage.current?.setMotion(motion, (rows) => onMotionNow.current?.(rows)), [motion, layers])
  useEffect(() => stage.current?.setPins(pins), [pins])
  useEffect(() => {
    if (pose) stage.current?.follow(pose)
  }, [pose])

  const keys = (event: KeyboardEvent): void => {
    const s = stage.current
    if (!s || event.ctrlKey || event.metaKey || event.altKey) return
    const step = 0.09
    const act: Record<string, () => void> = {
      ArrowLeft: () => (event.shiftKey ? s.pan(-24, 0) : s.orbit(-step, 0)),
      ArrowRight: () => (event.shiftKey ? s.pan(24, 0) : s.orbit(step, 0)),
      ArrowUp: () => (event.shiftKey ? s.pan(0, 24) : s.orbit(0, -step)),
      ArrowDown: () => (event.shiftKey ? s.pan(0, -24) : s.orbit(0, step)),
      '+': () => s.zoomBy(1.15),
      '=': () => s.zoomBy(1.15),
      '-': () => s.zoomBy(1 / 1.15),
      f: () => s.fit(),
    }
    const run = act[event.key]
    if (!run) return
    event.preventDefault()
    run()
  }
  const release = (event: PointerEvent): void => {
    const from = pressed.current
    pressed.current = null
    if (!from || !onPick || event.button !== 0) return
    if (Math.hypot(event.clientX - from.x, event.clientY - from.y) > DRAG_PX) return
    const box = canvas.current!.getBoundingClientRect()
    onPick(stage.current!.ray(event.clientX - box.left, event.clientY - box.top))
  }

  return (
    <div
      ref={frame}
      className="relative h-full w-full min-w-0 overflow-hidden"
      style={{ background: 'radial-gradient(circle at 50% 40%, #f8f5ee, #ece5d5)' }}
    >
      <canvas
        ref={canvas}
        tabIndex={0}
        role="application"
        data-testid="stage"
        aria-label={`${name}. Arrow keys turn the view, Shift and arrows move it, plus and minus zoom, F fits it.`}
        className={`absolute inset-0 h-full w-full touch-none -outline-offset-2 ${onPick ? 'cursor-crosshair' : 'cursor-grab'}`}
        onKeyDown={keys}
        onPointerDownCapture={(e) => {
          pressed.current = e.button === 0 ? { x: e.clientX, y: e.clientY } : null
        }}
        onPointerUpCapture={release}
      />
      {overlay?.(() => stage.current)}
      {lost && (
        <p className="absolute inset-0 grid place-items-center text-graphite">
          This browser cannot draw in 3D (WebGL 2 is off). Everything else still works.
        </p>
      )}
      {bar && (
        <div
          className="pointer-events-none absolute bottom-3.5 left-4 text-[12px] text-graphite"
          data-testid="scale-bar"
          data-mm={bar.mm}
          data-px={bar.px}
        >
          <span
            className="mr-2 inline-block h-[7px] border-[1.5px] border-t-0 border-graphite"
            style={{ width: bar.px }}
          />
          <b className="figure">{bar.mm} mm</b>
        </div>
      )}
      <svg viewBox="0 0 40 52" className="pointer-events-none absolute right-3.5 bottom-2.5 w-8" aria-hidden="true">
        <path d="M20 3l7 14h-14z" fill="var(--color-graphite)" />
        <line x1="20" y1="17" x2="20" y2="38" stroke="var(--color-graphite)" strokeWidth="2" />
        <text x="20" y="50" textAnchor="middle" fontSize="12" fill="var(--color-graphite)">
          up
        </text>
      </svg>
    </div>
  )
}
