import type { PieceState, ResultState } from '@holosoma/engine'

/** Of an act's place, where no skin says how fine it is, mm. */
const USUAL_SPACING_MM = 0.5

/**
 * How far the place of an act may lie from where it was, mm: the wider spacing of the two skins, and three times the
 * scatter of the points they are made of.
 */
export function reachOfAgain(state: PieceState, result: ResultState): number {
  const before = state.steps.find((s) => s.id === result.later?.from)
  const spacings = [before, result.chain[0]].map((s) => Number(s?.figures.spacingMm ?? USUAL_SPACING_MM))
  const scatterMm = Number(state.join?.step.figures.rmsMm ?? 0)
  return Math.max(...spacings) + 3 * scatterMm
}
