/**
 * Limits of the verdict set leaving one piece out: for each piece the limits are chosen on the joins of the other five
 * and tried on its own.
 *   npx tsx benchmarks/verdict-limits.ts benchmarks/out/verdicts-1.json benchmarks/out/verdicts-1001.json …
 */
import { readFileSync } from 'node:fs'
import { JOIN_LIMITS } from '../core/src/align/judge/limits'
import { verdictFrom, type JoinLimits } from '../core/src/align/judge/evidence'
import { kindsOf, tableOf, type VerdictRow } from './verdict-table'

const rows = process.argv.slice(2).flatMap((f) => JSON.parse(readFileSync(f, 'utf8')) as VerdictRow[])
const differ = rows.filter((r) => verdictFrom(r.evidence) !== r.verdict)
if (differ.length > 0)
  throw new Error(
    `${differ.length} verdicts do not follow from their numbers: ${differ
      .slice(0, 5)
      .map((r) => `${r.piece} ${r.kind} ${r.seed}: ${r.verdict}, ${verdictFrom(r.evidence)}`)
      .join('; ')}`,
  )

const FACTORS = [0.4, 0.55, 0.75, 1, 1.35, 1.8, 2.5]
type Key = keyof JoinLimits

/** Right verdicts, doubtful ones for half; a bad join trusted costs as much as ten. */
function worth(some: readonly VerdictRow[], limits: JoinLimits): number {
  const { bad, good, luck } = kindsOf(some)
  const count = (list: readonly VerdictRow[], v: string): number =>
    list.filter((r) => verdictFrom(r.evidence, limits) === v).length
  const kind = (list: readonly VerdictRow[], right: string, wrong: string): number =>
    list.length === 0
      ? 0
      : (count(list, right) + 0.5 * count(list, 'doubtful') - (wrong === 'sound' ? 10 : 0) * count(list, wrong)) /
        list.length
  return kind(bad, 'unsound', 'sound') + kind(good, 'sound', 'unsound') + 0.3 * kind(luck, 'unsound', 'sound')
}

/** One limit after the other, until none wants to move; a limit leaves the contract's value only for something. */
function choose(some: readonly VerdictRow[]): JoinLimits {
  let limits: JoinLimits = { ...JOIN_LIMITS }
  let best = worth(some, limits)
  for (let moved = true; moved;) {
    moved = false
    for (const key of Object.keys(JOIN_LIMITS) as Key[])
      for (const f of FACTORS) {
        const tried = { ...limits, [key]: JOIN_LIMITS[key] * f }
        const value = worth(some, tried)
        if (value > best + 1e-9) [limits, best, moved] = [tried, value, true]
      }
  }
  return limits
}

process.stdout.write(`The contract’s limits:\n${tableOf(rows)}`)
const left: VerdictRow[] = []
for (const piece of new Set(rows.map((r) => r.piece))) {
  const limits = choose(rows.filter((r) => r.piece !== piece))
  const changed = (Object.keys(limits) as Key[])
    .filter((k) => limits[k] !== JOIN_LIMITS[k])
    .map((k) => `${k} ${JOIN_LIMITS[k].toPrecision(3)} → ${limits[k].toPrecision(3)}`)
  process.stdout.write(`without the ${piece}: ${changed.join(', ') || 'none moved'}\n`)
  left.push(...rows.filter((r) => r.piece === piece).map((r) => ({ ...r, verdict: verdictFrom(r.evidence, limits) })))
}
process.stdout.write(`Limits set on the other five pieces:\n${tableOf(left)}`)
