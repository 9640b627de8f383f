'use client'
import Link from 'next/link'
import { useEffect, useState } from 'react'
import {
  framesPerTurn,
  rangeNoiseMm,
  spacingAtMm,
  windowAtMm,
  type DeviceProfile,
  FLICKER_CAUTION,
  laserCaution,
  adviseDevices,
  type DeviceAdvice,
  type PlannedTake,
} from '@holosoma/core/plan'
import { Folded, Group, Plain, VerdictMark } from '@/components/ui'
import { api } from '@/lib/api'
import { useBrief, usePlan, usePlanValue } from '@/lib/plan-desk'
import { attempt } from '@/lib/store'

const wayOf = (d: DeviceProfile): PlannedTake['kind'] =>
  d.hold === 'hand' ? 'handheld' : d.hold === 'arm' ? 'arm' : 'turntable'

/** Which device, with the reasons; none that suits is an answer too. */
export function DeviceGroup() {
  const plan = usePlanValue()!
  const brief = useBrief()
  const change = usePlan((p) => p.change)
  const [devices, setDevices] = useState<readonly DeviceProfile[]>([])
  useEffect(() => void attempt(async () => setDevices((await api.devices()).devices.map((d) => d.profile))), [])
  const advice: DeviceAdvice = adviseDevices(
    brief,
    devices.some((d) => d.id === plan.device.id) ? devices : [...devices, plan.device],
  )
  const choose = (device: DeviceProfile): void =>
    change({
      ...plan,
      device,
      takes: plan.takes.map((t) => ({
        ...t,
        kind:
          ['grip', 'vise', 'byHand'].includes(t.kind) && device.hold !== 'hand' && device.hold !== 'arm'
            ? t.kind
            : wayOf(device),
        distanceMm: device.standOffMm,
      })),
    })
  const d = plan.device
  const laser = laserCaution(d.laserClass)
  const at = plan.takes[0]?.distanceMm ?? d.standOffMm
  return (
    <Group title={`Device: ${d.name}`}>
      {advice.sendOut && (
        <p className="text-[13.5px]">No device here suits this piece. Sending it out is an answer too.</p>
      )}
      {advice.combination && (
        <p className="text-[13.5px]">
          <b className="font-semibold">Two devices:</b> {advice.combination.text}
        </p>
      )}
      <ol className="grid gap-1.5" aria-label="Devices by fitness">
        {advice.ranked.map((s) => (
          <li
            key={s.device.id}
            data-testid="device"
            className={`rounded-lg border px-2.5 py-1.5 text-[13px] ${s.device.id === d.id ? 'border-ink' : 'border-hair'}`}
          >
            <span className="flex items-center gap-2">
              <VerdictMark verdict={s.verdict} />
              <b className="flex-1 font-semibold">{s.device.name}</b>
              {s.device.id === d.id ? (
                <span className="text-graphite">chosen</span>
              ) : (
                <Plain onClick={() => choose(s.device)}>Use it</Plain>
              )}
            </span>
            <Folded
              title={s.reasons.find((r) => r.verdict === s.verdict)?.text ?? s.reasons[0].text}
              titleClass="min-h-8 text-graphite"
            >
              <ul className="mt-1 grid gap-0.5">
                {s.reasons.map((r, i) => (
                  <li key={i} className="flex gap-1.5">
                    <span className="pt-0.5">
                      <VerdictMark verdict={r.verdict} />
                    </span>
                    {r.text}
                  </li>
                ))}
              </ul>
            </Folded>
          </li>
        ))}
      </ol>
      <table className="w-full text-[13px]">
        <tbody>
          {(
            [
              [`Window at ${Math.round(at)} mm`, `${windowAtMm(d, at).toFixed(0)} mm`],
              ['Spacing there', `${spacingAtMm(d, at).toFixed(3)} mm`],
              ['Noise there', `${rangeNoiseMm(d, at).toFixed(3)} mm`],
              ['Frames in a turn of 26 s', `${framesPerTurn(d, 26)}`],
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
      {d.modes.length > 0 && (
        <ul className="grid gap-0.5 text-[13px]" aria-label="Modes">
          {d.modes.map((m) => (
            <li key={m.name}>
              {m.name}:{' '}
              <span className="text-graphite">
                {m.use}; {(d.spacingMm * m.spacingFactor).toFixed(2)} mm,{' '}
                {m.speedFactor === 1 ? 'full speed' : `${Math.round(m.speedFactor * 100)} % of the speed`}
              </span>
            </li>
          ))}
        </ul>
      )}
      {d.flickers && <p className="text-[12.5px] text-graphite">{FLICKER_CAUTION.text}</p>}
      {laser && <p className="text-[12.5px] text-graphite">{laser.text} Follow the device’s sheet and local rules.</p>}
      <Link
        href="/devices"
        className="inline-flex min-h-8 items-center text-[13px] font-semibold text-verdigris hover:underline"
      >
        Profiles: look, change, add
      </Link>
    </Group>
  )
}
