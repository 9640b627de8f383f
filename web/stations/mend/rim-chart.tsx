'use client'
import { Chart, LinearScale, LogarithmicScale, PointElement, ScatterController } from 'chart.js'
import { useCallback, useEffect, useRef, useState, type PointerEvent } from 'react'
import { Scatter } from 'react-chartjs-2'
import { SlideBar } from '@/components/ui'
import { mm } from '@/lib/format'
import { ink } from '@/lib/inks'
import type { Hole } from './holes'

Chart.register(ScatterController, PointElement, LinearScale, LogarithmicScale)

interface Props {
  holes: readonly Hole[]
  /** Longest rim that is to be closed, mm. */
  limitMm: number
  onLimit: (mm: number) => void
  /** The line is held, or let go. */
  onHold: (held: boolean) => void
}

/** Steps of the bar from the shortest rim to the longest. */
const STEPS = 200
const MADDER = '#9E3340'
const STONE = '#9a958a'

/** Each hole a dot by the length of its rim, and a line among them: what lies before it is to be closed. */
export function RimChart({ holes, limitMm, onLimit, onHold }: Props) {
  const rims = holes.map((h) => h.perimeterMm)
  const low = Math.min(...rims) * 0.8,
    high = Math.max(...rims) * 1.25
  const ratio = Math.log(high / low) || 1
  const at = (value: number): number => Math.min(1, Math.max(0, Math.log(value / low) / ratio))
  const valueAt = useCallback((share: number): number => low * Math.exp(ratio * share), [low, ratio])
  const chart = useRef<Chart<'scatter'>>(null)
  const [area, setArea] = useState<{ left: number; width: number } | null>(null)
  useEffect(() => {
    const read = (): void => {
      const a = chart.current?.chartArea
      if (a) setArea({ left: a.left, width: a.right - a.left })
    }
    read()
    const watch = new ResizeObserver(read)
    if (chart.current) watch.observe(chart.current.canvas)
    return () => watch.disconnect()
  }, [holes])
  const drag = (event: PointerEvent<HTMLDivElement>): void => {
    if (!area || event.buttons !== 1) return
    const box = event.currentTarget.getBoundingClientRect()
    onLimit(valueAt(Math.min(1, Math.max(0, (event.clientX - box.left - area.left) / area.width))))
  }
  const chosen = rims.filter((r) => r <= limitMm * (1 + 1e-9)).length
  return (
    <figure className="my-1">
      <div
        className="relative h-[92px] cursor-ew-resize touch-none"
        data-testid="rim-chart"
        onPointerDown={(e) => {
          e.currentTarget.setPointerCapture(e.pointerId)
          onHold(true)
          drag(e)
        }}
        onPointerMove={drag}
        onPointerUp={() => onHold(false)}
        onPointerCancel={() => onHold(false)}
      >
        <Scatter
          ref={chart}
          role="img"
          aria-label={`${holes.length} holes by the length of their rims; ${chosen} up to ${mm(limitMm, 1)}`}
          data={{
            datasets: [
              {
                data: rims.map((x, i) => ({ x, y: (i * 7) % 5 })),
                pointRadius: 4,
                backgroundColor: rims.map((r) => (r <= limitMm * (1 + 1e-9) ? MADDER : STONE)),
              },
            ],
          }}
          options={{
            animation: false,
            maintainAspectRatio: false,
            events: [],
            scales: {
              x: {
                type: 'logarithmic',
                min: low,
                max: high,
                grid: { display: false },
                ticks: {
                  maxRotation: 0,
                  maxTicksLimit: 5,
                  callback: (v) => Number(Number(v).toPrecision(2)).toString(),
                  color: ink('graphite', '#5B6168'),
                  font: { family: 'Spline Sans Mono Variable', size: 12 },
                },
              },
              y: { display: false, min: -1, max: 5 },
            },
            plugins: { tooltip: { enabled: false }, legend: { display: false } },
          }}
        />
        {area && (
          <div
            className="pointer-events-none absolute top-0 bottom-6 w-0.5 bg-ink"
            style={{ left: area.left + at(limitMm) * area.width - 1 }}
            data-testid="rim-line"
            aria-hidden="true"
          />
        )}
      </div>
      <SlideBar
        label="Longest rim to close"
        said={`${mm(limitMm, 1)}, ${chosen} of ${holes.length} holes`}
        value={Math.round(at(limitMm) * STEPS)}
        min={0}
        max={STEPS}
        onChange={(v) => {
          onHold(true)
          onLimit(v === STEPS ? high : valueAt(v / STEPS))
        }}
      />
      <figcaption className="text-[12px] text-graphite">
        mm of rim; drag the line, what lies left of it is closed
      </figcaption>
    </figure>
  )
}
