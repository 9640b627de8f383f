import { motionRows, movesPoints } from '@holosoma/core'
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
}

/** Where a match put the takes, as they are called now. */
export interface JoinPlaces {
  /** By the name each take has now; takes are told apart by their ids, so that calling one otherwise loses nothing. */
  readonly motions: Record<string, number[][]>
  /** What each take of the match was called then, by its id: so the stored motions and figures name it. */
  readonly calledThen: Readonly<Record<number, string>>
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
  const placed = rows.flatMap((r) => {
    const then = calledThen[r.id]
    return then !== undefined && Object.hasOwn(motions, then) ? [[r.name, motionRows(motions[then])] as const] : []
  })
  const renamed = rows.flatMap((r) =>
    calledThen[r.id] !== undefined && calledThen[r.id] !== r.name ? [[calledThen[r.id], r.name] as const] : [],
  )
  return { motions: Object.fromEntries(placed), calledThen, renamed }
}

/** Whether a take stands where a shape was, or has only been tidied from there by acts that move no point. */
export function onlyTidiedSince(chain: readonly StepRecord[], hash: string): boolean {
  const at = chain.findLastIndex((s) => s.outputs.take === hash)
  return at >= 0 && chain.slice(at + 1).every((s) => s.operation.startsWith('tidy.') && !movesPoints(s.operation))
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

/** The mesh's steps since its last new beginning (a skin made or a mesh adopted). */
export function meshChainOf(chain: StepRecord[]): StepRecord[] {
  let from = 0
  chain.forEach((s, i) => {
    if (s.operation === 'skin.make' || s.operation === 'skin.adopt') from = i
  })
  return chain.slice(from)
}
