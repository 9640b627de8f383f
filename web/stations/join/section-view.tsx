'use client'
import { SlideBar } from '@/components/ui'
import { useEffect, useMemo, useRef, useState, type PointerEvent, type WheelEvent } from 'react'
import type { TakeState } from '@holosoma/engine'
import { geometry } from '@/lib/geometry'
import { pigmentOf } from '@/lib/pigments'
import { useDesk } from '@/lib/store'

interface Cut {
  colour: string
  xy: Float32Array
}
const AXES = ['x', 'y', 'z'] as const
/** Half the thickness of the slice. */
const THICKNESS_SPACINGS = 1.5

/**
 * The joined takes cut through: every point within a thin slice, flat, in its take's pigment. A wall that stands double
 * is seen at once.
 */
export function SectionView({
  takes,
  motions,
}: {
  takes: readonly TakeState[]
  motions: Readonly<Record<string, number[][]>>
}) {
  const section = useDesk((d) => d.section)
  const set = useDesk((d) => d.set)
  const canvas = useRef<HTMLCanvasElement>(null)
  const [cuts, setCuts] = useState<{ list: Cut[]; atMm: number } | null>(null)
  const [look, setLook] = useState({ x: 0, y: 0, zoom: 1 })
  const [size, setSize] = useState({ width: 800, height: 500 })
  const drag = useRef<{ x: number; y: number } | null>(null)
  const laid = takes
    .map(
      (t) =>
        `${t.shape!.hash} ${motions[t.name]
          .flat()
          .map((v) => v.toFixed(5))
          .join()}`,
    )
    .join()
  const [span, setSpan] = useState<{ key: string; low: number; high: number; halfMm: number } | null>(null)
  const spanKey = `${section.axis} ${laid}`
  useEffect(() => {
    let current = true
    void (async () => {
      const spans = await Promise.all(
        takes.map((t) => geometry(t.shape!.hash).span(t.shape!.hash, motions[t.name], section.axis)),
      )
      if (current)
        setSpan({
          key: spanKey,
          low: Math.min(...spans.map((s) => s.low)),
          high: Math.max(...spans.map((s) => s.high)),
          halfMm: THICKNESS_SPACINGS * Math.max(...spans.map((s) => s.spacingMm)),
        })
    })()
    return () => {
      current = false
    }
    // eslint-disable-next-line react-hooks/exhaustive-deps -- `spanKey` says it all
  }, [spanKey])
  // One cut at a time, the last one asked for next: the slide asks faster than a large take is cut.
  const cutting = useRef({ running: false, wanted: '' })
  const ask = useRef<() => Promise<{ list: Cut[]; atMm: number }>>(null)
  ask.current = async () => {
    const { low, high, halfMm } = span!
    const atMm = low + section.share * (high - low)
    return {
      atMm,
      list: await Promise.all(
        takes.map(async (t) => ({
          colour: pigmentOf(t).colour,
          xy: await geometry(t.shape!.hash).slice(t.shape!.hash, motions[t.name], section.axis, atMm, halfMm),
        })),
      ),
    }
  }
  const cutKey = `${spanKey} ${section.share}`
  useEffect(() => {
    if (span?.key !== spanKey) return
    cutting.current.wanted = cutKey
    if (cutting.current.running) return
    cutting.current.running = true
    void (async () => {
      try {
        for (let done = ''; done !== cutting.current.wanted;) {
          done = cutting.current.wanted
          setCuts(await ask.current!())
        }
      } finally {
        cutting.current.running = false
      }
    })()
  }, [span, spanKey, cutKey])
  useEffect(() => {
    const box = canvas.current!.parentElement!
    const watch = new ResizeObserver(([entry]) =>
      setSize({ width: entry.contentRect.width, height: entry.contentRect.height }),
    )
    watch.observe(box)
    return () => watch.disconnect()
  }, [])
  const box = useMemo(() => bounds(cuts?.list ?? []), [cuts])
  const scale = scaleOf(box, size) * look.zoom
  useEffect(() => {
    const c = canvas.current?.getContext('2d')
    if (!c || !cuts) return
    const ratio = window.devicePixelRatio || 1
    c.setTransform(ratio, 0, 0, ratio, 0, 0)
    c.clearRect(0, 0, size.width, size.height)
    const mx = (box[0] + box[1]) / 2,
      my = (box[2] + box[3]) / 2
    const dot = Math.max(1.2, Math.min(4, scale * 0.12))
    for (const { colour, xy } of cuts.list) {
      c.fillStyle = colour
      for (let i = 0; i < xy.length; i += 2)
        c.fillRect(
          size.width / 2 + look.x + (xy[i] - mx) * scale - dot / 2,
          size.height / 2 + look.y - (xy[i + 1] - my) * scale - dot / 2,
          dot,
          dot,
        )
    }
  }, [cuts, box, look, size, scale])
  const barMm = roundLength(110 / scale)
  const zoomBy = (f: number): void =>
    setLook((l) => ({ x: l.x * f, y: l.y * f, zoom: Math.min(400, Math.max(0.3, l.zoom * f)) }))
  return (
    <div
      className="absolute inset-0 overflow-hidden"
      style={{ background: 'radial-gradient(circle at 50% 40%, #f8f5ee, #ece5d5)' }}
    >
      <canvas
        ref={canvas}
        width={size.width * (typeof window === 'undefined' ? 1 : window.devicePixelRatio || 1)}
        height={size.height * (typeof window === 'undefined' ? 1 : window.devicePixelRatio || 1)}
        style={{ width: size.width, height: size.height }}
        tabIndex={0}
        role="application"
        data-testid="section"
        data-points={cuts ? cuts.list.reduce((n, c) => n + c.xy.length / 2, 0) : ''}
        aria-label="Section through the joined takes. Arrow keys move it, plus and minus zoom, F fits it."
        className="cursor-grab touch-none -outline-offset-2"
        onWheel={(e: WheelEvent) => zoomBy(e.deltaY < 0 ? 1.15 : 1 / 1.15)}
        onPointerDown={(e: PointerEvent) => {
          drag.current = { x: e.clientX, y: e.clientY }
          e.currentTarget.setPointerCapture(e.pointerId)
        }}
        onPointerMove={(e: PointerEvent) => {
          const from = drag.current
          if (!from) return
          setLook((l) => ({ ...l, x: l.x + e.clientX - from.x, y: l.y + e.clientY - from.y }))
          drag.current = { x: e.clientX, y: e.clientY }
        }}
        onPointerUp={() => {
          drag.current = null
        }}
        onKeyDown={(e) => {
          const act: Record<string, () => void> = {
            '+': () => zoomBy(1.15),
            '=': () => zoomBy(1.15),
            '-': () => zoomBy(1 / 1.15),
            f: () => setLook({ x: 0, y: 0, zoom: 1 }),
            ArrowLeft: () => setLook((l) => ({ ...l, x: l.x + 24 })),
            ArrowRight: () => setLook((l) => ({ ...l, x: l.x - 24 })),
            ArrowUp: () => setLook((l) => ({ ...l, y: l.y + 24 })),
            ArrowDown: () => setLook((l) => ({ ...l, y: l.y - 24 })),
          }
          if (!act[e.key] || e.ctrlKey || e.metaKey) return
          e.preventDefault()
          act[e.key]()
        }}
      />
      <div className="absolute right-3.5 bottom-3 left-[190px] flex flex-wrap items-center justify-end gap-3 text-[13px]">
        <div
          role="group"
          aria-label="Cut across"
          className="flex overflow-hidden rounded-md border border-hair bg-card"
        >
          {AXES.map((a, i) => (
            <button
              key={a}
              type="button"
              aria-pressed={section.axis === i}
              onClick={() => set({ section: { ...section, axis: i as 0 | 1 | 2 } })}
              className={`h-8 w-9 ${section.axis === i ? 'bg-ink text-card' : ''}`}
            >
              {a}
            </button>
          ))}
        </div>
        <div className="flex items-center gap-2 rounded-md border border-hair bg-card px-2.5">
          at
          <SlideBar
            label="Where it is cut"
            said={cuts ? `${cuts.atMm.toFixed(1)} mm` : undefined}
            min={0}
            max={1}
            step={0.005}
            value={section.share}
            onChange={(share) => set({ section: { ...section, share } })}
            className="w-40"
          />
          <span className="figure w-20 text-right">{cuts ? `${cuts.atMm.toFixed(1)} mm` : ''}</span>
        </div>
      </div>
      {Number.isFinite(barMm) && (
        <div className="pointer-events-none absolute bottom-3.5 left-4 text-[12px] text-graphite">
          <span
            className="mr-2 inline-block h-[7px] border-[1.5px] border-t-0 border-graphite"
            style={{ width: barMm * scale }}
          />
          <b className="figure">{barMm} mm</b>
        </div>
      )}
    </div>
  )
}

function bounds(list: readonly Cut[]): [number, number, number, number] {
  let x0 = Infinity,
    x1 = -Infinity,
    y0 = Infinity,
    y1 = -Infinity
  for (const { xy } of list)
    for (let i = 0; i < xy.length; i += 2) {
      x0 = Math.min(x0, xy[i])
      x1 = Math.max(x1, xy[i])
      y0 = Math.min(y0, xy[i + 1])
      y1 = Math.max(y1, xy[i + 1])
    }
  return x1 >= x0 ? [x0, x1, y0, y1] : [0, 1, 0, 1]
}

const scaleOf = (
  [x0, x1, y0, y1]: readonly [number, number, number, number],
  size: { width: number; height: number },
): number => {
  return Math.min((size.width - 80) / (x1 - x0 || 1), (size.height - 150) / (y1 - y0 || 1))
}

/** One, two or five of some power of ten, at most `mm`. */
function roundLength(mm: number): number {
  const power = 10 ** Math.floor(Math.log10(mm))
  return [5, 2, 1].map((k) => k * power).find((v) => v <= mm) ?? power
}
