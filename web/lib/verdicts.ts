import { detailsOf } from '@holosoma/core/operations/details'
import { worst, type Finding, type Verdict } from '@holosoma/core/findings'
import { checkAgainstBrief, type CheckItem, type Facts } from '@holosoma/core/brief/checklist'
import { trapsOf } from '@holosoma/core/brief/requirements'
import { healthOf } from '@holosoma/core/operations/mend'
import type { PieceState, StepRecord, TakeState } from '@holosoma/engine'
import { chainOf } from './chain'
import type { Station } from './station-names'
import { perState } from './per-state'
import { ACT_NAMES, openProposals } from './tidying'

/*
 * What each station comes to, in one place: the route's mark, the station's card, the shelf and the report all ask
 * here, so that they cannot say different things. A verdict never says more than was looked at: what nobody has looked
 * at has none. A station that rests on a doubtful one is doubtful itself, and says why.
 */

export interface Judgement {
  /** null: not reached, or reached and not looked at yet. */
  readonly verdict: Verdict | null
  /** Own findings first, then what the brief asks and is not so, then what is inherited. */
  readonly findings: readonly Finding[]
}

const NOTHING: Judgement = { verdict: null, findings: [] }

export const judge = perState((state, station: Station): Judgement => {
  const own = ownOf(state, station)
  if (!own) return NOTHING
  const asked = station === 'brief' || station === 'plan' ? [] : demands(state, station)
  const findings = [...own.findings, ...asked, ...inherited(state, station)]
  return { verdict: own.looked ? worst(findings) : null, findings }
})

/** What a station says by itself; null while it has not been reached. */
interface Own {
  readonly findings: readonly Finding[]
  readonly looked: boolean
}

const looked = (findings: readonly Finding[]): Own => ({ findings, looked: true })

const OWN: Readonly<Record<Station, (state: PieceState) => Own | null>> = {
  brief({ brief }) {
    if (!brief) return null
    return looked(
      trapsOf(brief.content)
        .filter((t) => t.blocking)
        .map((t): Finding => ({ id: `brief.${t.id}`, verdict: 'doubtful', text: `${t.name}: ${t.why}` })),
    )
  },
  plan({ plan }) {
    if (!plan) return null
    const { outlook } = plan
    return looked([
      outlook
        ? { id: 'plan.outlook', verdict: outlook.verdict, text: outlook.text }
        : { id: 'plan.outlook', verdict: 'doubtful', text: 'Open the plan to see what its takes come to.' },
    ])
  },
  take(state) {
    if (!state.takes.some((t) => t.shape)) return null
    const photos =
      chainOf(state, 'photos')
        .at(-1)
        ?.findings.filter((f) => f.verdict !== 'sound') ?? []
    const told = [...takeTroubles(state), ...photos]
    if (state.check && !state.check.stale) return looked([...state.check.step.findings, ...photos])
    // Nobody has looked whether anything is missing; troubles that were seen count all the same.
    return { findings: told, looked: told.some((f) => f.verdict !== 'sound') }
  },
  tidy(state) {
    const findings = clouds(state).flatMap((take) => tidyFindings(state, take))
    return findings.length > 0 ? looked(findings) : null
  },
  join({ join }) {
    if (!join) return null
    const told = join.step.findings
    if (join.stale)
      return looked([
        {
          id: 'join.stale',
          verdict: 'doubtful',
          text: 'The takes changed after this join. Match again, so that it holds for what is there now.',
        },
        ...told,
      ])
    if (!join.accepted) return looked(told)
    // A person stands for it: doubtful, whatever the match found; that stays to be read.
    return looked([
      { id: 'join.accepted', verdict: 'doubtful', text: `Accepted against advice: ${join.accepted}` },
      ...told.map((f): Finding => (f.verdict === 'unsound' ? { ...f, verdict: 'doubtful' } : f)),
    ])
  },
  skin({ mesh }) {
    if (!mesh) return null
    const first = mesh.chain[0]
    const stale: Finding[] = mesh.stale
      ? [{ id: 'skin.stale', verdict: 'doubtful', text: 'The takes or their join changed after this skin was made.' }]
      : []
    return looked([...stale, ...(first?.findings.filter((f) => f.id !== 'mend.health') ?? [])])
  },
  mend({ mesh }) {
    const step = mesh && healthStep(mesh.chain)
    if (!step) return null
    return looked([healthOf(step.figures), ...step.findings.filter((f) => f.id !== 'mend.health')])
  },
  size({ mesh }) {
    const step = mesh?.chain.findLast((s) => s.operation === 'size.scale')
    return step ? looked(step.findings) : null
  },
  release(state) {
    const { mesh } = state
    if (!mesh) return null
    const unchecked: Finding[] = []
    if (!healthStep(mesh.chain))
      unchecked.push({ id: 'release.health', verdict: 'doubtful', text: 'Its health has not been checked.' })
    if (!mesh.chain.some((s) => s.operation === 'size.scale'))
      unchecked.push({
        id: 'release.size',
        verdict: 'doubtful',
        text: 'Its size has not been checked against a reading.',
      })
    return looked(
      unchecked.length > 0
        ? unchecked
        : [{ id: 'release.checked', verdict: 'sound', text: 'Its health and its size have been checked.' }],
    )
  },
}

const ownOf = perState((state, station: Station) => OWN[station](state))

const clouds = (state: PieceState): TakeState[] => state.takes.filter((t) => t.shape?.kind === 'cloud')

/** The last act that told how the mesh is. */
export const healthStep = (chain: readonly StepRecord[]): StepRecord | undefined =>
  chain.findLast((s) => s.figures.closed !== undefined && s.operation !== 'skin.make')

