import Joi from 'joi'
import { cancelJob, holdJob, type Hold } from '@holosoma/engine'
import { answer, body, database, idFrom, Refusal } from '@/lib/server'

export function DELETE(_request: Request, { params }: { params: Promise<{ id: string }> }): Promise<Response> {
  return answer(async () => {
    if (!(await cancelJob(database(), idFrom((await params).id)))) throw new Refusal(409, 'That has ended already.')
    return Response.json({ ok: true })
  })
}

const schema = Joi.object<{ hold: Hold }>({ hold: Joi.string().valid('none', 'pause', 'stop').required() })

/** A take waits, goes on, or ends with the frames it has. */
export function PATCH(request: Request, { params }: { params: Promise<{ id: string }> }): Promise<Response> {
  return answer(async () => {
    const { hold } = await body(request, schema)
    if (!(await holdJob(database(), idFrom((await params).id), hold))) throw new Refusal(409, 'That has ended already.')
    return Response.json({ ok: true })
  })
}
