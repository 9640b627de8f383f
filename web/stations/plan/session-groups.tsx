'use client'
import { BarController, BarElement, CategoryScale, Chart, LinearScale, LogarithmicScale, Tooltip } from 'chart.js'
import { Bar } from 'react-chartjs-2'
import { ink } from '@/lib/inks'
import { COAT_CAUTION, PHONE, type PhotoSettings } from '@holosoma/core/plan'
import { Group } from '@/components/ui'
import { clock, grouped, megabytes } from '@/lib/format'
import { usePlan, usePlanValue } from '@/lib/plan-desk'
import { NumberRow, Pick } from '@/components/fields'

Chart.register(BarController, BarElement, CategoryScale, LinearScale, LogarithmicScale, Tooltip)

const FONT = { family: 'Spline Sans Mono Variable', size: 12 } as const
const ticks = () => ({ color: ink('graphite', '#5B6168'), font: FONT, maxRotation: 0 }) as const

/** Exposures and coat: which zones which step shows. */
export function ExposureGroup() {
  const plan = usePlanValue()!
  const report = usePlan((p) => p.evaluation?.report)
  const change = usePlan((p) => p.change)
  if (!report) return null
  const { steps, signals, unseen } = report.exposures
  const wanted = Math.max(1, steps.length)
  return (
    <Group title={`Exposures and coat: ${steps.length} ${steps.length === 1 ? 'exposure' : 'exposures'}`}>
      {signals.length > 0 && (
        <figure>
          <div style={{ height: 34 + signals.length * 26 }}>
            <Bar
              role="img"
              aria-label="Range of light of each zone, and what each exposure holds"
              data={{
                labels: signals.map((s) => s.zone),
                datasets: [
                  {
                    data: signals.map((s) => [s.low, s.high] as [number, number]),
                    backgroundColor: '#4E8098',
                    barPercentage: 0.6,
                  },
                ],
              }}
              options={{
                animation: false,
                maintainAspectRatio: false,
                indexAxis: 'y',
                scales: {
                  x: {
                    type: 'logarithmic',
                    min: 0.01,
                    max: 6,
                    ticks: { ...ticks(), callback: (v) => ([0.01, 0.1, 1].includes(Number(v)) ? `${v}` : '') },
                  },
                  y: { ticks: { ...ticks(), font: { size: 12 } }, grid: { display: false } },
                },
                plugins: {
                  tooltip: {
                    displayColors: false,
                    callbacks: {
                      label: (t) => {
                        const r = t.raw as [number, number]
                        return `${r[0].toFixed(2)} to ${r[1].toFixed(2)} of a white sheet’s light`
                      },
                    },
                  },
                },
              }}
            />
          </div>
          <figcaption className="text-[12px] text-graphite">
            Light that comes back, beside a white sheet’s; one exposure of this device holds 1:
            {plan.device.exposureRange}.
          </figcaption>
        </figure>
      )}
      <ol className="grid gap-0.5 text-[13px]">
        {steps.map((s, i) => (
          <li key={i}>
            {i + 1}. {s.gain === 1 ? 'for the palest' : `${s.stops.toFixed(1)} stops brighter`}:{' '}
            <span className="text-graphite">{s.zones.join(', ')}</span>
          </li>
        ))}
      </ol>
      {plan.takes.some((t) => t.exposures !== wanted) && (
        <button
          type="button"
          className="min-h-8 text-left text-[13px] font-semibold text-verdigris hover:underline"
          onClick={() => change({ ...plan, takes: plan.takes.map((t) => ({ ...t, exposures: wanted })) })}
        >
          Give every take {wanted === 1 ? 'one exposure' : `${wanted} exposures`}
        </button>
      )}
      <NumberRow
        label="May clip, of the piece"
        unit="%"
        value={plan.clippingPercent}
        onChange={(v) => change({ ...plan, clippingPercent: Math.max(0, v) })}
      />
      <p className="text-[13px]">
        {unseen.length > 0 && report.coat.choice === 'none' ? `Not seen: ${unseen.join(', ')}.` : report.coat.text}
      </p>
      {report.coat.choice !== 'none' && (
        <>
          <NumberRow
            label="Layer of a coat"
            unit="µm"
            value={plan.coatMicrometres}
            onChange={(coatMicrometres) => change({ ...plan, coatMicrometres })}
          />
          <NumberRow
            label="A coat lasts"
            unit="min"
            value={plan.coatLifeMinutes}
            onChange={(coatLifeMinutes) => change({ ...plan, coatLifeMinutes })}
          />
        </>
      )}
      {report.coat.choice === 'wanted' && (
        <Pick
          label="Coat in this plan"
          value={plan.coats > 0 ? 'yes' : 'no'}
          options={[
            ['no', 'no'],
            ['yes', 'yes'],
          ]}
          onChange={(v) => change({ ...plan, coats: v === 'yes' ? report.coat.coats : 0 })}
        />
      )}
      {report.coat.choice === 'wanted' && (
        <p className="text-[12.5px] text-graphite">
          {COAT_CAUTION.text} The product’s safety sheet, local rules, the owner and qualified people come first.
        </p>
      )}
    </Group>
  )
}

