import { findShape, storeArtefact } from '@holosoma/engine'
import { answer, bodyParts, database, existingPiece, hashFrom, Refusal } from '@/lib/server'

/** Keeps a selection made by hand, one bit a point of the shape that `?of=` names; the answer is its hash. */
export function POST(request: Request, { params }: { params: Promise<{ id: string }> }): Promise<Response> {
  return answer(async () => {
    await existingPiece((await params).id)
    const shape = await findShape(database(), hashFrom(new URL(request.url).searchParams.get('of') ?? ''))
    if (!shape || shape.kind !== 'cloud') throw new Refusal(404, 'What this selection belongs to is not here.')
    const bits = new Uint8Array((shape.points + 7) >> 3)
    let at = 0
    // No more is read than the take has points.
    for await (const part of bodyParts(request, bits.length)) {
      bits.set(part, at)
      at += part.length
    }
    if (at !== bits.length) throw new Refusal(400, 'The selection does not fit the take it belongs to.')
    const { hash } = await storeArtefact(database(), { kind: 'selection', count: shape.points, bits })
    return Response.json({ selection: hash }, { status: 201 })
  })
}
