import { mm, percent, type Verdict } from '../findings'
import type { Brief } from './brief'
import { checkDeliverable, deliverablesOf, type Leaving } from './deliverables'
import { requirementsOf } from './requirements'

/** What the work so far amounts to; undefined where a station has not been reached. */
export interface Facts extends Leaving {
  readonly takeSpacingMm?: number
  readonly joinP95Mm?: number
  readonly joinVerdict?: Verdict
  readonly skinSpacingMm?: number
  readonly inventedShare?: number
  readonly bounds?: readonly [number, number, number]
  /** Readings the scale came from, and what the mesh measures there now. */
  readonly readings?: readonly {
    readonly readingMm: number
    readonly uncertaintyMm: number
    readonly scaledMm: number
  }[]
}

export interface CheckItem {
  readonly id: string
  readonly station: 'take' | 'join' | 'skin' | 'mend' | 'size' | 'release'
  readonly text: string
  /** null while there is nothing to judge. */
  readonly verdict: Verdict | null
  readonly found: string
}

/** A length like that of a reading: the same distance measured again, or the piece's own extent. */
const SAME_LENGTH = 0.03
/** Of a calliper where nothing is said, mm (common practice). */
const USUAL_UNCERTAINTY_MM = 0.05
/** Two picked points and a calliper, standard uncertainty, mm (common practice). */
const PICKED_MM = 0.07

/**
 * A reading of the brief's list against what was read again at Size, or against the piece's extents; null where nothing
 * compares.
 */
function listed(
  readingMm: number,
  uncertaintyMm: number,
  facts: Facts,
  toleranceMm: number,
): { verdict: Verdict; found: string } | null {
  const near = (v: number): boolean => Math.abs(v / readingMm - 1) < SAME_LENGTH
  const again = facts.readings?.find((r) => near(r.readingMm) || near(r.scaledMm))
  if (again) {
    const off = Math.max(Math.abs(again.scaledMm - readingMm), Math.abs(again.readingMm - readingMm))
    const room = 3 * Math.hypot(uncertaintyMm, again.uncertaintyMm, PICKED_MM)
    return {
      verdict: off <= room ? 'sound' : 'doubtful',
      found:
        `${again.scaledMm.toFixed(2)} mm on the mesh, read as ${again.readingMm.toFixed(2)} ± ` +
        `${again.uncertaintyMm.toFixed(2)} mm`,
    }
  }
  const extent = facts.scaled ? facts.bounds?.find(near) : undefined
  if (extent === undefined) return null
  return {
    verdict: Math.abs(extent - readingMm) <= Math.max(3 * uncertaintyMm, toleranceMm) ? 'sound' : 'doubtful',
    found: `the mesh reaches over ${extent.toFixed(2)} mm`,
  }
}

/** The brief as a list of checks: what each later station has to show, and whether it does. */
export function checkAgainstBrief(brief: Brief, facts: Facts): CheckItem[] {
  const { wantedSpacingMm, limitSpacingMm, toleranceMm } = requirementsOf(brief)
  const items: CheckItem[] = []
  const spacing = (v: number): Verdict =>
    v <= wantedSpacingMm * 1.02 ? 'sound' : v <= limitSpacingMm * 1.02 ? 'doubtful' : 'unsound'
  const add = (id: string, station: CheckItem['station'], text: string, verdict: Verdict | null, found: string): void =>
    void items.push({ id, station, text, verdict, found: verdict === null ? 'not reached' : found })
  add(
    'take.spacing',
    'take',
    `Points ${mm(wantedSpacingMm)} apart or closer (${mm(limitSpacingMm)} at most), for detail of ${brief.detailMm} mm`,
    facts.takeSpacingMm === undefined ? null : spacing(facts.takeSpacingMm),
    mm(facts.takeSpacingMm ?? 0),
  )
  add(
    'join.fit',
    'join',
    `Takes joined within ${mm(toleranceMm)}`,
    facts.joinP95Mm === undefined
      ? null
      : facts.joinVerdict === 'unsound' || facts.joinP95Mm > toleranceMm
        ? 'unsound'
        : facts.joinVerdict === 'doubtful' || facts.joinP95Mm > toleranceMm / 2
          ? 'doubtful'
          : 'sound',
    `95 % of pairs within ${mm(facts.joinP95Mm ?? 0)}`,
  )
  add(
    'skin.spacing',
    'skin',
    `Skin at ${mm(wantedSpacingMm)} or finer`,
    facts.skinSpacingMm === undefined ? null : spacing(facts.skinSpacingMm),
    mm(facts.skinSpacingMm ?? 0),
  )
  const print = brief.purposes.includes('print') || brief.purposes.includes('printScaled')
  if (print)
    add(
      'mend.closed',
      'mend',
      'Closed, for the printer',
      facts.closed === undefined ? null : facts.closed ? 'sound' : 'unsound',
      facts.closed ? 'closed' : 'open',
    )
  if (brief.purposes.includes('archive')) {
    add(
      'skin.invented',
      'skin',
      'Little of it invented, and that marked',
      facts.inventedShare === undefined
        ? null
        : facts.inventedShare < 0.02
          ? 'sound'
          : facts.inventedShare < 0.1
            ? 'doubtful'
            : 'unsound',
      `${percent(facts.inventedShare ?? 0)} invented`,
    )
  }
  const size = [brief.lengthMm, brief.widthMm, brief.heightMm].sort((a, b) => b - a)
  const found = facts.bounds && [...facts.bounds].sort((a, b) => b - a)
  const off = found ? Math.max(...found.map((v, i) => Math.abs(v / size[i] - 1))) : 0
  add(
    'size.rough',
    'size',
    `About ${size.map((v) => Math.round(v)).join(' × ')} mm, as the brief says`,
    found ? (off < 0.1 ? 'sound' : off < 0.4 ? 'doubtful' : 'unsound') : null,
    found ? `${found.map((v) => v.toFixed(1)).join(' × ')} mm` : '',
  )
  for (const [i, c] of brief.callipers.entries()) {
    const against =
      c.readingMm === null ? null : listed(c.readingMm, c.uncertaintyMm ?? USUAL_UNCERTAINTY_MM, facts, toleranceMm)
    if (against)
      add(
        `size.reading.${i}`,
        'size',
        `${c.name} ${c.readingMm!.toFixed(2)} ± ` +
          `${(c.uncertaintyMm ?? USUAL_UNCERTAINTY_MM).toFixed(2)} mm, as the brief’s calliper list ` +
          'says',
        against.verdict,
        against.found,
      )
  }
  const readings = brief.callipers.filter((c) => c.readingMm !== null).length
  add(
    'size.scaled',
    'size',
    readings > 0
      ? `Checked against ${readings} calliper ${readings === 1 ? 'reading' : 'readings'}`
      : 'Checked against a calliper reading',
    facts.bounds === undefined ? null : facts.scaled ? 'sound' : 'doubtful',
    facts.scaled ? 'checked' : 'not checked yet',
  )
  for (const d of deliverablesOf(brief)) {
    const { verdict, found } = checkDeliverable(d, facts)
    add(`release.${d.id}`, 'release', `${d.file}, ${d.why}`, facts.bounds === undefined ? null : verdict, found)
  }
  return items
}
