'use client'
import { useEffect, useState } from 'react'
import type { StandIn } from '@holosoma/core/plan'
import { RANK_WORDS } from '@holosoma/core/brief'
import { Group, Plain, Tick } from '@/components/ui'
import { useBrief, usePlan, usePlanValue } from '@/lib/plan-desk'
import { useDesk } from '@/lib/store'
import { NumberRow, Pick } from '@/components/fields'

type Kind = StandIn['kind']
const KINDS: readonly (readonly [Kind, string])[] = [
  ['box', 'a box or slab'],
  ['cylinder', 'a cylinder'],
  ['ellipsoid', 'an ellipsoid'],
  ['lathe', 'turned, by its profile'],
  ['extrusion', 'an outline, drawn up'],
  ['mesh', 'an earlier mesh or scan'],
]
const FIRST: Readonly<Record<Exclude<Kind, 'mesh'>, StandIn>> = {
  box: { kind: 'box', bevelMm: 0, reliefMm: 0 },
  cylinder: { kind: 'cylinder' },
  ellipsoid: { kind: 'ellipsoid' },
  lathe: {
    kind: 'lathe',
    profile: [
      [30, 0],
      [30, 10],
      [18, 40],
      [24, 80],
      [16, 100],
    ],
  },
  extrusion: {
    kind: 'extrusion',
    outline: [
      [0, 0],
      [60, 0],
      [60, 20],
      [20, 20],
      [20, 60],
      [0, 60],
    ],
  },
}

/** What stands in for the piece until it has been scanned. */
export function StandInGroup() {
  const plan = usePlanValue()!
  const brief = useBrief()
  const state = useDesk((d) => d.state)
  const change = usePlan((p) => p.change)
  const s = plan.standIn
  const put = (standIn: StandIn): void => change({ ...plan, standIn })
  const meshes = [
    ...(state.mesh ? [{ hash: state.mesh.shape.hash, name: 'the skin' }] : []),
    ...state.takes.flatMap((t) => (t.shape ? [{ hash: t.shape.hash, name: `take “${t.name}”` }] : [])),
  ]
  const least = Math.min(brief.lengthMm, brief.widthMm, brief.heightMm)
  return (
    <Group title={`Stand-in: ${KINDS.find(([k]) => k === s.kind)![1]}`}>
      <Pick
        label="Form"
        value={s.kind}
        options={KINDS.filter(([k]) => k !== 'mesh' || meshes.length > 0 || s.kind === 'mesh')}
        onChange={(k) => put(k === 'mesh' ? { kind: 'mesh', ...meshes[0] } : FIRST[k])}
      />
      {s.kind === 'mesh' && meshes.length > 1 && (
        <Pick
          label="Which"
          value={s.hash}
          options={meshes.map((m) => [m.hash, m.name] as const)}
          onChange={(hash) => put({ kind: 'mesh', hash, name: meshes.find((m) => m.hash === hash)!.name })}
        />
      )}
      {s.kind === 'box' && (
        <>
          <NumberRow
            label="Bevel of its edges"
            unit="mm"
            value={s.bevelMm ?? 0}
            onChange={(bevelMm) => put({ ...s, bevelMm: Math.max(0, bevelMm) })}
          />
          <NumberRow
            label="Relief on top"
            unit="mm"
            value={s.reliefMm ?? 0}
            onChange={(reliefMm) =>
              put({ ...s, reliefMm: Math.max(0, reliefMm), ...(reliefMm > 0 && { hollow: null }) })
            }
          />
          {(s.reliefMm ?? 0) > 0 && (
            <Tick checked={s.reliefBelow ?? false} onChange={(v) => put({ ...s, reliefBelow: v })}>
              Relief or marks below too
            </Tick>
          )}
        </>
      )}
      {s.kind === 'lathe' && (
        <PairsField
          label="Radius and height, from the base up"
          value={s.profile}
          onChange={(profile) => put({ ...s, profile })}
          turned
        />
      )}
      {s.kind === 'extrusion' && (
        <PairsField label="Corners, going round" value={s.outline} onChange={(outline) => put({ ...s, outline })} />
      )}
      {s.kind !== 'mesh' && (
        <>
          <Pick
            label="Hollow"
            value={s.hollow ? 'yes' : 'no'}
            options={[
              ['no', 'none'],
              ['yes', 'open at the top'],
            ]}
            onChange={(v) =>
              put({
                ...s,
                hollow: v === 'yes' ? { wallMm: least / 10, depthMm: brief.heightMm / 2 } : null,
                ...(s.kind === 'box' && v === 'yes' && { reliefMm: 0 }),
              })
            }
          />
          {s.hollow && (
            <>
              <NumberRow
                label="Wall"
                unit="mm"
                value={s.hollow.wallMm}
                onChange={(wallMm) => put({ ...s, hollow: { ...s.hollow!, wallMm } })}
              />
              <NumberRow
                label="Depth"
                unit="mm"
                value={s.hollow.depthMm}
                onChange={(depthMm) => put({ ...s, hollow: { ...s.hollow!, depthMm } })}
              />
            </>
          )}
        </>
      )}
      <p className="text-[13px] text-graphite">
        Scaled to the brief: {brief.lengthMm} × {brief.widthMm} × {brief.heightMm} mm.
      </p>
    </Group>
  )
}

