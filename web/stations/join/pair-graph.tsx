'use client'
import type { TakeState } from '@holosoma/engine'
import { DataTable, VerdictMark } from '@/components/ui'
import { percent } from '@/lib/format'
import type { JoinTold } from '@/lib/joining'
import { pigmentOf } from '@/lib/pigments'

const WIDTH = 380
const WEIGHT = { sound: 2.5, doubtful: 2, unsound: 1.5 } as const
const DASH = { sound: undefined, doubtful: '7 4', unsound: '2 4' } as const
const INK = { sound: 'var(--color-verdigris)', doubtful: 'var(--color-ochre)', unsound: 'var(--color-madder)' } as const
/** Best first. */
const VERDICTS = ['sound', 'doubtful', 'unsound']

/** Takes and what holds them to each other: lines are thicker the more is shared, broken where they are not sound. */
export function PairGraph({ takes, figures }: { takes: readonly TakeState[]; figures: JoinTold }) {
  const height = takes.length === 2 ? 84 : 190
  const at = new Map(
    takes.map((t, i) => {
      const angle = Math.PI + (2 * Math.PI * i) / takes.length
      return [
        t.name,
        {
          x: WIDTH / 2 + Math.cos(angle) * (takes.length === 2 ? 120 : 140),
          y: height / 2 + Math.sin(angle) * 66,
          take: t,
        },
      ]
    }),
  )
  const linked = (a: string, b: string): boolean =>
    figures.links.some(([p, q]) => (p === a && q === b) || (p === b && q === a))
  const play = (p: JoinTold['pairs'][number]): string =>
    p.free > 0 ? 'free' : p.playMm === null ? '' : `${p.playMm.toFixed(p.playMm < 0.1 ? 3 : 2)}`
  return (
    <div>
      <svg
        viewBox={`0 0 ${WIDTH} ${height}`}
        className="w-full"
        role="img"
        aria-label={figures.pairs
          .map((p) => `${p.fixed} and ${p.take}: ${percent(p.overlap, 0)} shared, ${p.verdict}`)
          .join('; ')}
        data-testid="pair-graph"
      >
        {figures.pairs.map((p) => {
          const a = at.get(p.fixed),
            b = at.get(p.take)
          if (!a || !b) return null
          const alone = takes.length === 2
          return (
            <g key={`${p.fixed} ${p.take}`}>
              <line
                x1={a.x}
                y1={a.y}
                x2={b.x}
                y2={b.y}
                stroke={INK[p.verdict]}
                strokeOpacity={linked(p.fixed, p.take) ? 1 : 0.45}
                strokeWidth={WEIGHT[p.verdict] * (0.7 + 2 * p.overlap)}
                strokeDasharray={DASH[p.verdict]}
              />
              {(alone || takes.length <= 4) && (
                <text
                  x={(a.x + b.x) / 2}
                  y={(a.y + b.y) / 2 - 6}
                  textAnchor="middle"
                  className="figure"
                  fontSize="12"
                  fill="var(--color-graphite)"
                  stroke="var(--color-card)"
                  strokeWidth="4"
                  paintOrder="stroke"
                >
                  {percent(p.overlap, 0)}
                </text>
              )}
            </g>
          )
        })}
        {[...at.values()].map(({ x, y, take }) => (
          <g key={take.id}>
            <rect
              x={x - 14}
              y={y - 14}
              width="28"
              height="28"
              rx="6"
              fill={pigmentOf(take).colour}
              stroke="var(--color-card)"
              strokeWidth="2"
            />
            <text x={x} y={y + 4.5} textAnchor="middle" fontSize="13" fontWeight="600" fill="#fff">
              {take.ordinal}
            </text>
            <text
              x={x}
              y={y + (y > height / 2 + 1 ? 29 : -20)}
              textAnchor="middle"
              fontSize="12"
              fill="var(--color-ink)"
              stroke="var(--color-card)"
              strokeWidth="3"
              paintOrder="stroke"
            >
              {take.name}
              {take.fixed ? ', fixed' : ''}
            </text>
          </g>
        ))}
      </svg>
      <DataTable
        label="Pairs of takes"
        testId="pair-table"
        rows={figures.pairs}
        keyOf={(p) => `${p.fixed} ${p.take}`}
        columns={[
          { id: 'pair', header: 'Pair', names: true, cell: (p) => `${p.fixed}, ${p.take}` },
          { id: 'shared', header: 'shared', sortBy: (p) => p.overlap, cell: (p) => percent(p.overlap, 0) },
          { id: 'p95', header: '95 within', sortBy: (p) => p.p95Mm, cell: (p) => p.p95Mm.toFixed(2) },
          { id: 'play', header: 'play, mm', cell: play },
          {
            id: 'verdict',
            header: 'Verdict',
            hideHeader: true,
            sortBy: (p) => VERDICTS.indexOf(p.verdict),
            cell: (p) => (
              <span role="img" aria-label={p.verdict} className="inline-block pt-0.5">
                <VerdictMark verdict={p.verdict} />
              </span>
            ),
          },
        ]}
      />
    </div>
  )
}
