'use client'
import { BarController, BarElement, Chart, LinearScale, Tooltip } from 'chart.js'
import { Bar } from 'react-chartjs-2'
import { ink } from '@/lib/inks'

Chart.register(BarController, BarElement, LinearScale, Tooltip)

interface Props {
  take: string
  histogram: { fromMm: number; stepMm: number; counts: readonly number[] }
}

/**
 * How far the two surfaces stand apart where they meet: a bell about zero when they fit, shifted or with two humps when
 * they do not.
 */
export function ResidualChart({ take, histogram }: Props) {
  const { fromMm, stepMm, counts } = histogram
  const middles = counts.map((_, i) => fromMm + (i + 0.5) * stepMm)
  const total = counts.reduce((a, b) => a + b, 0) || 1
  return (
    <figure className="my-2">
      <div className="h-[104px]">
        <Bar
          aria-label={`Distances between “${take}” and the rest, most within ${(Math.abs(fromMm) / 2).toFixed(2)} mm`}
          role="img"
          data={{
            datasets: [
              {
                data: counts.map((c, i) => ({ x: middles[i], y: (100 * c) / total })),
                backgroundColor: '#4E8098',
                barPercentage: 1,
                categoryPercentage: 0.94,
              },
            ],
          }}
          options={{
            animation: false,
            maintainAspectRatio: false,
            scales: {
              x: {
                type: 'linear',
                offset: false,
                min: fromMm,
                max: -fromMm,
                grid: { display: false },
                ticks: {
                  maxRotation: 0,
                  includeBounds: false,
                  maxTicksLimit: 7,
                  callback: (v) => Number(v).toFixed(2),
                  color: ink('graphite', '#5B6168'),
                  font: { family: 'Spline Sans Mono Variable', size: 12 },
                },
              },
              y: { display: false },
            },
            plugins: {
              tooltip: {
                displayColors: false,
                callbacks: {
                  title: (t) => `${Number(t[0]?.parsed.x).toFixed(2)} mm`,
                  label: (t) => `${Number(t.parsed.y).toFixed(1)} of 100 points`,
                },
              },
            },
          }}
        />
      </div>
      <figcaption className="text-[12px] text-graphite">
        mm that “{take}” stands outside (+) or inside (−) the rest
      </figcaption>
    </figure>
  )
}
