import type { Brief } from '@holosoma/core'
import type { BenchSession } from '@holosoma/core/bench'
import type { KeptParts } from '@holosoma/core/operations'
import type { CarriedAreas, Plan } from '@holosoma/core/plan'
import { readSession } from '../bench/sessions'
import { findShapes, type ShapeInfo } from '../blobs/shape-store'
import { listJobs, type JobRecord } from '../jobs/jobs'
import { written, type Written } from '../ledger/documents'
import { historyState } from '../ledger/history'
import { listHeads, listSteps, type StepRecord, type Track } from '../ledger/ledger'
import { listPhotos, type PhotoRecord } from '../photos/photo-store'
import type { Database } from '../store/database'
import { pieceOf, type PieceRow, type RawPiece } from './pieces'
import { resultTrack, type RawResult } from './results'
import { listSelections, type KeptSelection } from './selections'
import {
  absorbs,
  isJoinStale,
  laterActsOf,
  meshChainOf,
  placesOf,
  skinTakesOf,
  type JoinPlaces,
  type LaterActs,
  type RawTake,
} from './standing'

export interface TakeState {
  readonly id: number
  readonly name: string
  readonly pose: string
  readonly ordinal: number
  readonly fixed: boolean
  readonly locked: boolean
  readonly hidden: boolean
  /** Whether it is matched with the others, and whether it goes into the skin where it has a place. */
  readonly inJoin: boolean
  readonly inSkin: boolean
  /** What its table shows helps joining, and is cut afterwards. */
  readonly keepBase: boolean
  /** Which of the pigments, from 0; null: by its number. */
  readonly pigment: number | null
  /** null while it is arriving, or after its first step was undone. */
  readonly shape: ShapeInfo | null
  readonly stepId: number | null
}

export interface JoinState extends JoinPlaces {
  readonly step: StepRecord
  readonly stale: boolean
  readonly accepted: string | null
}

/** A line of mesh steps: begun by a skin, by a mesh taken as one, or by another result. */
export interface ResultState {
  readonly id: number
  readonly name: string
  readonly purpose: string
  readonly note: string
  readonly ordinal: number
  readonly step: StepRecord
  readonly shape: ShapeInfo
  /** Its steps since its last new beginning, those of the result it was derived from among them. */
  readonly chain: readonly StepRecord[]
  /** Acts on the skin before this one that wait to be done again; null for none. */
  readonly later: LaterActs | null
  /** Its takes or their join have changed since. */
  readonly stale: boolean
  /** Folded away on the contact sheet. */
  readonly hidden: boolean
}

export interface Binned {
  readonly id: number
  readonly name: string
}

export interface PieceState {
  readonly piece: PieceRow
  readonly takes: readonly TakeState[]
  /** The take of the empty bench, which is none of the piece. */
  readonly bench: TakeState | null
  readonly selections: readonly KeptSelection[]
  /** The last match, whether the takes have changed since, and what was said by a person who stands for it. */
  readonly join: JoinState | null
  /** The skins of the piece, those in the bin apart. */
  readonly results: readonly ResultState[]
  /** What lies in the bin: nothing of it is deleted. */
  readonly bin: { readonly takes: readonly Binned[]; readonly results: readonly Binned[] }
  /** Takes a skin would be made of as things stand, by id. */
  readonly goesIn: readonly number[]
  /** The result that was shown last: the skin the route speaks of. */
  readonly mesh: ResultState | null
  readonly brief: Written<Brief> | null
  readonly plan: Written<Plan> | null
  /** The areas of the brief on the joined piece. */
  readonly areas: Written<CarriedAreas> | null
  /** Parts of the skin that are kept by name. */
  readonly parts: Written<KeptParts> | null
  /** The last look at what is missing; stale when takes changed after it. */
  readonly check: { readonly step: StepRecord; readonly stale: boolean } | null
  readonly session: BenchSession
  readonly photos: readonly PhotoRecord[]
  readonly steps: readonly StepRecord[]
  /** Steps the heads stand on or came through: the others were undone. */
  readonly activeSteps: readonly number[]
  /** Where each line of the history stands; a line without steps is not in it. */
  readonly heads: Readonly<Partial<Record<Track, number>>>
  readonly jobs: readonly JobRecord[]
  readonly canUndo: boolean
  readonly canRedo: boolean
}

/**
 * All there is to a piece, as it stood at one moment: a step that is written meanwhile is in it whole or not at all.
 */
export const pieceState = (db: Database, pieceId: number): Promise<PieceState | null> =>
  db.transaction((trx) => readState(trx, pieceId), { isolationLevel: 'repeatable read' })

