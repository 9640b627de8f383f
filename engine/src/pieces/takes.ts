import { GeometryError } from '@holosoma/core'
import { isBusy } from '../jobs/jobs'
import { BENCH, noteAct } from '../ledger/acts'
import { recordStep } from '../ledger/ledger'
import { transact, type Database } from '../store/database'
import { cleanName, LONGEST } from './names'
import type { RawTake } from './standing'
import { pieceState } from './state'

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
    const rows = (await trx('takes').where({ piece_id: pieceId })) as RawTake[]
    const empty = rows.find((r) => r.name === name && !r.binned)
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
      fixed: rows.every((r) => r.binned),
    })) as [number]
    return { id, name: unique }
  })
}

export interface TakeChange {
  name?: string
  /** The name the writer saw: when it has become another since, the change is not made. */
  was?: string
  pose?: string
  hidden?: boolean
  inJoin?: boolean
  inSkin?: boolean
  /** Puts it into the bin, or takes it out. */
  binned?: boolean
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
    await changeTake(trx, found.piece_id, takeId, change)
    return true
  })
}

/** What may be changed of several takes as of one: they come from one pose, or were chosen together. */
export type TakesChange = Pick<TakeChange, 'hidden' | 'locked' | 'inJoin' | 'inSkin' | 'binned' | 'pose'>

/**
 * All of them, or none.
 * @returns whether all are takes of the piece
 */
export async function updateTakes(
  db: Database,
  pieceId: number,
  takeIds: readonly number[],
  change: TakesChange,
): Promise<boolean> {
  return transact(db, async (trx) => {
    await trx('pieces').where({ id: pieceId }).first('id').forUpdate()
    const rows = await trx('takes')
      .where({ piece_id: pieceId })
      .whereIn('id', [...takeIds])
      .select('id')
    if (rows.length !== new Set(takeIds).size) return false
    for (const id of new Set(takeIds)) await changeTake(trx, pieceId, id, change)
    return true
  })
}

async function changeTake(trx: Database, pieceId: number, takeId: number, change: TakeChange): Promise<void> {
  const take = (await trx('takes').where({ id: takeId }).first()) as RawTake
  const { keepBase, was, name: given, pose, inJoin, inSkin, ...rest } = change
  const name = given === undefined ? undefined : cleanName(given, LONGEST.takeName)
  if (name === '') throw new GeometryError('PARAMS', 'A take needs a name.')
  if (name !== undefined && was !== undefined && was !== take.name)
    throw new GeometryError(
      'CONFLICT',
      `Someone else has called this take “${take.name}” meanwhile; your “${name}” was not written. ` +
        'Look, and write it again if it is still right.',
    )
  const note = (kind: Parameters<typeof noteAct>[2], text: string): Promise<void> => noteAct(trx, pieceId, kind, text)
  if (name !== undefined && name !== take.name) {
    const other = (await trx('takes').where({ piece_id: pieceId, name }).whereNot({ id: takeId }).first('id')) as
      { id: number } | undefined
    if (other)
      throw new GeometryError('CONFLICT', `Another take is called “${name}” already; call this one something else.`)
    await note('rename', `Called “${take.name}” now “${name}”`)
  }
  if (rest.locked !== undefined && rest.locked !== !!take.locked)
    await note('lock', `${rest.locked ? 'Locked' : 'Unlocked'} “${take.name}”`)
  if (inJoin !== undefined && inJoin !== !!take.in_join)
    await note('leave', `“${take.name}” is ${inJoin ? 'in' : 'left out of'} the join`)
  if (inSkin !== undefined && inSkin !== !!take.in_skin)
    await note('leave', `“${take.name}” is ${inSkin ? 'in' : 'left out of'} the skin`)
  if (rest.binned !== undefined && rest.binned !== !!take.binned) {
    if (rest.binned) await refuseInUse(trx, pieceId, take)
    await note('bin', rest.binned ? `Put “${take.name}” into the bin` : `Took “${take.name}” out of the bin`)
  }
  if (rest.fixed) await note('fix', `“${take.name}” is the fixed take`)
  if (rest.fixed) await trx('takes').where({ piece_id: pieceId }).update({ fixed: false })
  if (rest.bench) await trx('takes').where({ piece_id: pieceId }).update({ bench: false })
  const columns = {
    ...rest,
    ...(name !== undefined && { name }),
    ...(pose !== undefined && { pose: cleanName(pose, LONGEST.pose) }),
    ...(keepBase !== undefined && { keep_base: keepBase }),
    ...(inJoin !== undefined && { in_join: inJoin }),
    ...(inSkin !== undefined && { in_skin: inSkin }),
  }
  if (Object.keys(columns).length > 0) await trx('takes').where({ id: takeId }).update(columns)
  if (rest.binned && take.fixed) await fixAnother(trx, pieceId, takeId)
}

/** @throws CONFLICT while something works on the take, or while it is locked */
async function refuseInUse(trx: Database, pieceId: number, take: RawTake): Promise<void> {
  if (take.locked)
    throw new GeometryError('CONFLICT', `“${take.name}” is locked; unlock it on the contact sheet first.`)
  if (await isBusy(trx, pieceId, [`take:${take.id}`]))
    throw new GeometryError(
      'CONFLICT',
      `Something is at work on “${take.name}”; wait until it ends, or cancel it first.`,
    )
}

/** The others need one that stands still: the first of those that stay. */
async function fixAnother(trx: Database, pieceId: number, takeId: number): Promise<void> {
  const next = (await trx('takes')
    .where({ piece_id: pieceId, binned: false, bench: false })
    .whereNot({ id: takeId })
    .orderBy([{ column: 'in_join', order: 'desc' }, 'ordinal'])
    .first('id')) as { id: number } | undefined
  if (!next) return
  await trx('takes').where({ id: takeId }).update({ fixed: false })
  await trx('takes').where({ id: next.id }).update({ fixed: true })
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
      who: BENCH,
      durationMs: 0,
      work: null,
    }),
  )
  return made
}
