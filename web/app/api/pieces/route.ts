import Joi from 'joi'
import { createPiece, listPieces } from '@holosoma/engine'
import { LONGEST } from '@/lib/limits'
import { answer, body, database } from '@/lib/server'

export const dynamic = 'force-dynamic'

const schema = Joi.object<{ name: string; number: string }>({
  name: Joi.string()
    .trim()
    .min(1)
    .max(4 * LONGEST.pieceName)
    .required()
    .label('The name'),
  number: Joi.string()
    .trim()
    .allow('')
    .max(4 * LONGEST.pieceNumber)
    .default('')
    .label('The number'),
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
