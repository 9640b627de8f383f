import Joi from 'joi'
import { writeFilesIn, zipped, type Unit, type WriteFormat } from '@holosoma/core'
import { loadShape, noteAct, pieceState } from '@holosoma/engine'
import { answer, database, idFrom, Refusal } from '@/lib/server'

export const dynamic = 'force-dynamic'

const MEDIA: Readonly<Record<string, string>> = {
  stl: 'model/stl',
  ply: 'application/octet-stream',
  obj: 'model/obj',
  glb: 'model/gltf-binary',
}
const schema = Joi.object<{ format: WriteFormat; unit: Unit }>({
  format: Joi.string().valid('stl', 'ply', 'obj', 'glb').default('stl'),
  unit: Joi.string().valid('mm', 'cm', 'm', 'in').default('mm'),
})

/** The finished mesh as a file, streamed; an OBJ with its picture as an archive. glTF is always in metres, by its own rule. */
export function GET(request: Request, { params }: { params: Promise<{ id: string }> }): Promise<Response> {
  return answer(async () => {
    const { value, error } = schema.validate(Object.fromEntries(new URL(request.url).searchParams))
    if (error) throw new Refusal(400, `${error.details[0].message.replaceAll('"', '')}.`)
    const { format, unit } = value
    const state = await pieceState(database(), idFrom((await params).id))
    if (!state?.mesh) throw new Refusal(409, 'There is no skin yet to release.')
    const shape = await loadShape(database(), state.mesh.shape.hash)
    const name = `${state.piece.number || state.piece.name}`.replace(/[^\w-]+/g, '-')
    await noteAct(
      database(),
      state.piece.id,
      'download',
      `Released as ${format.toUpperCase()}${format === 'glb' ? '' : ` in ${unit}`} ` +
        `(${state.mesh.shape.hash.slice(0, 12)})`,
    )
    const base = `${name}-${format === 'glb' ? 'm' : unit}`
    const files = writeFilesIn(shape, format, unit, base)
    // Files that belong together leave together.
    const archive = files.length > 1
    const parts = (archive ? zipped(files) : files[0].chunks)[Symbol.iterator]()
    const stream = new ReadableStream<Uint8Array>({
      pull(controller) {
        const next = parts.next()
        if (next.done) controller.close()
        else controller.enqueue(next.value)
      },
    })
    return new Response(stream, {
      headers: {
        'Content-Type': archive ? 'application/zip' : (MEDIA[format] ?? 'application/octet-stream'),
        'Content-Disposition': `attachment; filename="${base}.${archive ? 'zip' : format}"`,
      },
    })
  })
}
