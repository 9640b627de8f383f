import { photoPicture } from '@holosoma/engine'
import { answer, database, idFrom, Refusal } from '@/lib/server'

const LARGEST_SIDE = 2048

/** A photo as it came, or with `?side=` fitted into a square of so many pixels. */
export function GET(request: Request, { params }: { params: Promise<{ id: string }> }): Promise<Response> {
  return answer(async () => {
    const asked = new URL(request.url).searchParams.get('side')
    const side = asked === null ? null : Number(asked)
    if (side !== null && !(Number.isInteger(side) && side >= 16 && side <= LARGEST_SIDE))
      throw new Refusal(400, `The side of a picture is a whole number from 16 to ${LARGEST_SIDE}.`)
    const picture = await photoPicture(database(), idFrom((await params).id), side)
    if (!picture) throw new Refusal(404, 'That photo is not here.')
    return new Response(picture.bytes as BodyInit, {
      headers: {
        'Content-Type': picture.mediaType,
        'Content-Disposition': 'inline',
        'Cache-Control': 'private, max-age=31536000, immutable',
      },
    })
  })
}
