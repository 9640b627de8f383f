import { checkAgainstBrief, type CheckItem, type Facts } from '@holosoma/core/brief'
import { worst } from '@holosoma/core/findings'
import { detailsOf } from '@holosoma/core/operations'
import type { PieceState, StepRecord } from '@holosoma/engine'
import { chainOf, healthStep } from './chain'
import { perState } from './per-state'

const checksOf = perState<null, CheckItem[]>((state) =>
  state.brief ? checkAgainstBrief(state.brief.content, factsOf(state)) : [],
)

export const briefChecks = (state: PieceState): readonly CheckItem[] => checksOf(state, null)

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
  // A skin says by itself only that it was to be closed; whether it is, somebody has looked at.
  const health = mesh && healthStep(mesh.chain)
  const size = mesh?.chain.findLast((s) => (detailsOf(s, 'size.scale')?.lengths.length ?? 0) > 0)
  const b = mesh?.shape.bounds
  return {
    ...(spacings.length > 0 && { takeSpacingMm: Math.max(...spacings) }),
    ...(join && !join.stale && { joinP95Mm: Number(join.step.figures.p95Mm), joinVerdict: worst(join.step.findings) }),
    ...(skin && { skinSpacingMm: Number(skin.figures.spacingMm), inventedShare: Number(skin.figures.invented) }),
    ...(health && { closed: health.figures.closed === true }),
    ...(b && { bounds: [b.max[0] - b.min[0], b.max[1] - b.min[1], b.max[2] - b.min[2]] as const }),
    ...(mesh && { scaled: mesh.chain.some((s) => s.operation === 'size.scale') }),
    ...(mesh && {
      faces: mesh.shape.faces,
      // Skins are made of shape alone; an imported mesh says whether it came in colour.
      ...(skin ? { coloured: false, marked: true } : { coloured: mesh.chain[0]?.figures.coloured === true }),
    }),
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
