import { mm, percent, type Verdict } from '../findings'
import type { Brief } from './brief'
import { requirementsOf } from './requirements'

/** What the work so far amounts to; undefined where a station has not been reached. */
export interface Facts {
  readonly takeSpacingMm?: number
  readonly joinP95Mm?: number
  readonly joinVerdict?: Verdict
  readonly skinSpacingMm?: number
  readonly closed?: boolean
  readonly inventedShare?: number
  readonly bounds?: readonly [number, number, number]
  readonly scaled?: boolean
}

export interface CheckItem {
  readonly id: string
  readonly station: 'take' | 'join' | 'skin' | 'mend' | 'size' | 'release'
  readonly text: string
  /** null while there is nothing to judge. */
  readonly verdict: Verdict | null
  readonly found: string
}

/** The brief as a list of checks: what each later station has to show, and whether it does. */
export function checkAgainstBrief(brief: Brief, facts: Facts): CheckItem[] {
  const { wantedSpacingMm, limitSpacingMm, toleranceMm } = requirementsOf(brief)
  const items: CheckItem[] = []
  const spacing = (v: number): Verdict => (v <= wantedSpacingMm * 1.02 ? 'sound' : v <= limitSpacingMm * 1.02 ? 'doubtful' : 'unsound')
  const add = (id: string, station: CheckItem['station'], text: string, verdict: Verdict | null, found: string): void => void items.push({ id, station, text, verdict, found: verdict === null ? 'not reached' : found })
  add('take.spacing', 'take', `Points ${mm(wantedSpacingMm)} apart or closer (${mm(limitSpacingMm)} at most), for detail of ${brief.detailMm} mm`,
    facts.takeSpacingMm === undefined ? null : spacing(facts.takeSpacingMm), mm(facts.takeSpacingMm ?? 0))
  add('join.fit', 'join', `Takes joined within ${mm(toleranceMm)}`,
    facts.joinP95Mm === undefined ? null : facts.joinVerdict === 'unsound' || facts.joinP95Mm > toleranceMm ? 'unsound' : facts.joinVerdict === 'doubtful' || facts.joinP95Mm > toleranceMm / 2 ? 'doubtful' : 'sound', `95 % of pairs within ${mm(facts.joinP95Mm ?? 0)}`)
  add('skin.spacing', 'skin', `Skin at ${mm(wantedSpacingMm)} or finer`, facts.skinSpacingMm === undefined ? null : spacing(facts.skinSpacingMm), mm(facts.skinSpacingMm ?? 0))
  const print = brief.purposes.includes('print') || brief.purposes.includes('printScaled')
  if (print) add('mend.closed', 'mend', 'Closed, for the printer', facts.closed === undefined ? null : facts.closed ? 'sound' : 'unsound', facts.closed ? 'closed' : 'open')
  if (brief.purposes.includes('archive')) {
    add('skin.invented', 'skin', 'Little of it invented, and that marked', facts.inventedShare === undefined ? null : facts.inventedShare < 0.02 ? 'sound' : facts.inventedShare < 0.1 ? 'doubtful' : 'unsound', `${percent(facts.inventedShare ?? 0)} invented`)
  }
  const size = [brief.lengthMm, brief.widthMm, brief.heightMm].sort((a, b) => b - a)
  const found = facts.bounds && [...facts.bounds].sort((a, b) => b - a)
  const off = found ? Math.max(...found.map((v, i) => Math.abs(v / size[i]! - 1))) : 0
  add('size.rough', 'size', `About ${size.map((v) => Math.round(v)).join(' × ')} mm, as the brief says`, found ? (off < 0.1 ? 'sound' : off < 0.4 ? 'doubtful' : 'unsound') : null, found ? `${found.map((v) => v.toFixed(1)).join(' × ')} mm` : '')
  const readings = brief.callipers.filter((c) => c.readingMm !== null).length
  add('size.scaled', 'size', readings > 0 ? `Checked against ${readings} calliper ${readings === 1 ? 'reading' : 'readings'}` : 'Checked against a calliper reading', facts.bounds === undefined ? null : facts.scaled ? 'sound' : 'doubtful', facts.scaled ? 'checked' : 'not checked yet')
  return items
}
