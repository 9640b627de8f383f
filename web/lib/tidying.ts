import { choiceOf, wantedSkinSpacing } from '@holosoma/core/brief'
import { proposeTidy, type TidyKnown, type TidyStep } from '@holosoma/core/plan'
import type { PieceState, StepRecord, TakeState } from '@holosoma/engine'
import { chainOf, plannedOf } from './chain'

/** What the ledger and the plan tell of a take before it is tidied. */
export function knownOf(state: PieceState, take: TakeState): TidyKnown {
  const chain = chainOf(state, `take:${take.id}`)
  const planned = plannedOf(state, take.id)
  const atBench = chain.some((s) => s.operation === 'take.simulate')
  const first = chain[0]?.figures ?? {}
  return {
    planned,
    dots: planned ? (state.plan?.content.dots ?? null) : null,
    bench: !!state.bench?.shape,
    deviceTable: atBench && planned?.kind === 'turntable',
    keepBase: take.keepBase,
    leftToFuse: !!state.brief && choiceOf(state.brief.content, 'tidy') === 'fuse',
    commonSpacingMm: commonSpacing(state, take),
    has: atBench
      ? { frames: true, colours: true }
      : { frames: Number(first.frames ?? 0) > 1, colours: first.colours === true },
  }
}

/** A take this much finer than the common spacing is brought to it; nearer, thinning would only pick points. */
const FINER = 0.9

/**
 * Where the brief has each take fused first: the spacing of the coarsest, or what the detail asks where all are finer;
 * null where that is not asked, or nothing is gained for this take.
 */
function commonSpacing(state: PieceState, take: TakeState): number | null {
  const brief = state.brief?.content
  if (!brief || choiceOf(brief, 'fuse') !== 'eachFirst') return null
  const spacingOf = (t: TakeState): number =>
    Number(chainOf(state, `take:${t.id}`).findLast((s) => Number(s.figures.spacingMm) > 0)?.figures.spacingMm ?? 0)
  const coarsest = Math.max(...state.takes.filter((t) => t.shape && t.inSkin).map(spacingOf), 0)
  const own = spacingOf(take)
  const commonMm = Number(Math.max(coarsest, wantedSkinSpacing(brief, null)).toPrecision(2))
  return own > 0 && own < FINER * commonMm ? commonMm : null
}

/** Acts that serve the same need: done one way, the other is not wanted any more. */
const SAME_NEED: readonly (readonly string[])[] = [['tidy.trimTable', 'tidy.subtractBench', 'tidy.trimPlane']]
/** What hangs apart is only known when what it hung on has gone. */
const BEFORE_STRAYS = new Set(['tidy.trimTable', 'tidy.subtractBench', 'tidy.trimPlane', 'tidy.removeHolder'])

/**
 * Which acts each step of a take settled: itself, what it was tried with and found nothing, or what was left on
 * purpose.
 */
const settledBy = (chain: readonly StepRecord[]): string[][] =>
  chain.map((s) =>
    s.operation === 'tidy.leave' ? [String(s.params.act)] : [s.operation, ...String(s.figures.tried ?? '').split(' ')],
  )

/** What has become of an act on a take: a word for the card, or null where nothing has. */
export function actState(
  state: PieceState,
  take: TakeState,
  operation: string,
): 'done' | 'looked, nothing found' | 'left as it is' | null {
  const chain = chainOf(state, `take:${take.id}`)
  const last = chain[settledBy(chain).findLastIndex((done) => done.includes(operation))]
  return !last
    ? null
    : last.operation === operation
      ? 'done'
      : last.operation === 'tidy.leave'
        ? 'left as it is'
        : 'looked, nothing found'
}

/**
 * Acts that are proposed for a take and were neither done nor dismissed. A proposal stays until one of the two has
 * happened, whatever was done to the take besides.
 */
export function openProposals(state: PieceState, take: TakeState): TidyStep[] {
  const chain = chainOf(state, `take:${take.id}`)
  const settled = settledBy(chain)
  const lastOf = (operations: readonly string[]): number =>
    settled.findLastIndex((done) => done.some((o) => operations.includes(o)))
  return proposalFor(state, take).filter(({ operation }) => {
    const at = lastOf(SAME_NEED.find((group) => group.includes(operation)) ?? [operation])
    if (at < 0) return true
    return operation === 'tidy.removeStrays' && chain.slice(at + 1).some((s) => BEFORE_STRAYS.has(s.operation))
  })
}

export const proposalFor = (state: PieceState, take: TakeState): TidyStep[] => proposeTidy(knownOf(state, take))

/**
 * What of an act's parameters holds for one take alone: where its table lies, the names of its join, and that it was
 * only looked at.
 */
const OWN_PARAMS = new Set(['plane', 'names', 'apply'])

/** An act as one take needs it: what holds for another take alone is left out, what is known of this one put in. */
export function stepFor(state: PieceState, take: TakeState, { operation, params }: TidyStep): TidyStep {
  const known = proposalFor(state, take).find((s) => s.operation === operation)?.params ?? {}
  return { operation, params: { ...known, ...withoutOwn(params) } }
}

const withoutOwn = (params: TidyStep['params']): Record<string, unknown> =>
  Object.fromEntries(Object.entries(params).filter(([k]) => !OWN_PARAMS.has(k)))

/** Acts that hold for one take alone: a choice by hand is of its points. */
const OWN = new Set(['tidy.cut', 'tidy.leave'])

/** The tidy acts of a take that can be done to others too, in order. */
export function recipeOf(state: PieceState, take: TakeState): TidyStep[] {
  return chainOf(state, `take:${take.id}`)
    .filter((s) => s.operation.startsWith('tidy.') && !OWN.has(s.operation))
    .map((s) => ({ operation: s.operation, params: withoutOwn(s.params) }))
}

/** Names of the acts on the card. */
export const ACT_NAMES: Readonly<Record<string, string>> = {
  'tidy.removeFarFrames': 'Frames gone astray',
  'tidy.removeMixed': 'Points seen through',
  'tidy.removeHolder': 'Riser, putty or grip',
  'tidy.removeDots': 'Dots',
  'tidy.trimTable': 'Table',
  'tidy.subtractBench': 'Empty bench',
  'tidy.removeStrays': 'Floating patches',
  'tidy.removeGrazing': 'Glancing points',
  'tidy.thinCurved': 'Flat places thinned',
  'tidy.thin': 'Thinned evenly',
  'tidy.smooth': 'Noise',
  'tidy.trimPlane': 'Below a plane',
  'tidy.cut': 'By hand',
}
