'use client'
import { useEffect, useRef, useState, type KeyboardEvent, type PointerEvent, type ReactNode } from 'react'
import { actOfKey, keyWord, useSettings, type KeyAct } from '@/lib/settings'
import type { StageMotion } from '@/stage/motion-handle'
import {
  Stage,
  type CameraPose,
  type Layer,
  type Ray,
  type Side,
  type StagePin,
  type StagePlace,
  type StagePlane,
  type StageProps,
} from '@/stage/stage'
import { ViewMenu } from './view-menu'

interface Props {
  name: string
  layers: readonly Layer[]
  pins?: readonly StagePin[]
  props?: StageProps | null
  /** A cutting plane with handles. */
  plane?: StagePlane | null
  onPlane?: (plane: StagePlane) => void
  /** Lines over what stands there: pairs of places, mm. */
  lines?: Float32Array | null
  /** Handles on one of the shapes. */
  motion?: StageMotion | null
  onMotion?: (rows: number[][]) => void
  /** A click (not a drag) on the view. */
  onPick?: (ray: Ray) => void
  pose?: CameraPose | null
  /** The pose is another view of the same thing: taken over whole, not the zoom alone. */
  linked?: boolean
  onPose?: (pose: CameraPose) => void
  /** A place to go near, each time another is given. */
  goTo?: StagePlace | null
  /** Lies over the picture, under its marks; asks for the stage when it needs it. */
  overlay?: (stage: () => Stage | null) => ReactNode
  /** Which way the surface under a ray faces; given, the view can be turned square to a place. */
  normalAt?: (ray: Ray) => Promise<[number, number, number] | null>
}

const DRAG_PX = 4
/** How far an arrow key moves the cross; with Alt by one. */
const CROSS_PX = 12
const WAYS: Readonly<Record<string, readonly [number, number]>> = {
  ArrowLeft: [-1, 0],
  ArrowRight: [1, 0],
  ArrowUp: [0, -1],
  ArrowDown: [0, 1],
}
const TURN = 0.09
const PAN_PX = 24
const ZOOM = 1.15

/** Keys that turn, move and zoom a view. */
function viewKeys(s: Stage, shift: boolean, act: KeyAct | null): Readonly<Record<string, () => void>> {
  const way =
    ([x, y]: readonly [number, number]) =>
    (): void =>
      shift ? s.pan(x * PAN_PX, -y * PAN_PX) : s.orbit(x * TURN, y * TURN)
  const side = (one: Side, other: Side) => (): void => s.look(shift ? other : one)
  return {
    ...Object.fromEntries(Object.entries(WAYS).map(([key, to]) => [key, way(to)])),
    '+': () => s.zoomBy(ZOOM),
    '=': () => s.zoomBy(ZOOM),
    '-': () => s.zoomBy(1 / ZOOM),
    ...(act === 'fit' && { [CHOSEN]: () => s.fit() }),
    ...(act === 'right' && { [CHOSEN]: side('right', 'left') }),
    ...(act === 'front' && { [CHOSEN]: side('front', 'back') }),
    ...(act === 'top' && { [CHOSEN]: side('top', 'underneath') }),
    ...(act === 'back' && { [CHOSEN]: () => void s.back() }),
  }
}
/** Under which an act stands whose key a person may choose. */
const CHOSEN = 'chosen'
const NO_PINS: readonly StagePin[] = []