/** A finding of one take among several says whose it is. */
export function ofTake(state: PieceState, take: TakeState, f: Finding): Finding {
  if (state.takes.filter((t) => t.shape).length < 2 || f.text.startsWith(`“${take.name}”`)) return f
  return {
    ...f,
    text: `“${take.name}”: ${f.text.charAt(0).toLowerCase()}${f.text.slice(1)}`,
    figures: f.figures?.map((g) => ({ ...g, label: `${g.label}, “${take.name}”` })),
  }
}

/** What was said of each take when it came. */
export const takeTroubles = (state: PieceState): Finding[] =>
  state.takes
    .filter((t) => t.shape)
    .flatMap((t) =>
      (chainOf(state, `take:${t.id}`).findLast((s) => s.operation.startsWith('take.'))?.findings ?? []).map((f) =>
        ofTake(state, t, f),
      ),
    )

/** What was done to a take at Tidy, and what is still proposed for it; nothing before the first act. */
export function tidyFindings(state: PieceState, take: TakeState): Finding[] {
  const acts = chainOf(state, `take:${take.id}`).filter((s) => s.operation.startsWith('tidy.'))
  if (acts.length === 0) return []
  const open = openProposals(state, take)
  const still: Finding[] =
    open.length === 0
      ? []
      : [
          {
            id: 'tidy.open',
            verdict: 'doubtful',
            nextMove: 'Do what is proposed',
            text: `Still proposed and not done: ${open.map((s) => ACT_NAMES[s.operation].toLowerCase()).join(', ')}. Nobody has looked there.`,
          },
        ]
  return [...still, ...acts.flatMap((s) => s.findings)].map((f) => ofTake(state, take, f))
}

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

const checksOf = perState<null, CheckItem[]>((state) =>
  state.brief ? checkAgainstBrief(state.brief.content, factsOf(state)) : [],
)

export const briefChecks = (state: PieceState): readonly CheckItem[] => checksOf(state, null)

/** The stations whose doubt the later ones inherit, in the order of work. */
const FOUNDATIONS = ['tidy', 'join', 'skin', 'mend', 'size'] as const
const INHERITED_WORDS: Readonly<Record<(typeof FOUNDATIONS)[number], string>> = {
  tidy: 'The tidying it rests on',
  join: 'The join it rests on',
  skin: 'The skin it rests on',
  mend: 'The health of the mesh',
  size: 'The size',
}
/** Where an unsound join is told as what it is: double walls and steps are in the skin, and leave with the file. */
const TOLD_PLAINLY: readonly Station[] = ['skin', 'release']

function inherited(state: PieceState, station: Station): Finding[] {
  const mine = FOUNDATIONS.indexOf(station as (typeof FOUNDATIONS)[number])
  const before = station === 'release' ? FOUNDATIONS : mine > 0 ? FOUNDATIONS.slice(0, mine) : []
  // An adopted mesh rests on no takes.
  const adopted = state.mesh?.chain[0]?.operation === 'skin.adopt'
  return before
    .filter((b) => !(adopted && (b === 'tidy' || b === 'join')))
    .flatMap((b): Finding[] => {
      const own = ownOf(state, b)
      if (!own) return []
      // At Tidy only what nobody has looked at goes on into the skin.
      const findings = [
        ...(b === 'tidy' ? own.findings.filter((f) => f.id === 'tidy.open') : own.findings),
        ...(b === 'tidy' ? [] : demands(state, b)),
      ]
      const verdict = worst(findings)
      if (verdict === 'sound') return []
      const plainly = b === 'join' && TOLD_PLAINLY.includes(station)
      return [
        {
          id: `inherited.${b}`,
          verdict: plainly ? verdict : 'doubtful',
          text: `${INHERITED_WORDS[b]} is ${verdict}: ${findings.find((f) => f.verdict === verdict)!.text}`,
        },
      ]
    })
}

/** What the work so far amounts to, for the checks of the brief. */
export function factsOf(state: PieceState): Facts {
  const takes = state.takes.filter((t) => t.shape)
  const spacings = takes.flatMap((t) => {
    const v = chainOf(state, `take:${t.id}`)
      .map((s) => Number(s.figures.spacingMm))
      .filter((x) => Number.isFinite(x) && x > 0)
    return v.length > 0 ? [v.at(-1)!] : []
  })
  const { join, mesh } = state
  const skin = mesh?.chain.find((s) => s.operation === 'skin.make')
  const health = mesh?.chain.findLast((s) => s.figures.closed !== undefined)
  const size = mesh?.chain.findLast((s) => (detailsOf(s, 'size.scale')?.lengths.length ?? 0) > 0)
  const b = mesh?.shape.bounds
  return {
    ...(spacings.length > 0 && { takeSpacingMm: Math.max(...spacings) }),
    ...(join && !join.stale && { joinP95Mm: Number(join.step.figures.p95Mm), joinVerdict: worst(join.step.findings) }),
    ...(skin && { skinSpacingMm: Number(skin.figures.spacingMm), inventedShare: Number(skin.figures.invented) }),
    ...(health && { closed: health.figures.closed === true }),
    ...(b && { bounds: [b.max[0] - b.min[0], b.max[1] - b.min[1], b.max[2] - b.min[2]] as const }),
    ...(mesh && { scaled: mesh.chain.some((s) => s.operation === 'size.scale') }),
    ...(size && { readings: readingsOf(size) }),
  }
}

function readingsOf(size: StepRecord): NonNullable<Facts['readings']> {
  const pairs = (size.params.pairs ?? []) as { readingMm: number; uncertaintyMm: number }[]
  return (detailsOf(size, 'size.scale')?.lengths ?? []).map((l, i) => ({
    readingMm: l.readingMm,
    scaledMm: l.scaledMm,
    uncertaintyMm: pairs[i]?.uncertaintyMm ?? 0,
  }))
}