/** Photos for colour: a revolution of their own. */
export function PhotosGroup() {
  const plan = usePlanValue()!
  const photos = usePlan((p) => p.evaluation?.report.photos)
  const change = usePlan((p) => p.change)
  const camera = plan.photos
  const put = (c: Partial<PhotoSettings>): void => change({ ...plan, photos: { ...(camera ?? PHONE), ...c } })
  return (
    <Group title={`Photos for colour${photos ? `: ${photos.total}` : ': none'}`}>
      <Pick
        label="Colour"
        value={camera ? 'yes' : 'no'}
        options={[
          ['no', 'not wanted'],
          ['yes', 'from photos'],
        ]}
        onChange={(v) => change({ ...plan, photos: v === 'yes' ? PHONE : null })}
      />
      {camera && (
        <>
          <NumberRow
            label="Sensor across"
            unit="mm"
            value={camera.sensorWidthMm}
            onChange={(sensorWidthMm) => put({ sensorWidthMm })}
          />
          <NumberRow
            label="Sensor down"
            unit="mm"
            value={camera.sensorHeightMm}
            onChange={(sensorHeightMm) => put({ sensorHeightMm })}
          />
          <NumberRow
            label="Pixels across"
            unit="px"
            value={camera.pixelsWide}
            onChange={(v) => put({ pixelsWide: Math.round(v) })}
          />
          <NumberRow label="Focal length" unit="mm" value={camera.focalMm} onChange={(focalMm) => put({ focalMm })} />
          <NumberRow label="f-number" unit="" value={camera.fNumber} onChange={(fNumber) => put({ fNumber })} />
          <NumberRow
            label="Circle of confusion"
            unit="mm"
            value={camera.confusionMm}
            onChange={(confusionMm) => put({ confusionMm })}
          />
          <NumberRow
            label="Overlap"
            unit="%"
            value={camera.overlap * 100}
            onChange={(v) => put({ overlap: v / 100 })}
          />
        </>
      )}
      {photos && (
        <p className="text-[13px]" data-testid="photos">
          From {Math.round(photos.distanceMm)} mm: {photos.perTurn} photos in each turn, {photos.total} in all,{' '}
          {megabytes(photos.megabytes * 2 ** 20)}. A pixel covers {photos.groundSampleMm.toFixed(3)} mm (
          {Math.round(photos.dotsPerInch)} dots an inch). Sharp from {Math.round(photos.nearMm)} to{' '}
          {Number.isFinite(photos.farMm) ? `${Math.round(photos.farMm)} mm` : 'infinity'}
          {photos.sharp ? '.' : ': not the whole depth of the piece; stop down or step back.'}
        </p>
      )}
      <p className="text-[12.5px] text-graphite">
        In every pose, before coating or after it has gone. Colour while scanning means slower strokes.
      </p>
    </Group>
  )
}

