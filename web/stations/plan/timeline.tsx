'use client'
import { BarController, BarElement, CategoryScale, Chart, LinearScale, Tooltip, type Plugin } from 'chart.js'
import { Bar } from 'react-chartjs-2'
import { ink } from '@/lib/inks'
import { type Slot, type SlotKind, type Timeline as Line, clock } from '@holosoma/core/plan'
import { usePlan, usePlanValue } from '@/lib/plan-desk'
import { pigment } from '@/lib/pigments'

Chart.register(BarController, BarElement, CategoryScale, LinearScale, Tooltip)

const SLOT_COLOUR: Readonly<Record<Exclude<SlotKind, 'take'>, string>> = {
  setUp: '#5B6168',
  coat: '#7A6F5B',
  photos: '#2F4F8F',
  reference: '#7F7864',
  turn: '#8B836F',
  tidy: '#5B6168',
}
const colourOf = (s: Slot): string => (s.kind === 'take' ? pigment(s.take! + 1).colour : SLOT_COLOUR[s.kind])

/** Writes each slot's name into its bar where there is room; the others are told by pointing at them. */
const names: Plugin<'bar'> = {
  id: 'names',
  afterDatasetsDraw(chart) {
    const g = chart.ctx
    g.save()
    g.font = '12px "Instrument Sans Variable", sans-serif'
    g.fillStyle = '#fff'
    g.textBaseline = 'middle'
    chart.data.datasets.forEach((set, i) => {
      const bar = chart.getDatasetMeta(i).data[0] as unknown as { base: number; x: number; y: number } | undefined
      if (bar && g.measureText(set.label!).width + 12 < bar.x - bar.base) g.fillText(set.label!, bar.base + 6, bar.y)
    })
    g.restore()
  },
}

/** The session from start to end, with the life of each coat under it. */
export function Timeline() {
  const plan = usePlanValue()
  const timeline = usePlan((p) => p.evaluation?.report.timeline)
  if (!plan || !timeline || timeline.minutes <= 0) return null
  return (
    <section
      aria-label="Session"
      data-testid="timeline"
      className="absolute right-14 bottom-3 left-[172px] rounded-lg border border-hair bg-card/95 px-3 pt-1.5 pb-1"
    >
      <h3 className="flex justify-between text-[12.5px]">
        <b className="font-semibold">Session</b>
        <span className="figure text-graphite">
          {plan.startAt} to {clock(plan.startAt, timeline.minutes)}, {Math.round(timeline.minutes)} min
        </span>
      </h3>
      <div style={{ height: timeline.coats.length > 0 ? 70 : 54 }}>
        <SessionChart timeline={timeline} start={plan.startAt} />
      </div>
    </section>
  )
}

function SessionChart({ timeline, start }: { timeline: Line; start: string }) {
  const { slots, coats, minutes } = timeline
  const said = slots.map((s) => `${s.label} ${s.minutes.toFixed(0)} min`).join(', ')
  return (
    <Bar
      role="img"
      aria-label={`Session: ${said}`}
      plugins={[names]}
      data={{
        labels: coats.length > 0 ? ['', 'coat'] : [''],
        datasets: [
          ...slots.map((s) => ({
            label: s.label,
            data: [[s.fromMin, s.fromMin + s.minutes] as [number, number]],
            backgroundColor: colourOf(s),
            borderColor: '#FBF9F4',
            borderWidth: { left: 0, right: 2, top: 0, bottom: 0 },
            borderSkipped: false as const,
            grouped: false,
            barPercentage: 1,
            categoryPercentage: 0.96,
          })),
          ...coats.map((c) => ({
            label: 'coat lasts',
            data: [null, [c.fromMin, Math.min(c.toMin, minutes)] as [number, number]],
            backgroundColor: '#B9B09B',
            grouped: false,
            barPercentage: 0.5,
            categoryPercentage: 1,
          })),
        ],
      }}
      options={{
        animation: false,
        maintainAspectRatio: false,
        indexAxis: 'y',
        layout: { padding: 0 },
        scales: {
          x: {
            min: 0,
            max: minutes,
            grid: { color: '#E4DCCB' },
            ticks: {
              maxRotation: 0,
              includeBounds: false,
              color: ink('graphite', '#5B6168'),
              font: { family: 'Spline Sans Mono Variable', size: 12 },
            },
          },
          y: {
            display: coats.length > 0,
            grid: { display: false },
            ticks: { color: ink('graphite', '#5B6168'), font: { size: 12 } },
          },
        },
        plugins: {
          tooltip: {
            displayColors: false,
            callbacks: {
              title: () => '',
              label: (t) => {
                const [from, to] = t.raw as [number, number]
                return `${t.dataset.label}: ${clock(start, from)} to ${clock(start, to)}, ${(to - from).toFixed(0)} min`
              },
            },
          },
        },
      }}
    />
  )
}
