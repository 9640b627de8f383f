/**
 * Verdicts of joins against the bench's truth: seeded cases of six pieces; matched, matched by shape, slid, turned, from wrong picks.
 *   npx tsx benchmarks/verdicts.ts [cases per piece and kind] [first seed] [piece]
 * Two runs on other seeds use both processors of a small machine; their rows are put together by naming their files:
 *   npx tsx benchmarks/verdicts.ts table bench-out/verdicts-1.json bench-out/verdicts-1001.json
 */
import { mkdirSync, readFileSync, writeFileSync } from 'node:fs'
import { DEMO_PIECES } from '@holosoma/core'
import { JOIN_CASE_KINDS, judgeJoin, type JoinCase } from '@holosoma/core/testing/join-cases'

type Row = Omit<JoinCase, 'report'>
const [first = '3', second = '1', only] = process.argv.slice(2)
if (first === 'table') table(process.argv.slice(3).flatMap((f) => JSON.parse(readFileSync(f, 'utf8')) as Row[]))
else {
  const rows: Row[] = []
  const seed = Number(second)
  for (let s = seed; s < seed + Number(first); s++) for (const name of Object.keys(DEMO_PIECES)) if (!only || only === name) for (const kind of JOIN_CASE_KINDS) {
    const started = performance.now()
    let found: JoinCase
    try {
      found = await judgeJoin(name, kind, s)
    } catch (error) {
      // Refused in words: no join stands, so that there is nothing to trust wrongly.
      process.stderr.write(`${name} ${kind} ${s}: refused, ${(error as Error).message}\n`)
      continue
    }
    const { report: _, ...row } = found
    rows.push(row)
    process.stderr.write(`${name} ${kind} ${s}: off ${row.errorMm.toFixed(3)} of T ${row.toleranceMm.toFixed(2)}${row.decidable ? '' : ', undecidable'} → ${row.verdict} ${row.reasons.join(', ')} | ${row.takes} | ${((performance.now() - started) / 1000).toFixed(1)} s\n`)
  }
  mkdirSync('bench-out', { recursive: true })
  writeFileSync(`bench-out/verdicts-${seed}${only ? `-${only}` : ''}.json`, JSON.stringify(rows))
  table(rows)
}

function table(rows: readonly Row[]): void {
  const bad = rows.filter((r) => r.errorMm > 1.5 * r.toleranceMm), near = rows.filter((r) => r.errorMm < 0.67 * r.toleranceMm)
  const count = (list: readonly Row[], v: string): number => list.filter((r) => r.verdict === v).length
  for (const [name, list, want] of [['bad', bad, 'unsound'], ['good, decidable', near.filter((r) => r.decidable), 'sound'], ['good by luck, undecidable', near.filter((r) => !r.decidable), 'unsound']] as const) {
    const n = list.length
    process.stdout.write(`${name}: ${n} cases; sound ${count(list, 'sound')}, doubtful ${count(list, 'doubtful')}, unsound ${count(list, 'unsound')}; ${want} at least ${(100 * lower(count(list, want), n)).toFixed(1)} % (one-sided 95 %)\n`)
  }
}

/** Lower bound of a proportion: Wilson 1927, JASA 22, one-sided 95 %. */
function lower(k: number, n: number): number {
  if (n === 0) return 0
  const z = 1.645, p = k / n
  return (p + (z * z) / (2 * n) - z * Math.sqrt((p * (1 - p)) / n + (z * z) / (4 * n * n))) / (1 + (z * z) / n)
}
