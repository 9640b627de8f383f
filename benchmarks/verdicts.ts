/**
 * Verdicts of joins against the bench's truth: seeded cases of six pieces; matched, matched by shape, slid, turned,
 * from wrong picks.
 *   npx tsx benchmarks/verdicts.ts [cases per piece and kind] [first seed] [piece]
 * Two runs on other seeds use both processors of a small machine; `verdict-limits.ts` puts their rows together. Rows
 * are kept as they come.
 */
import { mkdirSync, writeFileSync } from 'node:fs'
import { DEMO_PIECES } from '@holosoma/core'
import { JOIN_CASE_KINDS, judgeJoin, type JoinCase } from '../core/src/testing/join-cases'
import { tableOf, type VerdictRow } from './verdict-table'

const [first = '3', second = '1', only] = process.argv.slice(2)
const rows: VerdictRow[] = []
const seed = Number(second)
mkdirSync('benchmarks/out', { recursive: true })
for (let s = seed; s < seed + Number(first); s++) {
  for (const name of Object.keys(DEMO_PIECES))
    if (!only || only === name)
      for (const kind of JOIN_CASE_KINDS) {
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
        process.stderr.write(
          `${name} ${kind} ${s}: off ${row.errorMm.toFixed(3)} of T ` +
            `${row.toleranceMm.toFixed(2)}${row.decidable ? '' : ', undecidable'} → ${row.verdict} ` +
            `${row.reasons.join(', ')} | ${row.takes} | ` +
            `${((performance.now() - started) / 1000).toFixed(1)} s\n`,
        )
      }
  writeFileSync(`benchmarks/out/verdicts-${seed}${only ? `-${only}` : ''}.json`, JSON.stringify(rows))
}
process.stdout.write(tableOf(rows))
