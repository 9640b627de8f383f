'use client'
import { RANK_WORDS } from '@holosoma/core/brief'
import { MIN_OVERLAP, type PairReport, type PairLookAlikes } from '@holosoma/core/plan'
import { motionWords } from '@holosoma/core/align'
import { DataTable, Group } from '@/components/ui'
import { percent } from '@/lib/format'
import { pigment } from '@/lib/pigments'
import { useBrief, usePlan, usePlanValue } from '@/lib/plan-desk'

type Area = ReturnType<typeof useBrief>['areas'][number]

const playText = (p: PairReport): string =>
  p.freeCount > 0
    ? `${p.freeCount} free`
    : p.playMm < 0.1
      ? `${(p.playMm * 1000).toFixed(0)} µm`
      : `${p.playMm.toFixed(2)} mm`

/** Which takes see what, and how each two hold to each other: coverage by take, and the graph of pairs. */
export function PairsGroup() {
  const plan = usePlanValue()!
  const evaluation = usePlan((p) => p.evaluation)
  const details = usePlan((p) => p.details)
  const brief = useBrief()
  if (!evaluation || plan.takes.length !== evaluation.report.seen.perTake.length) return null
  const { pairs } = evaluation.report.join
  const { seen } = evaluation.report
  const alikeOf = (p: PairReport): PairLookAlikes | undefined =>
    details?.lookAlikes.find((l) => l.a === p.a && l.b === p.b && (l.found.length > 0 || l.everyAngleAbout !== null))
  return (
    <Group title="Takes against each other">
      {plan.takes.length < 2 ? (
        <p className="text-[13px] text-graphite">One take alone: nothing to compare.</p>
      ) : (
        <>
          <PairGraph pairs={pairs} count={plan.takes.length} alikeOf={alikeOf} />
          <DataTable
            label="Pairs of takes"
            testId="pairs-table"
            rows={pairs}
            keyOf={(p) => `${p.a}-${p.b}`}
            columns={[
              {
                id: 'pair',
                header: 'Pair',
                names: true,
                cell: (p) => <PairWords pair={p} takes={plan.takes} alike={alikeOf(p)} />,
              },
              {
                id: 'shares',
                header: 'shares',
                sortBy: (p) => p.overlap,
                cell: (p) => percent(Math.min(1, p.overlap), 0),
              },
              {
                id: 'play',
                header: 'play',
                sortBy: (p) => (p.freeCount > 0 ? Infinity : p.playMm),
                cell: (p) => (p.overlap === 0 ? '–' : playText(p)),
              },
            ]}
          />
        </>
      )}
      <DataTable
        label="What each take sees"
        testId="coverage-table"
        rows={plan.takes}
        keyOf={(t) => t.name}
        columns={[
          {
            id: 'take',
            header: 'Take',
            names: true,
            cell: (t, i) => (
              <>
                <i
                  className="mr-1.5 inline-block h-2.5 w-2.5 rounded-sm"
                  style={{ background: pigment(i + 1).colour }}
                />
                {i + 1} {t.name}
              </>
            ),
          },
          { id: 'sees', header: 'sees', cell: (_, i) => percent(seen.perTake[i]) },
          { id: 'alone', header: 'only it sees', cell: (_, i) => percent(seen.aloneByTake[i]) },
        ]}
      />
      {brief.areas.length > 0 && brief.areas.length === seen.areas.length && (
        <DataTable
          label="Areas of the brief"
          testId="areas-table"
          rows={brief.areas}
          keyOf={(_, k) => String(k)}
          columns={[
            {
              id: 'area',
              header: 'Area',
              names: true,
              cell: (a) => (
                <>
                  {a.name} <span className="text-graphite">{RANK_WORDS[a.rank]}</span>
                </>
              ),
            },
            ...plan.takes.map((t, i) => ({
              id: `take ${i}`,
              header: String(i + 1),
              title: t.name,
              cell: (_: Area, k: number) => percent(seen.areas[k].perTake[i], 0),
            })),
            {
              id: 'all',
              header: 'all',
              cell: (_, k) => (seen.areas[k].areaMm2 === 0 ? 'none' : percent(seen.areas[k].seen, 0)),
            },
          ]}
        />
      )}
    </Group>
  )
}

