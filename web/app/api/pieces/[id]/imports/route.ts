import { READ_EXTENSIONS } from '@holosoma/core'
import { createTake, pieceState, storeBlob, submitJob } from '@holosoma/engine'
import { answer, database, idFrom, Refusal } from '@/lib/server'

export const dynamic = 'force-dynamic'

/** One file as the request's body, streamed into the database as it comes; reading it is a job. */
export function POST(request: Request, { params }: { params: Promise<{ id: string }> }): Promise<Response> {
  return answer(async () => {
    const db = database()
    const pieceId = idFrom((await params).id)
    const fileName = (new URL(request.url).searchParams.get('name') ?? '').replace(/^.*[\\/]/, '').slice(0, 200)
    const ending = fileName.toLowerCase().split('.').at(-1) ?? ''
    if (!READ_EXTENSIONS.includes(ending)) throw new Refusal(415, `“${fileName}” is of no kind that can be read. Known: ${READ_EXTENSIONS.join(', ')}.`)
    if (!(await pieceState(db, pieceId))) throw new Refusal(404, 'There is no such piece on the shelf.')
    if (!request.body) throw new Refusal(400, `“${fileName}” is empty (0 bytes).`)
    const { sha256, bytes } = await storeBlob(db, request.body as unknown as AsyncIterable<Uint8Array>, 'application/octet-stream')
    if (bytes === 0) throw new Refusal(400, `“${fileName}” is empty (0 bytes).`)
    const take = await createTake(db, pieceId, fileName.replace(/\.[^.]+$/, ''), 'as imported')
    const id = await submitJob(db, pieceId, `take:${take.id}`, `Reading ${fileName}`, { kind: 'import', upload: sha256, fileName })
    return Response.json({ id, takeId: take.id }, { status: 202 })
  })
}
