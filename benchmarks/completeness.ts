/**
 * Completeness against the truth: standard plans of the six demo pieces cut short at random, judged from the takes
 * alone.
 * npx tsx benchmarks/completeness.ts [cases] [first seed] [piece]
 */
import { DEMO_PIECES, quietContext } from '@holosoma/core'
import { judgeCase, STANDARD_PLANS } from '../core/src/testing/completeness-cases'

const cases = Number(process.argv[2] ?? 120),
  first = Number(process.argv[3] ?? 1)
const rows = []
const names = process.argv[4] ? [process.argv[4]] : Object.keys(STANDARD_PLANS)
for (let seed = first; rows.length < cases; seed++) {
  const name = names[seed % names.length]
  const started = performance.now()
  const row = await judgeCase(name, DEMO_PIECES[name], seed, quietContext(seed), () => performance.now())
  if (!row) continue
  rows.push({ ...row, seconds: (performance.now() - started) / 1000 })
  console.log(JSON.stringify(rows.at(-1)))
}
const sorted = (v: number[]): number[] => v.sort((a, b) => a - b)
const errors = sorted(rows.map((r) => Math.abs(r.estimate - r.truth)))
const at = (p: number): string =>
  `${(100 * errors[Math.min(errors.length - 1, Math.floor(p * errors.length))]).toFixed(2)} points`
const inside = rows.filter((r) => r.truth >= r.low && r.truth <= r.high).length
const worth = rows.filter((r) => r.bestGain >= 0.01)
console.log(
  `${rows.length} cases: error ${at(0.5)} median, ${at(0.95)} at 95 of 100; interval holds ` +
    `${((100 * inside) / rows.length).toFixed(0)} %; proposed take gains four fifths of the best ` +
    `in ${worth.filter((r) => r.gain >= 0.8 * r.bestGain).length} of ${worth.length}; ` +
    `${(rows.reduce((s, r) => s + r.surveySeconds, 0) / rows.length).toFixed(1)} s a survey`,
)
