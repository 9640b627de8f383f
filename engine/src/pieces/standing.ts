import { motionRows, movesPoints } from '@holosoma/core'
import { isRepeatable } from '@holosoma/core/operations'
import { loadMotions } from '../blobs/shape-store'
import type { StepRecord } from '../ledger/ledger'
import type { Database } from '../store/database'

/* What of a piece's history still holds: rules of the stations, read off chains of steps. */

/** A take as its row has it. */
export interface RawTake {
  id: number
  name: string
  pose: string
  ordinal: number
  fixed: number
  locked: number
  hidden: number
  bench: number
  keep_base: number
  pigment: number | null
  in_join: number
  in_skin: number
  binned: number
}

/** Where a match put the takes, as they are called now. */
export interface JoinPlaces {
  /** By the name each take has now; takes are told apart by their ids, so that calling one otherwise loses nothing. */
  readonly motions: Record<string, number[][]>
  /** What each take of the match was called then, by its id: so the stored motions and figures name it. */
  readonly calledThen: Readonly<Record<number, string>>
  /** Takes that found a place, by id, those that are gone or in the bin by now among them. */
  readonly placed: readonly number[]
  /** Of takes that are called otherwise now: what they were called then, and are now. */
  readonly renamed: readonly (readonly [string, string])[]
}

/**
 * Where a match put each take. The match names its takes as they were called then; who they are is written beside it
 * (`of`), and for matches of older versions follows from the points they had.
 */
export async function placesOf(
  db: Database,
  match: StepRecord,
  rows: readonly RawTake[],
  chainOf: (takeId: number) => StepRecord[],
): Promise<JoinPlaces> {
  const names = (match.params.names ?? []) as string[]
  const ids = match.inputs.of as string[] | undefined
  const hashes = (match.inputs.takes ?? []) as string[]
  const calledThen: Record<number, string> = {}
  names.forEach((name, i) => {
    const id = ids
      ? Number(ids[i])
      : (rows.find((r) => r.name === name) ?? rows.find((r) => chainOf(r.id).some((s) => s.outputs.take === hashes[i])))
          ?.id
    if (id !== undefined) calledThen[id] = name
  })
  const { motions } = await loadMotions(db, match.outputs.motions)
  const here = rows.filter((r) => !r.binned)
  const placed = Object.entries(calledThen).flatMap(([id, then]) => (Object.hasOwn(motions, then) ? [Number(id)] : []))
  const now = here.filter((r) => placed.includes(r.id)).map((r) => [r.name, motionRows(motions[calledThen[r.id]])])
  const renamed = here.flatMap((r) =>
    calledThen[r.id] !== undefined && calledThen[r.id] !== r.name ? [[calledThen[r.id], r.name] as const] : [],
  )
  return { motions: Object.fromEntries(now) as JoinPlaces['motions'], calledThen, placed, renamed }
}

/** Whether a take stands where a shape was, or has only been tidied from there by acts that move no point. */
export function onlyTidiedSince(chain: readonly StepRecord[], hash: string): boolean {
  const at = chain.findLastIndex((s) => s.outputs.take === hash)
  return at >= 0 && chain.slice(at + 1).every((s) => s.operation.startsWith('tidy.') && !movesPoints(s.operation))
}

/** What of a take decides whether it goes into a skin. */
interface Goes {
  readonly id: number
  readonly name: string
  readonly inJoin: boolean
  readonly inSkin: boolean
}

/**
 * Which takes a skin would be made of: those a person wants in it, among them those that have a place; the only one
 * needs none. What found no place never holds the others back.
 */
export function skinTakesOf<T extends Goes>(takes: readonly T[], join: Pick<JoinPlaces, 'motions'> | null): T[] {
  const wanted = takes.filter((t) => t.inSkin)
  if (takes.length === 1 || (wanted.length === 1 && !join)) return wanted
  return wanted.filter((t) => t.inJoin && join !== null && Object.hasOwn(join.motions, t.name))
}

/**
 * Whether a join still holds for what is there: a take with a place in it that was changed, put away or left out, or one
 * that is to be joined and was not in the match, makes it stale. One that found no place takes nothing from the others
 * by going.
 * @param takes those that hold something and are not in the bin
 * @param chainOf the way of a take to where it stands
 */
export function isJoinStale(
  match: StepRecord,
  places: JoinPlaces,
  takes: readonly Goes[],
  chainOf: (takeId: number) => readonly StepRecord[],
): boolean {
  const names = (match.params.names ?? []) as string[]
  const hashes = (match.inputs.takes ?? []) as string[]
  const matched = new Map(
    Object.entries(places.calledThen).map(([id, then]) => [Number(id), hashes[names.indexOf(then)]]),
  )
  if (takes.some((t) => t.inJoin && !matched.has(t.id))) return true
  if (matched.size < names.length) return true
  return [...matched].some(([id, hash]) => {
    const stays = takes.find((t) => t.id === id)?.inJoin === true
    return stays ? !onlyTidiedSince(chainOf(id), hash) : places.placed.includes(id)
  })
}

/**
 * Whether a take that went on with another holds it now: the other is no take of its own any more, until that is
 * undone.
 */
export function absorbs(chain: readonly StepRecord[], takeId: number, hash: string): boolean {
  return (
    hash !== '' &&
    chain.some(({ operation, inputs }) => {
      if (operation !== 'take.goOn' || (inputs.takes as string[])[1] !== hash) return false
      // Another take may hold the very same points. Steps of older versions do not say whom they took.
      const of = inputs.of as string[] | undefined
      return of === undefined || of[1] === String(takeId)
    })
  )
}

const begins = (s: StepRecord): boolean => s.operation === 'skin.make' || s.operation === 'skin.adopt'

/** The mesh's steps since its last new beginning (a skin made or a mesh adopted). */
export const meshChainOf = (chain: StepRecord[]): StepRecord[] => chain.slice(Math.max(0, chain.findLastIndex(begins)))

/** Acts that were done on the skin before this one, and can be done again on it. */
export interface LaterActs {
  /** The step that made the skin before. */
  readonly from: number
  readonly acts: readonly { readonly step: number; readonly description: string }[]
}

/**
 * What waits to be done again: acts on the skin before, as long as none was done on this one.
 * @param chain the whole way of a result, the skins before its last one among it
 */
export function laterActsOf(chain: readonly StepRecord[]): LaterActs | null {
  const at = chain.findLastIndex(begins)
  if (at <= 0) return null
  const since = chain.slice(at + 1)
  if (since.some((s) => s.operation === 'result.again' || isRepeatable(s.operation))) return null
  const before = meshChainOf(chain.slice(0, at))
  const acts = before.filter((s) => isRepeatable(s.operation)).map((s) => ({ step: s.id, description: s.description }))
  return acts.length > 0 ? { from: before[0].id, acts } : null
}
