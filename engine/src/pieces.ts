import { findShapes, loadMotions, type ShapeInfo } from './shape-store'
import { transact, type Database } from './database'
import { noteAct } from './acts'
import { cleanName, LONGEST } from './names'
import { historyState } from './history'
import { listHeads, listSteps, recordStep, type StepRecord, type Track } from './ledger'
import { isBusy, listJobs, type JobRecord } from './jobs'
import { GeometryError, motionRows, movesPoints, type Brief } from '@holosoma/core'
import type { BenchSession } from '@holosoma/core/bench/session'
import type { Plan } from '@holosoma/core/plan/plan'
import { listPhotos, type PhotoRecord } from './photo-store'
import { listSelections, type KeptSelection } from './selections'
import { readSession } from './sessions'
import { written, type Written } from './documents'

export interface PieceRow {
  readonly id: number
  readonly name: string
  readonly number: string
  readonly sample: boolean
  readonly benchPiece: string | null
}

export interface TakeState {
  readonly id: number
  readonly name: string
  readonly pose: string
  readonly ordinal: number
  readonly fixed: boolean
  readonly locked: boolean
  readonly hidden: boolean
  /** What its table shows helps joining, and is cut afterwards. */
  readonly keepBase: boolean
  /** Which of the pigments, from 0; null: by its number. */
  readonly pigment: number | null
  /** null while it is arriving, or after its first step was undone. */
  readonly shape: ShapeInfo | null
  readonly stepId: number | null
}

export interface JoinState {
  readonly step: StepRecord
  /** By the name each take has now; takes are told apart by their ids, so that calling one otherwise loses nothing. */
  readonly motions: Record<string, number[][]>
  /** What each take of the match was called then, by its id: so the stored motions and figures name it. */
  readonly calledThen: Readonly<Record<number, string>>
  /** Of takes that are called otherwise now: what they were called then, and are now. */
  readonly renamed: readonly (readonly [string, string])[]
  readonly stale: boolean
  readonly accepted: string | null
}

