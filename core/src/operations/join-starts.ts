import type { RunContext } from '../context'
import { matchAreas, type Area } from '../align/marks/match-areas'
import type { Mark } from '../align/marks/mark'
import { rigidFromPairs } from '../align/marks/pairs'
import { GeometryError } from '../errors'
import { compose, identityMotion, invertRigid, motionFromRows, transformPoints, type Motion } from '../linear/rigid'
import type { PointCloud } from '../shapes'

/* Where a join begins: picks, marked areas and motions that were given, by the takes' names. */

interface PickEnd {
  take: string
  at: number[]
}
export interface PickPair {
  a: PickEnd
  b: PickEnd
}
interface AreaEnd extends PickEnd {
  radiusMm: number
}
export interface AreaPair {
  a: AreaEnd
  b: AreaEnd
}

export interface JoinStarts {
  names: string[]
  picks: PickPair[]
  /** The same area marked on two takes: a start for the search by shape. */
  areas: AreaPair[]
  initial: Record<string, number[][]>
  /** Takes that keep their places to each other. */
  groups: string[][]
}

/**
 * A motion for each take from what is given, null where nothing places it.
 * @throws PARAMS when something names a take that is not here
 */
export async function startMotions(
  params: JoinStarts,
  fixedAt: number,
  clouds: readonly PointCloud[],
  context: RunContext,
): Promise<(Motion | null)[]> {
  const { names, picks, initial, areas } = params
  const numberOf = (take: string, what: string): number => {
    const i = names.indexOf(take)
    if (i < 0)
      throw new GeometryError('PARAMS', `${what} names the take "${take}", which is not here: ${names.join(', ')}.`)
    return i
  }
  // initial.json may be relative to another frame; the fixed take's own entry brings it back.
  const given = (name: string): Motion | null =>
    Object.hasOwn(initial, name) ? motionFromRows(initial[name], name) : null
  const own = given(names[fixedAt])
  const base = own ? invertRigid(own) : identityMotion()
  const motions = names.map((name, i): Motion | null => {
    const start = i === fixedAt ? null : given(name)
    return i === fixedAt ? identityMotion() : start && compose(base, start)
  })
  // Picks tie takes to ones already placed, in as many rounds as the chain is long.
  for (let round = 0; round < names.length; round++) {
    names.forEach((name, i) => {
      if (motions[i]) return
      const from: number[] = []
      const to: number[] = []
      for (const { a, b } of picks) {
        const [mine, other] = a.take === name ? [a, b] : [b, a]
        if (mine.take !== name) continue
        const j = numberOf(other.take, 'A pick')
        if (!motions[j]) continue
        from.push(...mine.at)
        to.push(...transformPoints(motions[j], Float32Array.from(other.at)))
      }
      if (from.length > 0) motions[i] = rigidFromPairs(Float64Array.from(from), Float64Array.from(to)).motion
    })
    for (const { a, b } of areas) {
      const [i, j] = [numberOf(a.take, 'A marked area'), numberOf(b.take, 'A marked area')]
      if (!motions[i] === !motions[j]) continue
      const [mover, end, stayer, other] = motions[j] ? [i, a, j, b] : [j, b, i, a]
      const own = await matchAreas(
        clouds[mover],
        clouds[stayer],
        [areaOf(end), areaOf(other)],
        [names[mover], names[stayer]],
        context,
      )
      motions[mover] = compose(motions[stayer]!, own)
    }
  }
  return motions
}

const areaOf = (e: AreaEnd): Area => ({ at: [e.at[0], e.at[1], e.at[2]], radiusMm: e.radiusMm })

/**
 * How well a person finds the same place on two takes by eye, mm (common practice: within a millimetre on sharp
 * features).
 */
const PICK_SIGMA_MM = 0.8

/** Picks say which places are the same, however the takes came to where they are. */
export function marksOf({ names, picks }: JoinStarts): Mark[] {
  const at = (p: number[]): [number, number, number] => [p[0], p[1], p[2]]
  return picks
    .map(({ a, b }) => ({
      a: names.indexOf(a.take),
      b: names.indexOf(b.take),
      atA: at(a.at),
      atB: at(b.at),
      sigmaMm: PICK_SIGMA_MM,
    }))
    .filter((m) => m.a >= 0 && m.b >= 0)
}

/** Numbers the groups of takes that keep their places to each other; every other take is a group of its own. */
export function groupNumbers({ names, groups }: JoinStarts, starts: readonly (Motion | null)[]): number[] {
  const out = names.map((_, i) => i)
  const seen = new Set<string>()
  for (const g of groups) {
    for (const n of g) {
      const i = names.indexOf(n)
      if (i < 0)
        throw new GeometryError('PARAMS', `A group names the take "${n}", which is not here: ${names.join(', ')}.`)
      if (seen.has(n)) throw new GeometryError('PARAMS', `The take "${n}" is in two groups; it can only be in one.`)
      if (!starts[i])
        throw new GeometryError(
          'PARAMS',
          `The take "${n}" is locked to others but its place to them is not known. Join it first.`,
        )
      seen.add(n)
      out[i] = names.indexOf(g[0])
    }
  }
  if (new Set(out).size === 1)
    throw new GeometryError('PARAMS', 'All takes are locked to each other: there is nothing to join. Unlock one.')
  return out
}