type Pairs = readonly (readonly [number, number])[]

/** Pairs of numbers, one a line, or drawn: a click on the drawing adds the next one. */
function PairsField({
  label,
  value,
  onChange,
  turned,
}: {
  label: string
  value: Pairs
  onChange: (v: Pairs) => void
  turned?: boolean
}) {
  const shown = value.map((p) => p.join(' ')).join('\n')
  const [text, setText] = useState(shown)
  useEffect(() => setText(shown), [shown])
  const parse = (t: string): Pairs | null => {
    const rows = t
      .split('\n')
      .map((l) => l.trim())
      .filter((l) => l !== '')
      .map((l) => l.split(/[\s;]+/).map((v) => Number(v.replace(',', '.'))))
    return rows.length >= (turned ? 2 : 3) && rows.every((r) => r.length === 2 && r.every(Number.isFinite))
      ? (rows as unknown as Pairs)
      : null
  }
  const xs = value.map(([x]) => x),
    ys = value.map(([, y]) => y)
  const size = Math.max(...xs, ...ys, 1) * 1.15
  const low = Math.min(0, ...xs, ...ys)
  const put = (x: number): number => ((x - low) / (size - low)) * 130
  return (
    <div className="grid gap-1 text-[13px]">
      <span>{label}</span>
      <div className="flex gap-2">
        <textarea
          aria-label={label}
          rows={6}
          value={text}
          className="figure w-28 rounded-md border border-hair bg-field px-2 py-1"
          onChange={(e) => {
            setText(e.target.value)
            const rows = parse(e.target.value)
            if (rows) onChange(rows)
          }}
        />
        <svg
          viewBox="0 0 130 130"
          className="h-[130px] w-[130px] cursor-crosshair rounded-md border border-hair bg-field"
          role="img"
          aria-label="Drawing; a click adds the next point"
          onClick={(e) => {
            const box = e.currentTarget.getBoundingClientRect()
            const at = (v: number): number => Math.round((low + (v / 130) * (size - low)) * 10) / 10
            onChange([...value, [at(e.clientX - box.left), at(130 - (e.clientY - box.top))]])
          }}
        >
          {turned && <line x1={put(0)} x2={put(0)} y1="0" y2="130" stroke="#D9D2C3" strokeDasharray="3 3" />}
          <polyline
            points={[...value, ...(turned ? [] : value.slice(0, 1))]
              .map(([x, y]) => `${put(x)},${130 - put(y)}`)
              .join(' ')}
            fill="none"
            stroke="#23272B"
            strokeWidth="1.5"
          />
          {value.map(([x, y], i) => (
            <circle key={i} cx={put(x)} cy={130 - put(y)} r="2.5" fill="#2B7A70" />
          ))}
        </svg>
      </div>
    </div>
  )
}

/** Areas of the brief, painted on the stand-in. */
export function AreasGroup() {
  const brief = useBrief()
  const { painting, brushMm, changeBrief, set } = usePlan()
  return (
    <Group title={`Areas, ${brief.areas.length}`}>
      <ul className="grid gap-1">
        {brief.areas.map((a, i) => (
          <li key={i} className="flex items-center gap-2 text-[13px]">
            <span className="flex-1">
              {a.name}{' '}
              <span className="text-graphite">
                {RANK_WORDS[a.rank]}
                {a.strokes?.length ? `, ${a.strokes.length} strokes` : ''}
              </span>
            </span>
            <Plain aria-pressed={painting === i} onClick={() => set({ painting: painting === i ? null : i })}>
              {painting === i ? 'Stop painting' : 'Paint'}
            </Plain>
            {!!a.strokes?.length && (
              <Plain
                onClick={() =>
                  changeBrief({
                    ...brief,
                    areas: brief.areas.map((b, k) => (k === i ? { ...b, strokes: b.strokes!.slice(0, -1) } : b)),
                  })
                }
              >
                Last stroke back
              </Plain>
            )}
          </li>
        ))}
      </ul>
      {painting !== null && (
        <>
          <NumberRow label="Brush" unit="mm" value={brushMm} onChange={(v) => set({ brushMm: Math.max(0.5, v) })} />
          <p className="text-[13px] text-graphite">Click on the stand-in to paint “{brief.areas[painting]?.name}”.</p>
        </>
      )}
      <Plain
        onClick={() => {
          changeBrief({
            ...brief,
            areas: [
              ...brief.areas,
              {
                name: `area ${brief.areas.length + 1}`,
                rank: 'must',
                place: 'painted',
                fromMm: null,
                toMm: null,
                strokes: [],
              },
            ],
          })
          set({ painting: brief.areas.length })
        }}
      >
        Paint a new area that must hold
      </Plain>
    </Group>
  )
}
