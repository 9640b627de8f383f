import Joi from 'joi'
import { redo, undo } from '@holosoma/engine'
import { answer, body, database, existingPiece } from '@/lib/server'

const schema = Joi.object<{ move: 'undo' | 'redo' }>({ move: Joi.string().valid('undo', 'redo').required() })

export function POST(request: Request, { params }: { params: Promise<{ id: string }> }): Promise<Response> {
  return answer(async () => {
    const pieceId = await existingPiece((await params).id)
    const { move } = await body(request, schema)
    const step = await (move === 'undo' ? undo : redo)(database(), pieceId)
    return Response.json({ step })
  })
}
