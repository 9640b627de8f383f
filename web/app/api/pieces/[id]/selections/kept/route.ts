import Joi from 'joi'
import { dropSelection, findShape, nameSelection, pieceState } from '@holosoma/engine'
import { nameSchema } from '@/lib/schemas'
import { answer, body, database, existingPiece, idFrom, Refusal } from '@/lib/server'

interface Kept {
  takeId: number
  name: string
  selection: string
  chosen: number
}

const schema = Joi.object<Kept>({
  takeId: Joi.number().integer().required(),
  name: nameSchema('selectionName').trim().min(1).required().label('name'),
  selection: Joi.string().hex().length(64).required(),
  chosen: Joi.number().integer().min(1).required(),
})

/** Keeps a choice of points under a name, on the take as it is now. */
export function POST(request: Request, { params }: { params: Promise<{ id: string }> }): Promise<Response> {
  return answer(async () => {
    const pieceId = await existingPiece((await params).id)
    const { takeId, name, selection, chosen } = await body(request, schema)
    const take = (await pieceState(database(), pieceId))?.takes.find((t) => t.id === takeId && t.shape)
    if (!take) throw new Refusal(404, 'That take is not here.')
    if ((await findShape(database(), selection))?.kind !== 'selection')
      throw new Refusal(404, 'What was chosen did not arrive; choose again.')
    await nameSelection(database(), pieceId, {
      takeId,
      name,
      shapeHash: take.shape!.hash,
      selectionHash: selection,
      chosen,
    })
    return Response.json({ ok: true }, { status: 201 })
  })
}

export function DELETE(request: Request, { params }: { params: Promise<{ id: string }> }): Promise<Response> {
  return answer(async () => {
    const pieceId = await existingPiece((await params).id)
    if (!(await dropSelection(database(), pieceId, idFrom(new URL(request.url).searchParams.get('id') ?? ''))))
      throw new Refusal(404, 'That choice is not here.')
    return Response.json({ ok: true })
  })
}
