import { worst, type Finding, type Verdict } from '@holosoma/core/findings'
import type { PieceState } from '@holosoma/engine'
import { briefChecks } from '@/lib/facts'
import { perState } from '@/lib/per-state'
import { STATIONS, type Station } from '@/lib/station-names'
import { briefTold } from './brief/told'
import { colourTold } from './colour/told'
import { joinTold } from './join/told'
import { mendTold } from './mend/told'
import { planTold } from './plan/told'
import { releaseTold } from './release/told'
import { sizeTold } from './size/told'
import { skinTold } from './skin/told'
import { takeTold } from './take/told'
import { tidyTold } from './tidy/told'
import type { Judgement, Move, StationTold } from './told'

/*
 * What each station comes to, in one place: the route's mark, the station's card, the shelf and the report all ask
 * here, so that they cannot say different things. A verdict never says more than was looked at: what nobody has looked
 * at has none. A station that rests on a doubtful one is doubtful itself, and says why.
 */

/** What the stations say, in the order of the route. */
const TOLD: Readonly<Record<Station, StationTold>> = {
  brief: briefTold,
  plan: planTold,
  take: takeTold,
  tidy: tidyTold,
  join: joinTold,
  skin: skinTold,
  mend: mendTold,
  colour: colourTold,
  size: sizeTold,
  release: releaseTold,
}

const NOTHING: Judgement = { verdict: null, findings: [] }

export const judge = perState((state, station: Station): Judgement => {
  const own = ownOf(state, station)
  if (!own) return NOTHING
  const asked = station === 'brief' || station === 'plan' ? [] : demands(state, station)
  const findings = [...own.findings, ...asked, ...inherited(state, station)]
  return { verdict: own.looked ? worst(findings) : null, findings }
})

const ownOf = perState((state, station: Station) => TOLD[station].own(state))

/** What the brief asks of a station and what is not so there. */
function demands(state: PieceState, station: Station): Finding[] {
  return briefChecks(state)
    .filter((c) => c.station === station && c.verdict !== null && c.verdict !== 'sound')
    .map((c) => ({
      id: `brief.${c.id}`,
      verdict: c.verdict!,
      text: `The brief asks: ${c.text.charAt(0).toLowerCase()}${c.text.slice(1)}. Here: ${c.found}.`,
    }))
}

/** The stations whose doubt the later ones inherit, in the order of work. */
const FOUNDATIONS = STATIONS.filter((s) => TOLD[s].foundation)
/** Where an unsound join is told as what it is: double walls and steps are in the skin, and leave with the file. */
const TOLD_PLAINLY: readonly Station[] = ['skin', 'release']
/** What an adopted mesh does not rest on: it came without takes. */
const OF_TAKES: readonly Station[] = ['tidy', 'join']

function inherited(state: PieceState, station: Station): Finding[] {
  const before = FOUNDATIONS.slice(0, station === 'release' ? undefined : Math.max(0, FOUNDATIONS.indexOf(station)))
  const adopted = state.mesh?.chain[0]?.operation === 'skin.adopt'
  return before
    .filter((b) => !(adopted && OF_TAKES.includes(b)))
    .flatMap((b): Finding[] => {
      const own = ownOf(state, b)
      if (!own) return []
      const told = TOLD[b]
      const findings = told.handsOn?.(own) ?? [...own.findings, ...demands(state, b)]
      const verdict = worst(findings)
      if (verdict === 'sound') return []
      const plainly = b === 'join' && TOLD_PLAINLY.includes(station)
      return [
        {
          id: `inherited.${b}`,
          verdict: plainly ? verdict : 'doubtful',
          text: `${told.foundation} is ${verdict}: ${findings.find((f) => f.verdict === verdict)!.text}`,
        },
      ]
    })
}

/** What would leave with a result, whichever of them is the skin. */
export const judgeResult = perState((state, id: number): Judgement => {
  const result = state.results.find((r) => r.id === id)
  return result ? judge({ ...state, mesh: result }, 'release') : NOTHING
})

export interface Stop {
  readonly station: Station
  /** null while the station has not been reached, or nobody has looked. */
  readonly verdict: Verdict | null
  readonly figure: string
}

/** The route as it stands. */
export const stops = (state: PieceState): Stop[] =>
  STATIONS.map((station) => ({
    station,
    verdict: judge(state, station).verdict,
    figure: TOLD[station].figure(state),
  }))

/** What the piece waits for; the shelf and the card share it. */
export function nextMove(state: PieceState): Move & { readonly station: Station } {
  const running = state.jobs.find((j) => j.state === 'running' || j.state === 'queued')
  if (running)
    return {
      text: `${running.title}: ${Math.round(running.progress * 100)} %.`,
      move: 'Watch or cancel',
      // The later station knows its own work better: every act on the mesh is on the skin's line, too.
      station: STATIONS.findLast((s) => TOLD[s].works(running)) ?? 'skin',
    }
  for (const station of STATIONS) {
    const move = TOLD[station].waitsFor(state, (s) => judge(state, s))
    if (move) return { ...move, station }
  }
  return { text: 'The piece waits for nothing.', move: 'Look at it', station: 'brief' }
}
