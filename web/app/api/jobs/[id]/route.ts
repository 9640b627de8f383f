import { cancelJob } from '@holosoma/engine'
import { answer, database, idFrom, Refusal } from '@/lib/server'

export function DELETE(_request: Request, { params }: { params: Promise<{ id: string }> }): Promise<Response> {
  return answer(async () => {
    if (!(await cancelJob(database(), idFrom((await params).id)))) throw new Refusal(409, 'That has ended already.')
    return Response.json({ ok: true })
  })
}
