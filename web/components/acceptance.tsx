'use client'
import { CategoryScale, Chart, LinearScale, LineController, LineElement, PointElement, Tooltip } from 'chart.js'
import { useEffect, useState } from 'react'
import { Line } from 'react-chartjs-2'
import { ink } from '@/lib/inks'
import type { DeviceProfile } from '@holosoma/core/plan'
import type { StoredAcceptance } from '@holosoma/engine'
import { api } from '@/lib/api'
import { dayAndTime } from '@/lib/dates'
import { NumberField, Plain, VerdictWord } from './ui'

Chart.register(CategoryScale, LinearScale, LineController, LineElement, PointElement, Tooltip)

const ERRORS = [
  ['formMm', 'Form of a ball', '#35518C', 3],
  ['sizeMm', 'Its size', '#B05F3C', 1],
  ['spacingMm', 'Spacing of two balls', '#7B5A88', 1],
  ['flatnessMm', 'Flatness', '#6C7F36', 3],
] as const
const axis = () => ({ color: ink('graphite', '#5B6168'), font: { family: 'Spline Sans Mono Variable', size: 12 } })

/** Acceptance tests of the simulated device, with their trend. */
export function AcceptanceTests({ device }: { device: DeviceProfile }) {
  const [tests, setTests] = useState<readonly StoredAcceptance[]>([])
  const [warm, setWarm] = useState('0')
  const [error, setError] = useState<string | null>(null)
  useEffect(() => {
    let current = true
    api.deviceTests(device.id).then(
      (r) => current && setTests(r.tests),
      () => undefined,
    )
    return () => {
      current = false
    }
  }, [device.id])
  const run = async (): Promise<void> => {
    setError(null)
    try {
      const k = Number(warm.replace(',', '.'))
      if (!Number.isFinite(k) || warm.trim() === '')
        throw new Error('Give the temperature since calibration in kelvin, as a number.')
      setTests((await api.testDevice(device.id, k)).tests)
    } catch (e) {
      setError((e as Error).message)
    }
  }
  const last = tests.at(-1)
  return (
    <section aria-label="Acceptance" className="mt-6 max-w-[760px] border-t border-hair pt-4">
      <h2 className="font-caption text-[18px] font-semibold">Does it still measure as it should?</h2>
      <p className="mt-1 text-[13px] text-graphite">
        A ball in ten places of the measuring volume, a bar with two balls, a flat; after VDI/VDE 2634 part 2. The limit
        is the profile’s accuracy, for form and flatness three times it. For a real device its maker’s or laboratory’s
        test counts.
      </p>
      <div className="mt-2 flex flex-wrap items-center gap-4">
        <NumberField
          label="Warmer than at its calibration by"
          unit="K"
          value={warm}
          onChange={(e) => setWarm(e.target.value)}
        />
        <Plain className="px-4" onClick={() => void run()}>
          Test the simulated device
        </Plain>
        {last && <VerdictWord verdict={last.result.verdict} />}
      </div>
      {error && (
        <p role="alert" className="mt-2 text-[13px] text-madder">
          {error}
        </p>
      )}
      {last && (
        <div className="mt-3 grid grid-cols-[280px_1fr] gap-6">
          <table className="self-start text-[13px]" data-testid="acceptance">
            <tbody>
              {ERRORS.map(([key, label, colour, times]) => (
                <tr key={key} className="border-t border-rule">
                  <th scope="row" className="py-1 text-left font-normal">
                    <i className="mr-1.5 inline-block h-2.5 w-2.5 rounded-sm" style={{ background: colour }} />
                    {label}
                  </th>
                  <td className="figure text-right">{last.result[key].toFixed(4)} mm</td>
                  <td className="figure pl-2 text-right text-graphite">≤ {(times * last.result.limitMm).toFixed(3)}</td>
                </tr>
              ))}
              <tr className="border-t border-rule">
                <th scope="row" className="py-1 text-left font-normal">
                  Tests kept
                </th>
                <td className="figure text-right">{tests.length}</td>
                <td />
              </tr>
            </tbody>
          </table>
          <div className="h-[170px]">
            <Line
              role="img"
              aria-label={`Trend of ${tests.length} tests, each error as a share of its limit`}
              data={{
                labels: tests.map((t) => dayAndTime(t.at)),
                datasets: ERRORS.map(([key, label, colour, times]) => ({
                  label,
                  data: tests.map((t) => (100 * Math.abs(t.result[key])) / (times * t.result.limitMm)),
                  borderColor: colour,
                  backgroundColor: colour,
                  borderWidth: 2,
                  pointRadius: 3,
                })),
              }}
              options={{
                animation: false,
                maintainAspectRatio: false,
                scales: {
                  x: { grid: { display: false }, ticks: { ...axis(), maxRotation: 0, maxTicksLimit: 5 } },
                  y: {
                    min: 0,
                    suggestedMax: 110,
                    grid: { color: '#E4DCCB' },
                    ticks: { ...axis(), callback: (v) => `${v} %` },
                  },
                },
                plugins: {
                  tooltip: {
                    displayColors: false,
                    callbacks: { label: (t) => `${t.dataset.label}: ${Number(t.parsed.y).toFixed(0)} % of its limit` },
                  },
                },
              }}
            />
          </div>
        </div>
      )}
    </section>
  )
}