/** Two takes by name, how they can still move against each other, and where else they fit. */
function PairWords({
  pair: p,
  takes,
  alike,
}: {
  pair: PairReport
  takes: readonly { readonly name: string }[]
  alike: PairLookAlikes | undefined
}) {
  const ways = new Set(p.modes.filter((m) => m.motion.free).map((m) => motionWords(m.motion)))
  return (
    <>
      {p.a + 1} {takes[p.a].name}, {p.b + 1} {takes[p.b].name}
      {p.freeCount > 0 && p.modes.length > 0 && <span className="block text-graphite">can {[...ways].join(', ')}</span>}
      {alike && (
        <span className="block text-graphite">
          fits{' '}
          {alike.everyAngleAbout
            ? 'at every angle'
            : `turned by ${[...new Set(alike.found.map((f) => `${Math.round(f.turnDeg)}°`))].join(', ')}`}{' '}
          too
        </span>
      )}
    </>
  )
}

/**
 * Takes on a ring; a line for each pair, as heavy as what it shares: whole where it holds, broken where it slides,
 * doubled where it looks alike.
 */
function PairGraph({
  pairs,
  count,
  alikeOf,
}: {
  pairs: readonly PairReport[]
  count: number
  alikeOf: (p: PairReport) => PairLookAlikes | undefined
}) {
  const at = (i: number): [number, number] => {
    const a = -Math.PI / 2 + (i / count) * 2 * Math.PI
    return count === 2 ? [i === 0 ? 60 : 260, 45] : [160 + 62 * Math.cos(a) * 1.7, 80 + 62 * Math.sin(a)]
  }
  const height = count === 2 ? 90 : 160
  return (
    <svg
      viewBox={`0 0 320 ${height}`}
      className="w-full"
      role="img"
      aria-label="Graph of pairs: heavier lines share more; broken lines slide, double lines look alike"
    >
      {pairs
        .filter((p) => p.overlap > 0)
        .map((p) => {
          const [x1, y1] = at(p.a),
            [x2, y2] = at(p.b)
          const width = 1 + 7 * Math.min(1, p.overlap)
          const alike = alikeOf(p)
          return (
            <g key={`${p.a}-${p.b}`}>
              <line
                x1={x1}
                y1={y1}
                x2={x2}
                y2={y2}
                stroke="#5B6168"
                strokeWidth={width}
                strokeDasharray={p.freeCount > 0 ? '7 5' : undefined}
                strokeOpacity={p.overlap < MIN_OVERLAP ? 0.4 : 0.85}
              />
              {alike && (
                <line x1={x1} y1={y1} x2={x2} y2={y2} stroke="#FBF9F4" strokeWidth={Math.max(1.2, width / 3)} />
              )}
              <text
                x={(x1 + x2) / 2}
                y={(y1 + y2) / 2 - 7}
                textAnchor="middle"
                fontSize="12"
                fill="#23272B"
                stroke="#FBF9F4"
                strokeWidth="4"
                paintOrder="stroke"
              >
                {Math.round(100 * Math.min(1, p.overlap))} %{p.freeCount > 0 ? ', slides' : ''}
                {alike ? ', alike' : ''}
              </text>
            </g>
          )
        })}
      {Array.from({ length: count }, (_, i) => {
        const [x, y] = at(i)
        return (
          <g key={i}>
            <circle cx={x} cy={y} r="13" fill={pigment(i + 1).colour} />
            <text x={x} y={y + 4.5} textAnchor="middle" fontSize="13" fontWeight="600" fill="#fff">
              {i + 1}
            </text>
          </g>
        )
      })}
    </svg>
  )
}