async function readState(db: Database, pieceId: number): Promise<PieceState | null> {
  const raw = (await db('pieces').where({ id: pieceId }).first()) as RawPiece | undefined
  if (!raw) return null
  const [takeRows, resultRows, steps, heads, history, jobs, session, selections] = await Promise.all([
    db('takes').where({ piece_id: pieceId }).orderBy('ordinal') as Promise<RawTake[]>,
    db('results').where({ piece_id: pieceId }).orderBy('ordinal') as Promise<RawResult[]>,
    listSteps(db, pieceId),
    listHeads(db, pieceId),
    historyState(db, pieceId),
    listJobs(db, pieceId),
    readSession(db, pieceId),
    listSelections(db, pieceId),
  ])
  const byId = new Map(steps.map((s) => [s.id, s]))
  const headOf = (track: Track): StepRecord | null => {
    const id = heads.get(track)
    return id === undefined ? null : (byId.get(id) ?? null)
  }
  const chainOf = (head: StepRecord | null): StepRecord[] => {
    const chain: StepRecord[] = []
    for (let s = head; s; s = s.parentId === null ? null : (byId.get(s.parentId) ?? null)) chain.unshift(s)
    return chain
  }
  const takeHeads = takeRows.map((t) => headOf(`take:${t.id}`))
  const joinHead = headOf('join')
  const joinStep = chainOf(joinHead).findLast((s) => s.operation === 'join.match') ?? null
  const accepted = joinHead?.operation === 'join.accept' ? String(joinHead.params.reason) : null
  const resultHeads = resultRows.map((r) => headOf(resultTrack(r.id)))
  // A check makes nothing new: what stands is what the last step that made something gave.
  const outputOf = (head: StepRecord | null, name: string): string =>
    chainOf(head).findLast((s) => s.outputs[name] !== undefined)?.outputs[name] ?? ''
  const takeHashes = takeHeads.map((s) => outputOf(s, 'take'))
  const meshHashes = resultHeads.map((s) => outputOf(s, 'mesh'))
  const hashes = [...takeHashes, ...meshHashes].filter((h) => h !== '')
  const shapes = await findShapes(db, hashes)
  const held = takeRows
    .map((t, i): TakeState => ({
      id: t.id,
      name: t.name,
      pose: t.pose,
      ordinal: t.ordinal,
      fixed: !!t.fixed,
      locked: !!t.locked,
      hidden: !!t.hidden,
      inJoin: !!t.in_join,
      inSkin: !!t.in_skin,
      keepBase: !!t.keep_base,
      pigment: t.pigment,
      shape: shapes.get(takeHashes[i]) ?? null,
      stepId: takeHeads[i]?.id ?? null,
    }))
    .filter((t, i) => !takeHeads.some((other, k) => k !== i && absorbs(chainOf(other), t.id, takeHashes[i])))
    .filter(
      (t) =>
        t.shape !== null ||
        jobs.some((j) => j.track === `take:${t.id}` && (j.state === 'queued' || j.state === 'running')),
    )
  const binnedTakes = takeRows.filter((t) => t.binned)
  const all = held.filter((t) => !binnedTakes.some((b) => b.id === t.id))
  const benchId = takeRows.find((t) => t.bench)?.id
  const takes = all.filter((t) => t.id !== benchId)
  const current = takes.flatMap((t) => (t.shape ? [t.shape.hash] : []))
  const wayOf = (id: number): StepRecord[] => chainOf(headOf(`take:${id}`))
  const here = takes.filter((t) => t.shape)
  const places = joinStep && (await placesOf(db, joinStep, takeRows, wayOf))
  const join = joinStep &&
    places && { step: joinStep, ...places, stale: isJoinStale(joinStep, places, here, wayOf), accepted }
  const goesIn = skinTakesOf(here, join)
  const checkStep = headOf('check')
  const checked = (checkStep?.inputs.takes ?? []) as string[]
  const looked = here.filter((t) => t.inJoin).map((t) => t.shape!.hash)
  const isStale = (chain: readonly StepRecord[]): boolean => {
    const made = chain[0]?.operation === 'skin.make' ? chain[0].inputs : null
    if (!made) return false
    const of = made.takes as string[]
    const now = goesIn.map((t) => t.shape!.hash)
    return (
      of.some((h) => !current.includes(h)) ||
      (typeof made.motions === 'string' && made.motions !== joinStep?.outputs.motions) ||
      // A take that only came waits to be joined; one that has its place, or lost it, is another skin.
      (now.length > 0 && (now.length !== of.length || of.some((h) => !now.includes(h))))
    )
  }
  const results = resultRows.flatMap((r, i): (ResultState & { binned: boolean; shown: number })[] => {
    const step = resultHeads[i]
    const shape = step && shapes.get(meshHashes[i])
    if (!shape) return []
    const way = chainOf(step)
    const chain = meshChainOf(way)
    const { id, name, purpose, note, ordinal, shown } = r
    const told = { id, name, purpose, note, ordinal, step, shape, chain, later: laterActsOf(way) }
    return [{ ...told, stale: isStale(chain), hidden: !!r.hidden, binned: !!r.binned, shown }]
  })
  const kept = results.filter((r) => !r.binned)
  // Where all that show were undone or binned, a hidden one is the skin rather than none.
  const open = kept.some((r) => !r.hidden) ? kept.filter((r) => !r.hidden) : kept
  const skin = open.reduce<(typeof kept)[number] | null>((a, b) => (a === null || b.shown > a.shown ? b : a), null)
  const plain = ({ binned: _binned, shown: _shown, ...r }: (typeof results)[number]): ResultState => r
  const active = new Set<number>()
  for (const s of [
    ...takeHeads,
    joinHead,
    ...resultHeads,
    headOf('brief'),
    headOf('plan'),
    headOf('areas'),
    headOf('parts'),
    checkStep,
    headOf('photos'),
  ])
    for (const c of chainOf(s)) active.add(c.id)
  return {
    piece: pieceOf(raw),
    takes,
    bench: all.find((t) => t.id === benchId) ?? null,
    selections,
    join,
    results: kept.map(plain),
    bin: {
      takes: binnedTakes.filter((t) => held.some((h) => h.id === t.id)).map(({ id, name }) => ({ id, name })),
      results: results.filter((r) => r.binned).map(({ id, name }) => ({ id, name })),
    },
    goesIn: goesIn.map((t) => t.id),
    mesh: skin && plain(skin),
    check: checkStep
      ? { step: checkStep, stale: checked.length !== looked.length || checked.some((h) => !looked.includes(h)) }
      : null,
    session,
    brief: await written<Brief>(db, headOf('brief')),
    plan: await written<Plan>(db, headOf('plan')),
    areas: await written<CarriedAreas>(db, headOf('areas')),
    parts: await written<KeptParts>(db, headOf('parts')),
    photos: await listPhotos(db, pieceId, [...active]),
    steps,
    activeSteps: [...active],
    heads: Object.fromEntries(heads),
    jobs,
    ...history,
  }
}

