/*
 * How well takes are tidied without a hand: every standard take of the six demo pieces, faults on, against what the
 * bench knows each point to be; tables and dots in seeded cases.
 *   npx tsx benchmarks/tidy.ts [seeds] [piece]
 */
import { writeSync } from 'node:fs'
import { DEMO_PIECES, quietContext } from '../core/src'
import { NO_DOTS } from '../core/src/plan/dots'
import { STANDARD_PLANS } from '../core/src/testing/completeness-cases'
import { tableCase } from '../core/src/testing/table-cases'
import { judgeDots, judgeTidy } from '../core/src/testing/tidy-cases'
import { findTable } from '../core/src/tidy/table'

const seeds = Number(process.argv[2] ?? 1)
const only = process.argv[3]
const say = (text: string): void => void writeSync(1, `${text}\n`)

async function main(): Promise<void> {
  let worstLost = 0,
    worstGone = 1,
    foreign = 0,
    foreignLeft = 0
  for (const [name, plan] of Object.entries(STANDARD_PLANS)) {
    if (only && name !== only) continue
    for (let seed = 1; seed <= seeds; seed++)
      for (const take of plan) {
        const began = performance.now()
        const r = await judgeTidy(DEMO_PIECES[name], take, seed, quietContext(seed))
        worstLost = Math.max(worstLost, r.lostShare)
        worstGone = Math.min(worstGone, r.goneShare)
        foreign += r.foreign
        foreignLeft += r.foreignLeft
        say(
          `${name} “${take.name}” seed ${seed}: ${r.points} points; piece lost ` +
            `${(100 * r.lostShare).toFixed(3)} % (${r.lost}); foreign gone ` +
            `${(100 * r.goneShare).toFixed(2)} % (${r.foreign - r.foreignLeft} of ${r.foreign}; left ` +
            `${JSON.stringify(r.leftByKind)}); ${((performance.now() - began) / 1000).toFixed(1)} s; ` +
            `${r.said.join(' | ')}`,
        )
      }
  }
  say(
    `worst: ${(100 * worstLost).toFixed(3)} % of the piece lost, ${(100 * worstGone).toFixed(2)} ` +
      `% of foreign points gone; over all ${(100 * (1 - foreignLeft / foreign)).toFixed(2)} % gone`,
  )
  if (only) return
  let wrong = 0
  const cases = 200
  for (let seed = 1; seed <= cases; seed++) {
    const { cloud, footprint, sigmaMm } = tableCase(seed)
    const found = findTable(cloud, quietContext(seed), { bandMm: 0.5 })
    const off = found
      ? Math.max(
          ...footprint.map((at) =>
            Math.abs(found.plane.normal.reduce((s, x, i) => s + x * at[i], 0) - found.plane.offsetMm),
          ),
        )
      : Infinity
    if (!found?.signs.isTable || off > Math.max(0.2 * sigmaMm, 0.01)) wrong++
  }
  say(`tables: ${cases - wrong} of ${cases} right`)
  let shown = 0,
    hit = 0,
    most = 0
  for (const [name, plan] of Object.entries(STANDARD_PLANS))
    for (const where of ['piece', 'mat'] as const)
      for (const take of plan) {
        const r = judgeDots(DEMO_PIECES[name], take, 1, quietContext(1), { ...NO_DOTS, where })
        shown += r.shown
        hit += r.found
        most = Math.max(most, r.falseOnes)
      }
  say(`dots: ${hit} of ${shown} that show are found, at most ${most} false in a take`)
}

void main()
