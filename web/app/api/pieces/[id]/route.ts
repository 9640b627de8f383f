import Joi from 'joi'
import { pieceBytes, pieceState, removePiece, updatePiece, type PieceChange } from '@holosoma/engine'
import { nameSchema } from '@/lib/schemas'
import { answer, body, database, existingPiece, idFrom, Refusal } from '@/lib/server'

export const dynamic = 'force-dynamic'

/** All there is to a piece; with `?as=bytes` how much is kept for it alone. */
export function GET(request: Request, { params }: { params: Promise<{ id: string }> }): Promise<Response> {
  return answer(async () => {
    if (new URL(request.url).searchParams.get('as') === 'bytes')
      return Response.json({ bytes: await pieceBytes(database(), await existingPiece((await params).id)) })
    const state = await pieceState(database(), idFrom((await params).id))
    if (!state) throw new Refusal(404, 'There is no such piece on the shelf.')
    return Response.json(state)
  })
}

const schema = Joi.object<PieceChange>({
  name: nameSchema('pieceName').trim().min(1).label('The name'),
  number: nameSchema('pieceNumber').trim().allow('').label('The number'),
  binned: Joi.boolean(),
}).or('name', 'number', 'binned')

export function PATCH(request: Request, { params }: { params: Promise<{ id: string }> }): Promise<Response> {
  return answer(async () => {
    const change = await body(request, schema)
    if (!(await updatePiece(database(), await existingPiece((await params).id), change)))
      throw new Refusal(404, 'There is no such piece on the shelf.')
    return Response.json({ ok: true })
  })
}

/** Removes for good what lies in the bin. */
export function DELETE(_request: Request, { params }: { params: Promise<{ id: string }> }): Promise<Response> {
  return answer(async () => {
    if (!(await removePiece(database(), idFrom((await params).id))))
      throw new Refusal(404, 'There is no such piece on the shelf.')
    return Response.json({ ok: true })
  })
}