export interface PieceState {
  readonly piece: PieceRow
  readonly takes: readonly TakeState[]
  /** The take of the empty bench, which is none of the piece. */
  readonly bench: TakeState | null
  readonly selections: readonly KeptSelection[]
  /** The last match, whether the takes have changed since, and what was said by a person who stands for it. */
  readonly join: JoinState | null
  readonly mesh: {
    readonly step: StepRecord
    readonly shape: ShapeInfo
    readonly chain: readonly StepRecord[]
    readonly stale: boolean
  } | null
  readonly brief: Written<Brief> | null
  readonly plan: Written<Plan> | null
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

interface RawPiece {
  id: number
  name: string
  number: string
  sample: number
  bench_piece: string | null
}

const pieceOf = (r: RawPiece): PieceRow => ({
  id: r.id,
  name: r.name,
  number: r.number,
  sample: !!r.sample,
  benchPiece: r.bench_piece,
})

export async function createPiece(
  db: Database,
  piece: { name: string; number: string; sample?: boolean; benchPiece?: string | null },
): Promise<number> {
  const [id] = (await db('pieces').insert({
    name: cleanName(piece.name, LONGEST.pieceName) || 'A piece',
    number: cleanName(piece.number, LONGEST.pieceNumber),
    sample: piece.sample ?? false,
    bench_piece: piece.benchPiece ?? null,
  })) as [number]
  return id
}

export async function pieceExists(db: Database, pieceId: number): Promise<boolean> {
  return (await db('pieces').where({ id: pieceId }).first('id')) !== undefined
}

export async function listPieces(db: Database): Promise<PieceRow[]> {
  return ((await db('pieces').orderBy('id')) as RawPiece[]).map(pieceOf)
}

/**
 * A new take with a name that is not yet used in the piece; the first one is the fixed take. A take of that name to
 * which nothing ever came (it was cancelled, refused or undone) is begun again instead.
 */
export async function createTake(
  db: Database,
  pieceId: number,
  given: string,
  pose: string,
): Promise<{ id: number; name: string }> {
  const name = cleanName(given, LONGEST.takeName) || 'take'
  return transact(db, async (trx) => {
    await trx('pieces').where({ id: pieceId }).first('id').forUpdate()
    const rows = (await trx('takes').where({ piece_id: pieceId })) as { id: number; name: string; ordinal: number }[]
    const empty = rows.find((r) => r.name === name)
    const tried =
      empty &&
      (await trx('jobs')
        .where({ piece_id: pieceId, track: `take:${empty.id}` })
        .first('id')) !== undefined
    if (
      empty &&
      tried &&
      !(await isBusy(trx, pieceId, [`take:${empty.id}`])) &&
      !(await trx('heads')
        .where({ piece_id: pieceId, track: `take:${empty.id}` })
        .whereNotNull('step_id')
        .first('track'))
    )
      return { id: empty.id, name: empty.name }
    const names = new Set(rows.map((r) => r.name))
    let unique = name
    for (let n = 2; names.has(unique); n++) unique = `${name} ${n}`
    const ordinal = rows.reduce((m, r) => Math.max(m, r.ordinal), 0) + 1
    const [id] = (await trx('takes').insert({
      piece_id: pieceId,
      name: unique,
      pose: cleanName(pose, LONGEST.pose),
      ordinal,
      fixed: rows.length === 0,
    })) as [number]
    return { id, name: unique }
  })
}

interface RawTake {
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

/**
 * All there is to a piece, as it stood at one moment: a step that is written meanwhile is in it whole or not at all.
 */
export const pieceState = (db: Database, pieceId: number): Promise<PieceState | null> =>
  db.transaction((trx) => readState(trx, pieceId), { isolationLevel: 'repeatable read' })

async function readState(db: Database, pieceId: number): Promise<PieceState | null> {
  const raw = (await db('pieces').where({ id: pieceId }).first()) as RawPiece | undefined
  if (!raw) return null
  const [takeRows, steps, heads, history, jobs, session, selections] = await Promise.all([
    db('takes').where({ piece_id: pieceId }).orderBy('ordinal') as Promise<RawTake[]>,
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
  const meshStep = headOf('mesh')
  // A check makes nothing new: what stands is what the last step that made something gave.
  const outputOf = (head: StepRecord | null, name: string): string =>
    chainOf(head).findLast((s) => s.outputs[name] !== undefined)?.outputs[name] ?? ''
  const takeHashes = takeHeads.map((s) => outputOf(s, 'take'))
  const meshHash = outputOf(meshStep, 'mesh')
  const hashes = [...takeHashes, meshHash].filter((h) => h !== '')
  const shapes = await findShapes(db, hashes)
  const all = takeRows
    .map((t, i): TakeState => ({
      id: t.id,
      name: t.name,
      pose: t.pose,
      ordinal: t.ordinal,
      fixed: !!t.fixed,
      locked: !!t.locked,
      hidden: !!t.hidden,
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
  const benchId = takeRows.find((t) => t.bench)?.id
  const takes = all.filter((t) => t.id !== benchId)
  const current = takes.flatMap((t) => (t.shape ? [t.shape.hash] : []))
  const joinTakes = (joinStep?.inputs.takes ?? []) as string[]
  // Most tidying moves no point: a join stands when each take it joined has only been tidied since.
  const chains = takes.map((t) => chainOf(headOf(`take:${t.id}`)))
  const joinStale =
    !!joinStep &&
    (joinTakes.some((h) => !chains.some((c) => onlyTidiedSince(c, h))) || joinTakes.length < current.length)
  const checkStep = headOf('check')
  const checked = (checkStep?.inputs.takes ?? []) as string[]
  const meshChain = meshChainOf(chainOf(meshStep))
  const skinInputs = meshChain[0]?.operation === 'skin.make' ? meshChain[0].inputs : null
  const meshStale =
    !!skinInputs &&
    ((skinInputs.takes as string[]).some((h) => !current.includes(h)) ||
      (typeof skinInputs.motions === 'string' && skinInputs.motions !== joinStep?.outputs.motions))
  const meshShape = meshStep ? shapes.get(meshHash) : undefined
  const active = new Set<number>()
  for (const s of [...takeHeads, joinHead, meshStep, headOf('brief'), headOf('plan'), checkStep, headOf('photos')])
    for (const c of chainOf(s)) active.add(c.id)
  return {
    piece: pieceOf(raw),
    takes,
    bench: all.find((t) => t.id === benchId) ?? null,
    selections,
    join: joinStep
      ? {
          step: joinStep,
          ...(await placesOf(db, joinStep, takeRows, (id) => chainOf(headOf(`take:${id}`)))),
          stale: joinStale,
          accepted,
        }
      : null,
    mesh: meshStep && meshShape ? { step: meshStep, shape: meshShape, chain: meshChain, stale: meshStale } : null,
    check: checkStep
      ? { step: checkStep, stale: checked.length !== current.length || checked.some((h) => !current.includes(h)) }
      : null,
    session,
    brief: await written<Brief>(db, headOf('brief')),
    plan: await written<Plan>(db, headOf('plan')),
    photos: await listPhotos(db, pieceId, [...active]),
    steps,
    activeSteps: [...active],
    heads: Object.fromEntries(heads),
    jobs,
    ...history,
  }
}

/**
 * Where a match put each take. The match names its takes as they were called then; who they are is written beside it
 * (`of`), and for matches of older versions follows from the points they had.
 */
async function placesOf(
  db: Database,
  match: StepRecord,
  rows: readonly RawTake[],
  chainOf: (takeId: number) => StepRecord[],
): Promise<Pick<JoinState, 'motions' | 'calledThen' | 'renamed'>> {
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
function onlyTidiedSince(chain: readonly StepRecord[], hash: string): boolean {
  const at = chain.findLastIndex((s) => s.outputs.take === hash)
  return at >= 0 && chain.slice(at + 1).every((s) => s.operation.startsWith('tidy.') && !movesPoints(s.operation))
}

/**
 * Whether a take that went on with another holds it now: the other is no take of its own any more, until that is
 * undone.
 */
function absorbs(chain: readonly StepRecord[], takeId: number, hash: string): boolean {
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
function meshChainOf(chain: StepRecord[]): StepRecord[] {
  let from = 0
  chain.forEach((s, i) => {
    if (s.operation === 'skin.make' || s.operation === 'skin.adopt') from = i
  })
  return chain.slice(from)
}

export interface TakeChange {
  name?: string
  /** The name the writer saw: when it has become another since, the change is not made. */
  was?: string
  pose?: string
  hidden?: boolean
  locked?: boolean
  fixed?: boolean
  bench?: boolean
  keepBase?: boolean
  pigment?: number | null
}

/**
 * @returns whether the take is there
 * @throws CONFLICT when its name was changed by someone else, or is another take's
 */
export async function updateTake(db: Database, takeId: number, change: TakeChange): Promise<boolean> {
  return transact(db, async (trx) => {
    const found = (await trx('takes').where({ id: takeId }).first('piece_id')) as { piece_id: number } | undefined
    if (!found) return false
    await trx('pieces').where({ id: found.piece_id }).first('id').forUpdate()
    const take = (await trx('takes').where({ id: takeId }).first('name', 'locked')) as { name: string; locked: number }
    const { keepBase, was, name: given, pose, ...rest } = change
    const name = given === undefined ? undefined : cleanName(given, LONGEST.takeName)
    if (name === '') throw new GeometryError('PARAMS', 'A take needs a name.')
    if (name !== undefined && was !== undefined && was !== take.name)
      throw new GeometryError(
        'CONFLICT',
        `Someone else has called this take “${take.name}” meanwhile; your “${name}” was not written. Look, and write it again if it is still right.`,
      )
    if (name !== undefined && name !== take.name) {
      const other = (await trx('takes')
        .where({ piece_id: found.piece_id, name })
        .whereNot({ id: takeId })
        .first('id')) as { id: number } | undefined
      if (other)
        throw new GeometryError('CONFLICT', `Another take is called “${name}” already; call this one something else.`)
      await noteAct(trx, found.piece_id, 'rename', `Called “${take.name}” now “${name}”`)
    }
    if (rest.locked !== undefined && rest.locked !== !!take.locked)
      await noteAct(trx, found.piece_id, 'lock', `${rest.locked ? 'Locked' : 'Unlocked'} “${take.name}”`)
    if (rest.fixed) await noteAct(trx, found.piece_id, 'fix', `“${take.name}” is the fixed take`)
    if (rest.fixed) await trx('takes').where({ piece_id: found.piece_id }).update({ fixed: false })
    if (rest.bench) await trx('takes').where({ piece_id: found.piece_id }).update({ bench: false })
    const columns = {
      ...rest,
      ...(name !== undefined && { name }),
      ...(pose !== undefined && { pose: cleanName(pose, LONGEST.pose) }),
      ...(keepBase !== undefined && { keep_base: keepBase }),
    }
    if (Object.keys(columns).length > 0) await trx('takes').where({ id: takeId }).update(columns)
    return true
  })
}

/**
 * Changes whenever anything of the piece does but how far its jobs have come (`jobsVersion`); cheap enough to ask
 * several times a second.
 */
export async function pieceVersion(db: Database, pieceId: number): Promise<string> {
  const [rows] = (await db.raw(
    `SELECT CONCAT_WS('-',
      (SELECT CONCAT(MAX(id), '.', SUM(revision)) FROM steps WHERE piece_id = ?), (SELECT CONCAT(COUNT(*), ':', COALESCE(SUM(step_id), 0)) FROM heads WHERE piece_id = ?),
      (SELECT COALESCE(SUM(revision), 0) FROM sessions WHERE piece_id = ?),
      (SELECT CONCAT(COUNT(*), ':', COALESCE(SUM(id * (1 + fixed + 2 * locked + 4 * hidden + 8 * bench + 16 * keep_base + 32 * (1 + COALESCE(pigment, -1)))), 0), ':', COALESCE(SUM(CRC32(name)), 0)) FROM takes WHERE piece_id = ?),
      (SELECT CONCAT(COUNT(*), ':', COALESCE(SUM(id), 0), ':', COALESCE(SUM(CRC32(selection_hash)), 0)) FROM selections WHERE piece_id = ?),
      (SELECT CONCAT(COUNT(*), ':', COALESCE(SUM(id * FIELD(state, 'queued', 'running', 'done', 'failed', 'cancelled')), 0), ':', COALESCE(SUM(id * FIELD(hold, 'none', 'pause', 'stop')), 0)) FROM jobs WHERE piece_id = ?)) AS v`,
    [pieceId, pieceId, pieceId, pieceId, pieceId, pieceId],
  )) as [{ v: string }[]]
  return rows[0]?.v ?? ''
}

/** A take beside another with the same points, to try something on. Nothing is stored twice. */
export async function duplicateTake(
  db: Database,
  pieceId: number,
  takeId: number,
): Promise<{ id: number; name: string } | null> {
  const state = await pieceState(db, pieceId)
  const take = state?.takes.find((t) => t.id === takeId && t.shape)
  if (!take) return null
  const made = await createTake(db, pieceId, `${take.name} again`, take.pose)
  await transact(db, (trx) =>
    recordStep(trx, pieceId, {
      track: `take:${made.id}`,
      operation: 'take.duplicate',
      version: 1,
      params: { of: take.name },
      inputs: { take: take.shape!.hash },
      outputs: { take: take.shape!.hash },
      figures: { points: take.shape!.points },
      findings: [],
      description: `Doubled “${take.name}”`,
      who: 'bench',
      durationMs: 0,
      work: null,
    }),
  )
  return made
}