/** A stage in the page: keys and pointer, scale bar, up mark. */
export function StageView({
  name,
  layers,
  pins = NO_PINS,
  props = null,
  plane = null,
  onPlane,
  lines = null,
  motion = null,
  onMotion,
  onPick,
  pose,
  linked = false,
  onPose,
  goTo = null,
  overlay,
  normalAt,
}: Props) {
  const canvas = useRef<HTMLCanvasElement>(null)
  const frame = useRef<HTMLDivElement>(null)
  const stage = useRef<Stage | null>(null)
  const pressed = useRef<{ x: number; y: number } | null>(null)
  const [bar, setBar] = useState<{ px: number; mm: number } | null>(null)
  const [lost, setLost] = useState(false)
  const hand = useSettings((s) => s.hand)
  const night = useSettings((s) => s.night)
  const chosenKeys = useSettings((s) => s.keys)
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

  useEffect(() => stage.current?.setHand(hand), [hand])
  useEffect(() => stage.current?.recolour(), [night])
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
  useEffect(() => stage.current?.setLines(lines), [lines])
  const onMotionNow = useRef(onMotion)
  useEffect(() => {
    onMotionNow.current = onMotion
  }, [onMotion])
  useEffect(() => stage.current?.setMotion(motion, (rows) => onMotionNow.current?.(rows)), [motion, layers])
  useEffect(() => stage.current?.setPins(pins), [pins])
  useEffect(() => {
    if (goTo) stage.current?.near(goTo)
  }, [goTo])
  useEffect(() => {
    if (!pose) return
    if (linked) stage.current?.followWhole(pose)
    else stage.current?.follow(pose)
  }, [pose, linked])
  // Where the cross of the keyboard stands while a place is to be picked; null: nobody moved it.
  const [cross, setCross] = useState<{ x: number; y: number } | null>(null)
  const [squaring, setSquaring] = useState(false)
  const picks = onPick !== undefined || squaring
  useEffect(() => {
    if (!picks) setCross(null)
  }, [picks])
  const pickAt = (x: number, y: number): void => {
    const ray = stage.current!.ray(x, y)
    if (!squaring) return onPick?.(ray)
    setSquaring(false)
    void normalAt?.(ray).then((n) => n && stage.current?.look(n))
  }

  const keyed = (s: Stage, event: KeyboardEvent): (() => void) | undefined => {
    const acts = viewKeys(s, event.shiftKey, actOfKey(chosenKeys, event.key))
    return acts[CHOSEN] ?? acts[event.key]
  }
  const keys = (event: KeyboardEvent): void => {
    const s = stage.current
    if (!s || event.ctrlKey || event.metaKey) return
    const done = picks && crossKeys(event)
    const act = done || event.altKey ? undefined : keyed(s, event)
    if (!done && !act) return
    event.preventDefault()
    act?.()
  }
  /** While a place is to be picked, arrows move a cross and Enter picks under it; with Shift they turn the view. */
  const crossKeys = (event: KeyboardEvent): boolean => {
    const { clientWidth, clientHeight } = canvas.current!
    const at = cross ?? { x: clientWidth / 2, y: clientHeight / 2 }
    if (event.key === 'Enter' || event.key === ' ') {
      pickAt(at.x, at.y)
      setCross(at)
      return true
    }
    const way = WAYS[event.key]
    if (!way || event.shiftKey) return false
    const step = event.altKey ? 1 : CROSS_PX
    const within = (v: number, most: number): number => Math.max(0, Math.min(most - 1, v))
    setCross({ x: within(at.x + way[0] * step, clientWidth), y: within(at.y + way[1] * step, clientHeight) })
    return true
  }
  const release = (event: PointerEvent): void => {
    const from = pressed.current
    pressed.current = null
    if (!from || !picks || event.button !== 0) return
    if (Math.hypot(event.clientX - from.x, event.clientY - from.y) > DRAG_PX) return
    const box = canvas.current!.getBoundingClientRect()
    pickAt(event.clientX - box.left, event.clientY - box.top)
  }

  return (
    <div
      ref={frame}
      className="relative h-full w-full min-w-0 overflow-hidden"
      style={{ background: 'radial-gradient(circle at 50% 40%, var(--color-stage-in), var(--color-stage-out))' }}
    >
      <canvas
        ref={canvas}
        tabIndex={0}
        role="application"
        data-testid="stage"
        aria-label={
          picks
            ? `${name}. Arrow keys move the cross, Enter picks under it; Shift and arrows turn the view.`
            : `${name}. Arrow keys turn the view, Shift and arrows move it, plus and minus zoom, ${keyWord(chosenKeys.fit)} fits it.`
        }
        className={`absolute inset-0 h-full w-full touch-none -outline-offset-2 ${picks ? 'cursor-crosshair' : 'cursor-grab'}`}
        onKeyDown={keys}
        onPointerDownCapture={(e) => {
          pressed.current = e.button === 0 ? { x: e.clientX, y: e.clientY } : null
        }}
        onPointerUpCapture={release}
      />
      {overlay?.(() => stage.current)}
      {cross && (
        <svg
          viewBox="-12 -12 24 24"
          className="pointer-events-none absolute h-6 w-6"
          style={{ left: cross.x - 12, top: cross.y - 12 }}
          data-testid="cross"
          aria-hidden="true"
        >
          <path d="M-11 0h8M3 0h8M0 -11v8M0 3v8" stroke="#fbf8f1" strokeWidth="4" />
          <path d="M-11 0h8M3 0h8M0 -11v8M0 3v8" stroke="#23272b" strokeWidth="1.6" />
        </svg>
      )}
      <ViewMenu
        look={(side) => stage.current?.look(side)}
        fit={() => stage.current?.fit()}
        back={() => stage.current?.back()}
        {...(normalAt && { square: () => setSquaring(true) })}
      />
      {squaring && (
        <p
          role="status"
          className="pointer-events-none absolute top-3 left-1/2 -translate-x-1/2 rounded-md border border-hair bg-card px-2.5 py-1 text-[13px]"
        >
          Click the place to look at squarely
        </p>
      )}
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
