'use client'
import { timeOfDay } from '@/lib/dates'
import { useState } from 'react'
import { type Calibration, benchFindings, type LoggedEvent } from '@holosoma/core/bench'
import { Group, NumberField, Plain, Told, VerdictMark } from '@/components/ui'
import { api } from '@/lib/api'
import { mm } from '@/lib/format'
import { attempt, useDesk } from '@/lib/store'

const WORDS: Readonly<Record<LoggedEvent['kind'], string>> = {
  begin: 'session begun',
  temperature: 'temperature',
  deviceMoved: 'device moved',
  tableMoved: 'table moved',
  pieceTurned: 'piece turned',
  knock: 'device knocked',
  transport: 'device carried elsewhere',
  reference: 'empty bench taken',
  coat: 'coated',
  calibrated: 'calibrated',
  light: 'light',
  distance: 'distance',
  taken: 'taken',
  phone: 'phone',
  photos: 'photos',
}

function detail(e: LoggedEvent): string {
  switch (e.kind) {
    case 'begin':
      return [e.who, e.where].filter((t) => t !== '').join(', ')
    case 'temperature':
      return `${e.celsius} °C`
    case 'calibrated':
      return `${e.mode}, residual ${e.residualMm.toFixed(3)} mm`
    case 'light':
      return `${e.stops > 0 ? '+' : ''}${e.stops} stops`
    case 'distance':
      return `${e.fartherMm > 0 ? '+' : ''}${e.fartherMm} mm`
    case 'taken':
      return `“${e.name}”`
    case 'phone':
      return e.keptAwake ? 'kept awake' : 'left alone'
    case 'photos':
      return `${e.count} of “${e.name}”`
    default:
      return ''
  }
}

/** What happened at the bench, and what the rules of the bench say of it. */
export function SessionGroup() {
  const state = useDesk((d) => d.state)
  const { session } = state
  const [who, setWho] = useState(session.who)
  const [where, setWhere] = useState(session.where)
  const [celsius, setCelsius] = useState(String(session.temperatureC))
  const [result, setResult] = useState<Calibration | null>(null)
  // Hours matter here, not seconds.
  const [now] = useState(() => Date.now())
  const dots = state.plan?.content.dots.where === 'mat' || state.plan?.content.dots.where === 'stands'
  const notes = benchFindings(session, now, dots)
  const log = (event: object): Promise<void> => attempt(() => api.benchEvent(state.piece.id, event))
  const calibrate = (mode: 'near' | 'far'): Promise<void> =>
    attempt(async () => {
      setResult((await api.calibrate(state.piece.id, mode)).result)
    })
  const worst = notes.find((n) => n.verdict !== 'sound')
  return (
    <Group title={`Session: ${worst ? (worst.nextMove ?? 'look at it') : 'in order'}`}>
      {notes.map((n) => (
        <Told key={n.id} verdict={n.verdict}>
          {n.text}
        </Told>
      ))}
      <div className="grid grid-cols-2 gap-1.5">
        <Plain onClick={() => log({ kind: 'reference' })}>Take the empty bench</Plain>
        <Plain onClick={() => log({ kind: 'coat' })}>Piece coated</Plain>
        <Plain onClick={() => calibrate('near')}>Calibrate, near</Plain>
        <Plain onClick={() => calibrate('far')}>Calibrate, far</Plain>
        <Plain onClick={() => log({ kind: 'pieceTurned' })}>Piece turned</Plain>
        <Plain onClick={() => log({ kind: 'tableMoved' })}>Table moved</Plain>
        <Plain onClick={() => log({ kind: 'deviceMoved' })}>Device moved</Plain>
        <Plain onClick={() => log({ kind: 'knock' })}>Device knocked</Plain>
        <Plain className="col-span-2" onClick={() => log({ kind: 'transport' })}>
          Device carried to another place
        </Plain>
      </div>
      {result && (
        <p className="flex items-start gap-1.5 text-[13px]" role="status">
          <span className="mt-0.5">
            <VerdictMark verdict={result.verdict} />
          </span>
          Board seen {result.views} times in {result.mode} mode: scale was off by {result.scalePpm.toFixed(0)} ppm, bow
          by {mm(result.bowMm, 3)}; {mm(result.residualMm, 4)} are left over.
        </p>
      )}
      <NumberField
        label="Temperature"
        unit="°C"
        value={celsius}
        onChange={(e) => setCelsius(e.target.value)}
        onBlur={() =>
          Number.isFinite(Number(celsius)) &&
          celsius.trim() !== '' &&
          Number(celsius) !== session.temperatureC &&
          log({ kind: 'temperature', celsius: Number(celsius) })
        }
      />
      <label className="flex items-center justify-between gap-3 text-[13px]">
        <span>Who</span>
        <input
          value={who}
          maxLength={120}
          onChange={(e) => setWho(e.target.value)}
          onBlur={() => who !== session.who && log({ kind: 'begin', who, where })}
          className="h-8 w-44 rounded-md border border-hair bg-field px-2"
        />
      </label>
      <label className="flex items-center justify-between gap-3 text-[13px]">
        <span>Where</span>
        <input
          value={where}
          maxLength={120}
          onChange={(e) => setWhere(e.target.value)}
          onBlur={() => where !== session.where && log({ kind: 'begin', who, where })}
          className="h-8 w-44 rounded-md border border-hair bg-field px-2"
        />
      </label>
      {session.log.length > 0 && (
        <table className="w-full text-[13px]" data-testid="session-log">
          <tbody>
            {session.log
              .slice(-12)
              .reverse()
              .map((e, i) => (
                <tr key={i} className="border-t border-rule">
                  <td className="figure py-1 pr-2 whitespace-nowrap text-graphite">{timeOfDay(e.at)}</td>
                  <td className="py-1">
                    {WORDS[e.kind]} <span className="text-graphite">{detail(e)}</span>
                  </td>
                </tr>
              ))}
          </tbody>
        </table>
      )}
    </Group>
  )
}