/**
 * `jobs` changes whenever a job has come further, `piece` whenever anything else of the piece does. One question, cheap
 * enough to ask several times a second.
 */
export async function pieceVersions(db: Database, pieceId: number): Promise<{ piece: string; jobs: string }> {
  const [rows] = (await db.raw(
    `SELECT CONCAT_WS('-', ${OF_THE_PIECE.map(marks).join(', ')}) AS piece, ${marks(OF_A_JOB)} AS jobs`,
    Array<number>(OF_THE_PIECE.length + 1).fill(pieceId),
  )) as [{ piece: string; jobs: string }[]]
  return rows[0]
}

/** Which columns of a table a page is told about. */
interface Watched {
  readonly table: string
  readonly columns: readonly string[]
  /** By which column its rows belong to a piece. @defaultValue piece_id */
  readonly by?: string
}

const OF_THE_PIECE: readonly Watched[] = [
  { table: 'pieces', by: 'id', columns: ['name', 'number', 'binned'] },
  { table: 'steps', columns: ['id', 'revision'] },
  { table: 'heads', columns: ['track', 'step_id'] },
  { table: 'sessions', columns: ['revision'] },
  {
    table: 'takes',
    columns: [
      ...['id', 'name', 'pose', 'fixed', 'locked', 'hidden', 'bench', 'keep_base', 'pigment'],
      ...['in_join', 'in_skin', 'binned'],
    ],
  },
  { table: 'results', columns: ['id', 'name', 'purpose', 'note', 'shown', 'binned', 'hidden'] },
  { table: 'selections', columns: ['id', 'selection_hash'] },
  { table: 'jobs', columns: ['id', 'state', 'hold'] },
]
const OF_A_JOB: Watched = { table: 'jobs', columns: ['id', 'progress', 'note'] }

/** A figure that is another one whenever a row came, went or changed in what is watched. */
const marks = ({ table, columns, by = 'piece_id' }: Watched): string => {
  const row = `CRC32(CONCAT_WS('|', ${columns.map((c) => `COALESCE(${c}, '')`).join(', ')}))`
  return `(SELECT CONCAT(COUNT(*), ':', COALESCE(SUM(${row}), 0)) FROM ${table} WHERE ${by} = ?)`
}
