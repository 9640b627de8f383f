import Joi from 'joi'
import { findShape, storeArtefact } from '@holosoma/engine'
import { answer, database, existingPiece, Refusal } from '@/lib/server'

const hashSchema = Joi.string().hex().length(64).required()

/** Keeps a selection made by hand, one bit a point of the shape that `?of=` names; the answer is its hash. */
export function POST(request: Request, { params }: { params: Promise<{ id: string }> }): Promise<Response> {
  return answer(async () => {
    await existingPiece((await params).id)
    const { value: of, error } = hashSchema.validate(new URL(request.url).searchParams.get('of') ?? '')
    const shape = error ? null : await findShape(database(), of as string)
    if (!shape || shape.kind !== 'cloud') throw new Refusal(404, 'What this selection belongs to is not here.')
    const bits = new Uint8Array(await request.arrayBuffer())
    if (bits.length !== (shape.points + 7) >> 3) throw new Refusal(400, 'The selection does not fit the take it belongs to.')
    const { hash } = await storeArtefact(database(), { kind: 'selection', count: shape.points, bits })
    return Response.json({ selection: hash }, { status: 201 })
  })
}
