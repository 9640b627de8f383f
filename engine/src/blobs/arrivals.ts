import type { ImportPreset } from '@holosoma/core/measure'
import { GeometryError } from '@holosoma/core'
import { transact, type Database } from '../store/database'
import { parseJson } from '../store/json'
import { submitJob } from '../jobs/jobs'
import { createTake } from '../pieces/takes'

export interface Arriving {
  /** The planned take a file is of: its name and pose. */
  readonly planned?: { name: string; pose: string } | undefined
  /** Files that came with it, by their names in it. */
  readonly companions?: readonly { name: string; upload: string }[] | undefined
}

/**
 * A file that has been stored becomes a take of a piece, and reading it a job; the same bytes are one take, however
 * often and however much at once they come.
 * @throws CONFLICT naming the take it is already
 */
export async function importTake(
  db: Database,
  pieceId: number,
  fileName: string,
  upload: string,
  preset: ImportPreset,
  { planned, companions = [] }: Arriving = {},
): Promise<{ id: number; take: string }> {
  return transact(db, async (trx) => {
    await trx('pieces').where({ id: pieceId }).first('id').forUpdate()
    const here = await takeOfUpload(trx, pieceId, upload)
    if (here !== null)
      throw new GeometryError('CONFLICT', `“${fileName}” is here already, as “${here}”; nothing was added.`)
    const take = await createTake(
      trx,
      pieceId,
      planned?.name ?? fileName.replace(/\.[^.]+$/, ''),
      planned?.pose ?? 'as imported',
    )
    const id = await submitJob(trx, pieceId, `take:${take.id}`, `Reading ${fileName}`, {
      kind: 'import',
      upload,
      fileName,
      preset,
      ...(companions.length > 0 && { companions: [...companions] }),
    })
    return { id, take: take.name }
  })
}

/** The take a stored file has become, or is becoming; null when there is none that stands. */
async function takeOfUpload(db: Database, pieceId: number, upload: string): Promise<string | null> {
  const takes = (await db('takes').where({ piece_id: pieceId }).select('id', 'name')) as { id: number; name: string }[]
  const byTrack = new Map(takes.map((t) => [`take:${t.id}`, t.name]))
  const jobs = (await db('jobs')
    .where({ piece_id: pieceId, kind: 'import' })
    .whereIn('state', ['queued', 'running'])
    .select('track', 'request')) as { track: string; request: string }[]
  const coming = jobs.find((j) => parseJson<{ upload?: string }>(j.request as never).upload === upload)
  if (coming) return byTrack.get(coming.track) ?? null
  const steps = (await db('steps')
    .where({ piece_id: pieceId, operation: 'take.import' })
    .where('inputs', 'like', `%${upload}%`)
    .select('id', 'track', 'inputs')) as { id: number; track: string; inputs: string }[]
  for (const step of steps) {
    if (
      parseJson<{ upload?: unknown }>(step.inputs).upload === upload &&
      (await stands(db, pieceId, step.track, step.id))
    )
      return byTrack.get(step.track) ?? null
  }
  return null
}

/** Whether a step is among those its track's head came through. */
async function stands(db: Database, pieceId: number, track: string, stepId: number): Promise<boolean> {
  const head = (await db('heads').where({ piece_id: pieceId, track }).first('step_id')) as
    { step_id: number | null } | undefined
  for (let at = head?.step_id ?? null; at !== null && at >= stepId;) {
    if (at === stepId) return true
    at =
      ((await db('steps').where({ id: at }).first('parent_id')) as { parent_id: number | null } | undefined)
        ?.parent_id ?? null
  }
  return false
}
