import { bytesOf, removeForGood, type Removable } from '@holosoma/engine'
import { answer, database, idFrom, Refusal } from './server'

type Handler = (request: Request, context: { params: Promise<{ id: string }> }) => Promise<Response>

/** What can be asked and done of something in the bin: how much is kept for it alone, and removing it for good. */
export function removalRoutes(what: Removable): { readonly GET: Handler; readonly DELETE: Handler } {
  const missing = (): Refusal => new Refusal(404, `That ${what} is not here.`)
  return {
    GET: (_request, { params }) =>
      answer(async () => {
        const bytes = await bytesOf(database(), what, idFrom((await params).id))
        if (bytes === null) throw missing()
        return Response.json({ bytes })
      }),
    DELETE: (_request, { params }) =>
      answer(async () => {
        if (!(await removeForGood(database(), what, idFrom((await params).id)))) throw missing()
        return Response.json({ ok: true })
      }),
  }
}
