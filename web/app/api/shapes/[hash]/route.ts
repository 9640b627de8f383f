import { blobSize, findShape, readBlob } from '@holosoma/engine'
import { answer, database, hashFrom, Refusal } from '@/lib/server'

export const dynamic = 'force-dynamic'

/** A stored shape as glTF binary: whole, `?as=preview`, or `?as=thumb`. Content never changes under its hash. */
export function GET(request: Request, { params }: { params: Promise<{ hash: string }> }): Promise<Response> {
  return answer(async () => {
    const hash = hashFrom((await params).hash)
    const db = database()
    const info = await findShape(db, hash)
    const as = new URL(request.url).searchParams.get('as')
    const wanted = as === 'preview' ? info?.previewHash : as === 'thumb' ? info?.thumbHash : info?.hash
    const size = wanted ? await blobSize(db, wanted) : null
    if (!wanted || size === null) throw new Refusal(404, 'There is no such shape.')
    const parts = readBlob(db, wanted)
    const stream = new ReadableStream<Uint8Array>({
      async pull(controller) {
        const next = await parts.next()
        if (next.done) controller.close()
        else controller.enqueue(next.value)
      },
      async cancel() {
        await parts.return(undefined)
      },
    })
    return new Response(stream, {
      headers: {
        'Content-Type': as === 'thumb' ? 'application/octet-stream' : 'model/gltf-binary',
        'Content-Length': String(size),
        'Cache-Control': 'public, max-age=31536000, immutable',
      },
    })
  })
}
