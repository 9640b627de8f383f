import Joi from 'joi'
import { operationNamed } from '@holosoma/core'
import {
  createResult,
  deriveResult,
  isBusy,
  pieceState,
  resultsAtWork,
  resultTrack,
  submitJob,
  type Database,
  type JobRequest,
  type PieceState,
} from '@holosoma/engine'
import { nameSchema } from '@/lib/schemas'
import { answer, body, database, existingPiece, Refusal } from '@/lib/server'
import { jobByDeclaration } from '@/requests/by-declaration'
import type { Asked } from '@/requests/request'
import { RULES } from '@/requests/rules'

const schema = Joi.object<Asked>({
  operation: Joi.string().max(60).required(),
  params: Joi.object().unknown(true).default({}),
  takeId: Joi.number()
    .integer()
    .min(1)
    .max(2 ** 31 - 1),
  takeName: nameSchema('takeName').trim().min(1),
  pose: nameSchema('pose').trim(),
  beside: Joi.boolean(),
})

const AT_WORK = 'That is being worked on just now; wait until it ends, or cancel it.'

/** Names an operation and its parameters; which stored shapes it works on follows from where the heads stand. */
export function POST(request: Request, { params }: { params: Promise<{ id: string }> }): Promise<Response> {
  return answer(async () => {
    const db = database()
    const pieceId = await existingPiece((await params).id)
    const asked = await body(request, schema)
    const operation = operationNamed(asked.operation)
    const state = await pieceState(db, pieceId)
    if (!state) throw new Refusal(404, 'There is no such piece on the shelf.')
    const rule = Object.hasOwn(RULES, operation.name) ? RULES[operation.name] : {}
    if (rule.submit) return Response.json({ id: await rule.submit(db, pieceId, state, asked) }, { status: 202 })
    const { track: line, title, request: job } = jobByDeclaration(operation, rule, state, asked)
    // A second click on the first skin is no second skin.
    if (line === null && !asked.beside && (await resultsAtWork(db, pieceId))) throw new Refusal(409, AT_WORK)
    const track = line ?? resultTrack((await createResult(db, pieceId, resultName(state, asked))).id)
    if (await isBusy(db, pieceId, [track])) throw new Refusal(409, AT_WORK)
    if (asked.beside && operation.otherSide && state.mesh && job.kind === 'operation')
      await cutOtherSide(db, pieceId, state.mesh, title, { ...job, params: operation.otherSide(job.params) })
    return Response.json(
      { id: await submitJob(db, pieceId, track, title, job, state.heads[track] ?? null) },
      { status: 202 },
    )
  })
}

/** The other part of what is cut, as a result of its own beside the one that is cut; that one stays the skin. */
async function cutOtherSide(
  db: Database,
  pieceId: number,
  { id, name, step, shape }: NonNullable<PieceState['mesh']>,
  title: string,
  job: JobRequest,
): Promise<void> {
  const from = { id, name, stepId: step.id, mesh: shape.hash }
  const other = await deriveResult(db, pieceId, from, `${name}, other side`, true)
  const track = resultTrack(other.id)
  await submitJob(db, pieceId, track, title, job, (await pieceState(db, pieceId))?.heads[track] ?? null)
}

/** What a new result is called until a person calls it otherwise. */
const resultName = (state: PieceState, { takeId }: Asked): string =>
  state.takes.find((t) => t.id === takeId)?.name ?? 'skin'
