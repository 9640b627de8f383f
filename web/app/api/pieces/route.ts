import Joi from 'joi'
import { createPiece, listPieces } from '@holosoma/engine'
import { nameSchema } from '@/lib/schemas'
import { answer, body, database } from '@/lib/server'

export const dynamic = 'force-dynamic'

const schema = Joi.object<{ name: string; number: string }>({
  name: nameSchema('pieceName').trim().min(1).required().label('The name'),
  number: nameSchema('pieceNumber').trim().allow('').default('').label('The number'),
})

export function GET(): Promise<Response> {
  return answer(async () => Response.json(await listPieces(database())))
}

export function POST(request: Request): Promise<Response> {
  return answer(async () => {
    const piece = await body(request, schema)
    return Response.json({ id: await createPiece(database(), piece) }, { status: 201 })
  })
}