/** Data, tolerance, weight. */
export function BudgetGroup() {
  const plan = usePlanValue()!
  const report = usePlan((p) => p.evaluation?.report)
  const change = usePlan((p) => p.change)
  if (!report) return null
  const { data, tolerance, spacingMm, stability } = report
  const finite = tolerance.terms.map((t) => (Number.isFinite(t.mm) ? t.mm : 0))
  return (
    <Group title="Data, tolerance, weight">
      <table className="w-full text-[13px]">
        <tbody>
          {(
            [
              ['Points at ' + spacingMm.toFixed(2) + ' mm', grouped(data.points)],
              ['Triangles', grouped(data.triangles)],
              ['Raw takes', megabytes(data.rawBytes)],
              ['Memory for the skin', megabytes(data.memoryBytes)],
              ['STL', megabytes(data.stlBytes)],
              [
                'Time of the device',
                plan.device.pricePerHour === 0
                  ? 'free'
                  : `${((report.timeline.minutes / 60) * plan.device.pricePerHour).toFixed(2)} at ` +
                    `${plan.device.pricePerHour} an hour`,
              ],
              ['Computing on this machine', data.seconds === null ? 'not measured yet' : `${clock(data.seconds)} min`],
            ] as const
          ).map(([k, v]) => (
            <tr key={k} className="border-t border-rule">
              <th scope="row" className="py-1 text-left font-normal text-graphite">
                {k}
              </th>
              <td className="figure text-right">{v}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <figure>
        <div className="h-[150px]">
          <Bar
            role="img"
            aria-label={`Tolerance budget, largest term ${tolerance.largest}`}
            data={{
              labels: tolerance.terms.map((t) => t.name),
              datasets: [
                {
                  data: finite.map((v) => v * 1000),
                  backgroundColor: tolerance.terms.map((t) => (t.name === tolerance.largest ? '#35518C' : '#9AA3AB')),
                  barPercentage: 0.7,
                },
              ],
            }}
            options={{
              animation: false,
              maintainAspectRatio: false,
              indexAxis: 'y',
              scales: {
                x: {
                  ticks: ticks(),
                  title: {
                    display: true,
                    text: 'µm, one standard uncertainty',
                    color: ink('graphite', '#5B6168'),
                    font: { size: 12 },
                  },
                },
                y: { grid: { display: false }, ticks: { color: ink('graphite', '#5B6168'), font: { size: 12 } } },
              },
              plugins: {
                tooltip: { displayColors: false, callbacks: { label: (t) => tolerance.terms[t.dataIndex].rule } },
              },
            }}
          />
        </div>
        <figcaption className="text-[12.5px] text-graphite">
          {Number.isFinite(tolerance.expandedMm) ? (
            <>
              Together ± <span className="figure">{tolerance.expandedMm.toFixed(3)} mm</span> (95 %) of{' '}
              <span className="figure">{tolerance.toleranceMm} mm</span>; largest: {tolerance.largest}.
            </>
          ) : (
            'Joining: free, so nothing can be promised.'
          )}
        </figcaption>
      </figure>
      <ul className="grid gap-0.5 text-[13px]">
        {plan.takes.map(
          (t, i) =>
            stability[i] && (
              <li key={t.name}>
                {t.name}:{' '}
                <span className="text-graphite">
                  {stability[i].marginMm < 0
                    ? 'tips over; prop it'
                    : `stands to ${stability[i].tiltDeg.toFixed(0)}° of tilt`}
                  , weight {stability[i].offAxisMm.toFixed(0)} mm off the axis
                </span>
              </li>
            ),
        )}
      </ul>
      <label className="flex items-center justify-between gap-3 text-[13px]">
        Session begins
        <input
          type="time"
          value={plan.startAt}
          onChange={(e) => e.target.value && change({ ...plan, startAt: e.target.value })}
          className="figure h-8 rounded-md border border-hair bg-field px-2"
        />
      </label>
    </Group>
  )
}
