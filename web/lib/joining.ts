import type { PieceState, TakeState } from '@holosoma/engine'
import { detailsOf, type JoinDetails, type JoinSlide } from '@holosoma/core/operations'

/* What a join found, as its step keeps it; and motions as the stage plays them. */

export type JoinTold = Pick<JoinDetails, 'pairs' | 'links' | 'slides' | 'alternatives'>
const NOTHING_TOLD: JoinTold = { pairs: [], links: [], slides: [], alternatives: [] }

/** What a match told, with the takes called as they are called now. */
export function joinTold(join: NonNullable<PieceState['join']>): JoinTold {
  const told = detailsOf(join.step, 'join.match') ?? NOTHING_TOLD
  const now = new Map(join.renamed)
  const named = (name: string): string => now.get(name) ?? name
  return {
    pairs: told.pairs.map((p) => ({ ...p, take: named(p.take), fixed: named(p.fixed) })),
    links: told.links.map(([a, b]) => [named(a), named(b)] as const),
    slides: told.slides.map((s) => ({ ...s, movers: s.movers.map(named), stayers: s.stayers.map(named) })),
    alternatives: told.alternatives.map((a) => ({
      ...a,
      movers: a.movers.map(named),
      stayers: a.stayers.map(named),
    })),
  }
}

/** “one”, “two” and “three”. */
const named = (takes: readonly TakeState[]): string =>
  takes
    .map((t) => `“${t.name}”`)
    .join(', ')
    .replace(/, ([^,]*)$/, ' and $1')

/** Why a skin has to wait for a join, in a sentence: takes came after the match. Null when it has not to. */
export function waitsToBeJoined({ join, takes }: PieceState): string | null {
  const late = join ? takes.filter((t) => t.shape && t.inJoin && t.inSkin && join.calledThen[t.id] === undefined) : []
  if (late.length === 0) return null
  return (
    `${named(late)} came after the join; join again, so that ` +
    `${late.length === 1 ? 'it has its place' : 'they have their places'}, or leave ` +
    `${late.length === 1 ? 'it' : 'them'} out of the join.`
  )
}

/** Takes that were matched with the others, found no place, and are not left out. */
export const unplacedTakes = ({ join, takes }: PieceState): TakeState[] =>
  join
    ? takes.filter(
        (t) => t.shape && t.inJoin && join.calledThen[t.id] !== undefined && !Object.hasOwn(join.motions, t.name),
      )
    : []

/** Takes that are to be joined. */
export const toJoin = ({ takes }: PieceState): TakeState[] => takes.filter((t) => t.shape && t.inJoin)

/** What goes into the skin and what does not, in a sentence; null where all do. */
export function whatGoesIn(state: PieceState): string | null {
  const takes = state.takes.filter((t) => t.shape)
  const out = takes.filter((t) => !state.goesIn.includes(t.id))
  if (out.length === 0 || state.goesIn.length === 0) return null
  const unplaced = unplacedTakes(state)
  const left = out.filter((t) => !unplaced.includes(t))
  const [n, all] = [state.goesIn.length, takes.length]
  return [
    `${n} of ${all} takes go into the skin.`,
    unplaced.length > 0 && `${named(unplaced)} found no place.`,
    left.length > 0 && `${named(left)} ${left.length === 1 ? 'is' : 'are'} left out.`,
  ]
    .filter((t) => typeof t === 'string')
    .join(' ')
}

/** Rows of a × b. */
export function timesRows(a: readonly (readonly number[])[], b: readonly (readonly number[])[]): number[][] {
  return a.map((row) => [0, 1, 2, 3].map((c) => row.reduce((s, v, k) => s + v * b[k][c], 0)))
}

/** A turn about an axis through a point and a shift along it. */
export function screwRows(
  axis: readonly number[],
  point: readonly number[],
  angle: number,
  shiftMm: number,
): number[][] {
  const l = Math.hypot(...axis) || 1
  const [x, y, z] = axis.map((v) => v / l) as [number, number, number]
  const c = Math.cos(angle),
    s = Math.sin(angle),
    t = 1 - c
  const r = [
    [t * x * x + c, t * x * y - s * z, t * x * z + s * y],
    [t * x * y + s * z, t * y * y + c, t * y * z - s * x],
    [t * x * z - s * y, t * y * z + s * x, t * z * z + c],
  ]
  const moved = [0, 1, 2].map(
    (k) => point[k] - (r[k][0] * point[0] + r[k][1] * point[1] + r[k][2] * point[2]) + shiftMm * [x, y, z][k],
  )
  return [...r.map((row, k) => [...row, moved[k]]), [0, 0, 0, 1]]
}

/** Of the piece's size: how far a slide is played when nothing bounds it sooner. */
const PLAYED_SHARE = 0.12
/** A play too small to see is played larger; the card says how large it is. */
const SEEN_SHARE = 0.03

/** Where the movers of a slide stand at `phase` −1…1 of its back and forth. */
export function slideRows(slide: JoinSlide, sizeMm: number, phase: number): number[][] {
  const reach = Math.min(slide.boundMm ?? Infinity, sizeMm * PLAYED_SHARE)
  const amplitude = slide.free ? reach : Math.max(Math.min(reach, slide.playMm ?? reach), sizeMm * SEEN_SHARE)
  if (slide.kind === 'translation') return screwRows(slide.axis, [0, 0, 0], 0, phase * amplitude)
  const angle = (phase * amplitude) / (sizeMm / 2)
  return screwRows(slide.axis, slide.point, angle, slide.kind === 'screw' ? angle * (slide.pitchMm ?? 0) : 0)
}

/** Motions after some takes are moved in the common frame. */
export function movedMotions(
  motions: Readonly<Record<string, number[][]>>,
  movers: readonly string[],
  by: readonly (readonly number[])[],
): Record<string, number[][]> {
  return Object.fromEntries(
    Object.entries(motions).map(([name, rows]) => [name, movers.includes(name) ? timesRows(by, rows) : rows]),
  )
}

/** A preview is a shuffle: its first points say where a take lies and how large it is. */
const LOOKED_AT = 3000

export function extentOf(p: Float32Array | undefined): number {
  if (!p) return 1
  const low = [Infinity, Infinity, Infinity],
    high = [-Infinity, -Infinity, -Infinity]
  for (let i = 0; i < Math.min(p.length, 3 * LOOKED_AT); i++) {
    low[i % 3] = Math.min(low[i % 3], p[i])
    high[i % 3] = Math.max(high[i % 3], p[i])
  }
  return Math.hypot(...low.map((v, k) => high[k] - v))
}

export function middleOf(p: Float32Array | undefined): [number, number, number] | null {
  if (!p || p.length === 0) return null
  const n = Math.min(p.length, 3 * LOOKED_AT)
  const out: [number, number, number] = [0, 0, 0]
  for (let i = 0; i < n; i++) out[i % 3] += (3 * p[i]) / n
  return out
}

/** Where a motion takes a place. */
export function placeOf(rows: readonly (readonly number[])[], at: readonly number[]): [number, number, number] {
  return [0, 1, 2].map((r) => rows[r][0] * at[0] + rows[r][1] * at[1] + rows[r][2] * at[2] + rows[r][3]) as [
    number,
    number,
    number,
  ]
}
