'use client'
import { useEffect, useState } from 'react'
import { POSES, POSE_WORDS, TAKE_KINDS, TAKE_WORDS, type PlannedTake, TURN_CAUTION } from '@holosoma/core/plan'
import { Group, Plain } from '@/components/ui'
import { usePlan, usePlanValue } from '@/lib/plan-desk'
import { NumberRow, Pick, Slide } from '@/components/fields'

/** One planned take: pose, ring, distance and the rest. */
export function TakeEditor({ index }: { index: number }) {
  const plan = usePlanValue()!
  const change = usePlan((p) => p.change)
  const set = usePlan((p) => p.set)
  const details = usePlan((p) => p.details)
  const take = plan.takes[index]
  const [name, setName] = useState(take.name)
  useEffect(() => setName(take.name), [take.name])
  const with_ = (c: Partial<PlannedTake>): void =>
    change({ ...plan, takes: plan.takes.map((t, i) => (i === index ? { ...t, ...c } : t)) })
  const d = plan.device
  const restart = details?.restart[index]
  return (
    <Group title={`Take ${index + 1}, “${take.name}”`} open>
      <label className="flex items-center justify-between gap-3 text-[13px]">
        Name
        <input
          value={name}
          onChange={(e) => setName(e.target.value)}
          onBlur={() => {
            const next = name.trim().replaceAll(/[/\\]/g, '-').slice(0, 60)
            if (next !== '' && !plan.takes.some((t, i) => i !== index && t.name === next)) with_({ name: next })
            else setName(take.name)
          }}
          className="h-8 w-[62%] rounded-md border border-hair bg-field px-2"
        />
      </label>
      <Pick
        label="How"
        value={take.kind}
        options={TAKE_KINDS.map((k) => [k, TAKE_WORDS[k]] as const)}
        onChange={(kind) => with_({ kind })}
      />
      <Pick
        label="Pose"
        value={take.pose}
        options={POSES.map((p) => [p, POSE_WORDS[p]] as const)}
        onChange={(pose) => with_({ pose, ...(pose === 'lean' && { support: 'putty' as const }) })}
      />
      {take.pose !== 'upright' && <p className="text-[12.5px] text-graphite">{TURN_CAUTION.text}</p>}
      {take.pose === 'custom' && (
        <>
          <Slide
            label="Turned about left–right"
            unit="°"
            min={-180}
            max={180}
            value={take.aboutXDeg}
            onChange={(aboutXDeg) => with_({ aboutXDeg })}
          />
          <Slide
            label="Turned about front–back"
            unit="°"
            min={-180}
            max={180}
            value={take.aboutYDeg}
            onChange={(aboutYDeg) => with_({ aboutYDeg })}
          />
        </>
      )}
      <Slide
        label={take.kind === 'handheld' ? 'Lowest slant' : 'Elevation'}
        unit="°"
        min={take.kind === 'grip' || take.kind === 'vise' ? -60 : 0}
        max={85}
        value={take.elevationDeg}
        onChange={(elevationDeg) => with_({ elevationDeg })}
      />
      <Slide
        label={`Distance, band ${d.nearMm} to ${d.farMm}`}
        unit="mm"
        min={d.nearMm}
        max={d.farMm}
        value={take.distanceMm}
        onChange={(distanceMm) => with_({ distanceMm })}
      />
      {take.kind === 'handheld' ? (
        <>
          <NumberRow
            label="Strokes"
            unit=""
            value={take.strokes}
            onChange={(v) => with_({ strokes: Math.max(1, Math.round(v)) })}
          />
          <NumberRow
            label="Sections"
            unit=""
            value={take.sections}
            onChange={(v) => with_({ sections: Math.max(1, Math.round(v)) })}
          />
        </>
      ) : (
        <>
          <Pick
            label="Table"
            value={take.secondsPerTurn === null ? 'steps' : 'turning'}
            options={[
              ['steps', 'in steps'],
              ['turning', 'turning'],
            ]}
            onChange={(m) => with_({ secondsPerTurn: m === 'steps' ? null : 26 })}
          />
          {take.secondsPerTurn === null ? (
            <NumberRow
              label={take.kind === 'arm' ? 'Places round' : 'Shots'}
              unit=""
              value={take.steps}
              onChange={(v) => with_({ steps: Math.max(1, Math.round(v)) })}
            />
          ) : (
            <NumberRow
              label="A turn takes"
              unit="s"
              value={take.secondsPerTurn}
              onChange={(secondsPerTurn) => with_({ secondsPerTurn })}
            />
          )}
          {take.kind === 'arm' && (
            <NumberRow
              label="Passes"
              unit=""
              value={take.strokes}
              onChange={(v) => with_({ strokes: Math.max(1, Math.round(v)) })}
            />
          )}
          <NumberRow
            label="Part of a turn"
            unit="°"
            value={take.sweepDeg}
            onChange={(sweepDeg) => with_({ sweepDeg })}
          />
        </>
      )}
      <NumberRow
        label="Side towards the device"
        unit="°"
        value={take.headingDeg}
        onChange={(headingDeg) => with_({ headingDeg })}
      />
      <NumberRow
        label="Exposures"
        unit=""
        value={take.exposures}
        onChange={(v) => with_({ exposures: Math.max(1, Math.round(v)) })}
      />
      <Pick
        label="Stands on"
        value={take.support}
        options={[
          ['plate', 'the plate'],
          ['riser', 'a riser'],
          ['putty', 'putty'],
        ]}
        onChange={(support) => with_({ support, riserMm: support === 'plate' ? 0 : take.riserMm || 15 })}
      />
      {take.support !== 'plate' && (
        <NumberRow label="Height of it" unit="mm" value={take.riserMm} onChange={(riserMm) => with_({ riserMm })} />
      )}
      <Pick
        label="Floor limit"
        value={take.floorMm === null ? 'none' : 'set'}
        options={[
          ['none', 'none'],
          ['set', 'over the table'],
        ]}
        onChange={(v) => with_({ floorMm: v === 'none' ? null : 1 })}
      />
      {take.floorMm !== null && (
        <NumberRow
          label="Nothing lower than"
          unit="mm"
          value={take.floorMm}
          onChange={(floorMm) => with_({ floorMm })}
        />
      )}
      <Pick
        label="Box round it"
        value={take.boxMm === null ? 'none' : 'set'}
        options={[
          ['none', 'none'],
          ['set', 'set'],
        ]}
        onChange={(v) => with_({ boxMm: v === 'none' ? null : 200 })}
      />
      {take.boxMm !== null && (
        <NumberRow label="Edge of the box" unit="mm" value={take.boxMm} onChange={(boxMm) => with_({ boxMm })} />
      )}
      {index > 0 && restart && (
        <p className="text-[13px] text-graphite">
          After the turn begin at {restart.atDeg}°: {Math.round(restart.known * 100)} % of what is in view there is
          known.{' '}
          {restart.known > 0 && take.restartDeg !== restart.atDeg && (
            <button
              type="button"
              className="min-h-8 font-semibold text-verdigris hover:underline"
              onClick={() => with_({ restartDeg: restart.atDeg })}
            >
              Begin there
            </button>
          )}
        </p>
      )}
      <div className="flex gap-2">
        <Plain
          className="flex-1"
          onClick={() => {
            const copy = `${take.name} again`.slice(0, 60)
            if (!plan.takes.some((t) => t.name === copy))
              change({ ...plan, takes: [...plan.takes, { ...take, name: copy }] })
          }}
        >
          Copy it
        </Plain>
        <Plain
          className="flex-1"
          onClick={() => {
            change({ ...plan, takes: plan.takes.filter((_, i) => i !== index) })
            set({ take: Math.max(0, index - 1) })
          }}
        >
          Take it out
        </Plain>
      </div>
    </Group>
  )
}
