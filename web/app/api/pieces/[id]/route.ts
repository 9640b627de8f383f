import { pieceState } from '@holosoma/engine'
import { answer, database, idFrom, Refusal } from '@/lib/server'

export const dynamic = 'force-dynamic'

export function GET(_request: Request, { params }: { params: Promise<{ id: string }> }): Promise<Response> {
  return answer(async () => {
    const state = await pieceState(database(), idFrom((await params).id))
    if (!state) throw new Refusal(404, 'There is no such piece on the shelf.')
    return Response.json(state)
  })
}
