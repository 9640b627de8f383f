import { compose, identityMotion, uprightOf, type Motion } from '@holosoma/core/linear'
import type { Verdict } from '@holosoma/core/findings'
import type { PieceState, ResultState } from '@holosoma/engine'
import { pigmentOf } from './pigments'

/* Two things held against each other: results of this piece, its joined takes, the skin of another piece. */

/** A result of another piece, as it stood when it was fetched. */
export interface Foreign {
  readonly pieceId: number
  readonly pieceName: string
  readonly result: ResultState
}
export type Compared =
  | { readonly of: 'result'; readonly id: number }
  | { readonly of: 'takes' }
  | { readonly of: 'foreign'; readonly foreign: Foreign }
export type CompareMode = 'beside' | 'divider' | 'difference'
export interface Comparison {
  readonly a: Compared
  readonly b: Compared
  readonly mode: CompareMode
}

/** A shape as it is laid on the stage. */
export interface LaidShape {
  readonly key: string
  readonly hash: string
  readonly colour: string
  readonly rows: number[][] | null
}

const CLAY = '#C08A68'
const OTHER_CLAY = '#7E9BA0'

/** A result against the next there is: another result, the takes, or itself. */
export function comparisonFrom({ results, goesIn }: PieceState, id: number): Comparison {
  const other = results.find((r) => r.id !== id)
  const b: Compared = other
    ? { of: 'result', id: other.id }
    : goesIn.length > 0
      ? { of: 'takes' }
      : { of: 'result', id }
  return { a: { of: 'result', id }, b, mode: 'beside' }
}

export const resultOf = (state: PieceState, what: Compared): ResultState | null =>
  what.of === 'result'
    ? (state.results.find((r) => r.id === what.id) ?? null)
    : what.of === 'foreign'
      ? what.foreign.result
      : null

/** Whether it is still there: what was binned meanwhile is not. */
export const isHere = (state: PieceState, what: Compared): boolean =>
  what.of === 'takes' ? state.goesIn.length > 0 : resultOf(state, what) !== null

export function nameOf(state: PieceState, what: Compared): string {
  if (what.of === 'takes') return 'the takes'
  if (what.of === 'foreign') return `${what.foreign.pieceName}: ${what.foreign.result.name}`
  return resultOf(state, what)?.name ?? 'gone'
}

/** From where the takes are joined to where a result lies: stood upright, and brought to size. */
export function frameOf({ chain }: Pick<ResultState, 'chain'>): Motion {
  const up = uprightOf((chain[0]?.params.up ?? null) as number[] | null) ?? identityMotion()
  const factor = chain.reduce((f, s) => (s.operation === 'size.scale' ? f * Number(s.figures.factor ?? 1) : f), 1)
  return compose(
    Float64Array.from({ length: 16 }, (_, i) => (i === 15 ? 1 : i % 5 === 0 ? factor : 0)),
    up,
  )
}

/** The shapes of one of the two, laid so that they lie where the other does. */
export function shapesOf(state: PieceState, what: Compared, other: Compared): LaidShape[] {
  if (what.of !== 'takes') {
    const result = resultOf(state, what)
    return result ? [{ key: `result ${result.id}`, hash: result.shape.hash, colour: CLAY, rows: null }] : []
  }
  const beside = resultOf(state, other)
  const frame = beside ? frameOf(beside) : identityMotion()
  return state.takes
    .filter((t) => state.goesIn.includes(t.id))
    .map((t) => {
      const at = state.join?.motions[t.name]
      const rows = at ? compose(frame, Float64Array.from(at.flat())) : frame
      return {
        key: `take ${t.id}`,
        hash: t.shape!.hash,
        colour: pigmentOf(t).colour,
        rows: [0, 4, 8, 12].map((r) => Array.from(rows.subarray(r, r + 4))),
      }
    })
}

/** Of two skins beside each other on one stage the second is told apart by its colour. */
export const secondColour = (shape: LaidShape): LaidShape =>
  shape.colour === CLAY ? { ...shape, colour: OTHER_CLAY } : shape

export interface ComparedFigure {
  readonly label: string
  /** In the unit that is shown. */
  readonly value: number | null
  readonly text: string
}

/** What can be said of one of them in numbers, always in this order. */
export function figuresOf(state: PieceState, what: Compared, verdict: Verdict | null): ComparedFigure[] {
  const result = resultOf(state, what)
  const takes = state.takes.filter((t) => state.goesIn.includes(t.id))
  const made = result?.chain.find((s) => s.operation === 'skin.make')
  const health = result?.chain.findLast((s) => s.figures.closed !== undefined)
  const bounds = result?.shape.bounds
  const n = (of: typeof made, key: string): number | null => {
    const v = of?.figures[key]
    return typeof v === 'number' ? v : null
  }
  const row = (label: string, value: number | null, digits: number, unit: string): ComparedFigure => ({
    label,
    value,
    text: value === null ? '—' : `${value.toLocaleString('en', { maximumFractionDigits: digits })}${unit}`,
  })
  const sizes = [0, 1, 2].map((c) => (bounds ? bounds.max[c] - bounds.min[c] : null))
  return [
    { label: 'For release', value: null, text: verdict ?? 'not looked at' },
    row('Points', result ? result.shape.points : takes.reduce((s, t) => s + t.shape!.points, 0), 0, ''),
    row('Triangles', result ? result.shape.faces : null, 0, ''),
    row('Spacing', n(made, 'spacingMm'), 3, ' mm'),
    ...['Length', 'Width', 'Height'].map((label, c) => row(label, sizes[c], 2, ' mm')),
    row('Surface', scaledBy(n(health, 'areaMm2') ?? n(made, 'areaMm2'), 0.01), 1, ' cm²'),
    row('Volume', health?.figures.closed === true ? scaledBy(n(health, 'volumeMm3'), 0.001) : null, 2, ' cm³'),
    row('Measured', scaledBy(n(made, 'measured'), 100), 1, ' %'),
    row('Invented', scaledBy(n(made, 'invented'), 100), 1, ' %'),
    row('Holes', n(health, 'holes'), 0, ''),
    row('Crossings', n(health, 'crossings'), 0, ''),
  ]
}

const scaledBy = (v: number | null, factor: number): number | null => (v === null ? null : v * factor)

/** What the second has more than the first, as text; '' where nothing compares. */
export function differenceOf(a: ComparedFigure, b: ComparedFigure): string {
  if (a.value === null || b.value === null) return ''
  const d = b.value - a.value
  if (d === 0) return 'same'
  const share = a.value !== 0 ? ` (${((d / a.value) * 100).toFixed(Math.abs(d / a.value) < 0.1 ? 1 : 0)} %)` : ''
  return `${d > 0 ? '+' : '−'}${Math.abs(d).toLocaleString('en', { maximumSignificantDigits: 3 })}${share}`
}
