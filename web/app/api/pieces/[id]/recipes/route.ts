import Joi from 'joi'
import { checkParams, operationNamed } from '@holosoma/core'
import { isBusy, pieceState, submitJob } from '@holosoma/engine'
import { answer, body, database, existingPiece, Refusal } from '@/lib/server'
import { openProposals, stepFor } from '@/lib/tidying'

interface Asked {
  takeIds: number[]
  steps: { operation: string; params: Record<string, unknown> }[] | null
}

const schema = Joi.object<Asked>({
  takeIds: Joi.array().items(Joi.number().integer()).min(1).max(500).unique().required(),
  steps: Joi.array()
    .items(
      Joi.object({
        operation: Joi.string()
          .pattern(/^tidy\.(?!cut$)/)
          .required()
          .messages({ 'string.pattern.base': 'a recipe holds tidy acts, none of them by hand' }),
        params: Joi.object().unknown(true).default({}),
      }),
    )
    .min(1)
    .max(50)
    .allow(null)
    .default(null),
}).prefs({ errors: { wrap: { label: false } } })

/**
 * Does tidy acts to takes, one job a take: given ones (another take's), or for `steps: null` those each take needs by
 * itself.
 */
export function POST(request: Request, { params }: { params: Promise<{ id: string }> }): Promise<Response> {
  return answer(async () => {
    const db = database()
    const pieceId = await existingPiece((await params).id)
    const { takeIds, steps } = await body(request, schema)
    const state = await pieceState(db, pieceId)
    if (!state) throw new Refusal(404, 'There is no such piece on the shelf.')
    const takes = takeIds.map((id) => {
      const take = state.takes.find((t) => t.id === id && t.shape?.kind === 'cloud')
      if (!take) throw new Refusal(404, 'One of the takes is not here, or holds no points.')
      if (take.locked) throw new Refusal(409, `“${take.name}” is locked; unlock it on the contact sheet first.`)
      return take
    })
    const plans = takes
      .map((take) => ({ take, steps: steps ? steps.map((s) => stepFor(state, take, s)) : openProposals(state, take) }))
      .filter((p) => p.steps.length > 0)
    if (plans.length === 0) throw new Refusal(409, 'Nothing is proposed for these takes any more.')
    for (const { steps: list } of plans) for (const s of list) checkParams(operationNamed(s.operation), s.params)
    for (const { take } of plans)
      if (await isBusy(db, pieceId, [`take:${take.id}`]))
        throw new Refusal(409, `“${take.name}” is being worked on just now; wait until it ends, or cancel it.`)
    const ids: number[] = []
    for (const { take, steps: list } of plans) {
      ids.push(
        await submitJob(
          db,
          pieceId,
          `take:${take.id}`,
          `Tidying “${take.name}”`,
          {
            kind: 'recipe',
            steps: list.map(({ operation, params }) => ({ operation, params: { ...params } })),
            take: take.shape!.hash,
            ...(state.bench?.shape && { bench: state.bench.shape.hash }),
          },
          take.stepId,
        ),
      )
    }
    return Response.json({ ids }, { status: 202 })
  })
}
