'use client'
import { useEffect, useRef } from 'react'
import type { TakeState } from '@holosoma/engine'
import { Plain } from '@/components/ui'
import { useDrawData } from '@/components/use-draw-data'
import { alternativeWords } from '@holosoma/core/align'
import { capital } from '@holosoma/core/findings'
import { mm, percent } from '@/lib/format'
import type { JoinAlternative } from '@holosoma/core/operations'
import { movedMotions } from '@/lib/joining'
import { pigmentOf } from '@/lib/pigments'
import { submit, attempt, useBusy, useDesk } from '@/lib/store'

const WIDE = 150
const HIGH = 104
const POINTS = 2500

/**
 * Every pose that fits as well, or on less and uncontradicted, drawn from the same side: look at it on the stage, take
 * it, or settle it another way.
 */
export function AlternativesGroup({
  takes,
  alternatives,
}: {
  takes: readonly TakeState[]
  alternatives: readonly JoinAlternative[]
}) {
  const join = useDesk((d) => d.state.join)!
  const shown = useDesk((d) => d.alternative)
  const set = useDesk((d) => d.set)
  const busy = useBusy()
  const poses: { name: string; note: string; rows: Record<string, number[][]>; at: number | null }[] = [
    {
      name: 'As taken',
      note: alternatives[0]
        ? `${percent(alternatives[0].mainShare, 0)} shared, ${mm(alternatives[0].mainRmsMm, 3)}`
        : '',
      rows: join.motions,
      at: null,
    },
    ...alternatives.map((a, i) => ({
      name: capital(alternativeWords({ turnDeg: a.turnDeg, shiftMm: a.shiftMm ?? 0 })),
      note: `${percent(a.share, 0)} shared, ${mm(a.rmsMm, 3)}${a.asWell ? '' : '; nothing against it'}`,
      rows: movedMotions(join.motions, a.movers, a.motion),
      at: i,
    })),
  ]
  return (
    <div className="grid gap-2" data-testid="alternatives">
      <div className="grid grid-cols-2 gap-2">
        {poses.map((p) => (
          <button
            key={p.name + p.at}
            type="button"
            aria-pressed={shown === p.at}
            onClick={() => set({ alternative: p.at, view: 'takes' })}
            className={`rounded-md border bg-field p-1 text-left text-[12.5px] ${shown === p.at ? 'border-ink shadow-[inset_0_0_0_1px_var(--color-ink)]' : 'border-hair'}`}
          >
            <Thumb takes={takes} rows={p.rows} />
            <b className="block font-medium">{p.name}</b>
            <span className="figure text-[12px] text-graphite">{p.note}</span>
          </button>
        ))}
      </div>
      {shown !== null && alternatives[shown] && (
        <Plain
          disabled={busy}
          onClick={() =>
            attempt(async () => {
              await submit({ operation: 'join.match', params: { initial: poses[shown + 1].rows } })
              set({ alternative: null })
            })
          }
        >
          Take this pose
        </Plain>
      )}
    </div>
  )
}

/** The joined takes from one fixed side, a few thousand points. */
function Thumb({ takes, rows }: { takes: readonly TakeState[]; rows: Record<string, number[][]> }) {
  const canvas = useRef<HTMLCanvasElement>(null)
  const data = useDrawData(takes.map((t) => t.shape!.hash))
  useEffect(() => {
    const c = canvas.current?.getContext('2d')
    if (!c) return
    const seen: { x: number; y: number; depth: number; colour: string }[] = []
    for (const t of takes) {
      const d = data.get(t.shape!.hash),
        m = rows[t.name]
      if (!d || !m) continue
      const n = Math.min(d.positions.length / 3, Math.ceil(POINTS / takes.length))
      for (let i = 0; i < n; i++) {
        const [x, y, z] = [0, 1, 2].map(
          (r) =>
            m[r][0] * d.positions[i * 3] +
            m[r][1] * d.positions[i * 3 + 1] +
            m[r][2] * d.positions[i * 3 + 2] +
            m[r][3],
        ) as [number, number, number]
        seen.push({
          x: 0.87 * x + 0.5 * y,
          y: 0.25 * x - 0.43 * y - 0.87 * z,
          depth: -0.43 * x + 0.75 * y - 0.5 * z,
          colour: pigmentOf(t).colour,
        })
      }
    }
    c.clearRect(0, 0, 2 * WIDE, 2 * HIGH)
    if (seen.length === 0) return
    const xs = seen.map((p) => p.x),
      ys = seen.map((p) => p.y)
    const [x0, x1, y0, y1] = [Math.min(...xs), Math.max(...xs), Math.min(...ys), Math.max(...ys)]
    const scale = Math.min((2 * WIDE - 12) / (x1 - x0 || 1), (2 * HIGH - 12) / (y1 - y0 || 1))
    for (const p of seen.sort((a, b) => b.depth - a.depth)) {
      c.fillStyle = p.colour
      c.fillRect(WIDE + (p.x - (x0 + x1) / 2) * scale, HIGH + (p.y - (y0 + y1) / 2) * scale, 3, 3)
    }
  }, [takes, data, rows])
  return (
    <canvas
      ref={canvas}
      width={2 * WIDE}
      height={2 * HIGH}
      className="h-[104px] w-full object-contain"
      aria-hidden="true"
    />
  )
}
