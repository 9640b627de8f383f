import Joi from 'joi'
import { MAX_PICTURES, READ_EXTENSIONS } from '@holosoma/core'
import { presetSchema, type ImportPreset } from '@holosoma/core/measure'
import { blobSize, importTake } from '@holosoma/engine'
import { nameSchema } from '@/lib/schemas'
import { answer, body, database, existingPiece, Refusal } from '@/lib/server'

interface Model {
  name: string
  upload: string
  companions: { name: string; upload: string }[]
  preset: ImportPreset
}

const upload = Joi.string().hex().length(64).required()
const schema = Joi.object<Model>({
  name: nameSchema('fileName').required(),
  upload,
  companions: Joi.array()
    .min(1)
    .max(MAX_PICTURES)
    .items(Joi.object({ name: nameSchema('fileName').required(), upload }))
    .required(),
  preset: presetSchema.required(),
})

/** A shape that was stored with the files it names, its pictures among them, becomes a take. */
export function POST(request: Request, { params }: { params: Promise<{ id: string }> }): Promise<Response> {
  return answer(async () => {
    const db = database()
    const pieceId = await existingPiece((await params).id)
    const { name, upload, companions, preset } = await body(request, schema)
    if (!READ_EXTENSIONS.includes(name.toLowerCase().split('.').at(-1) ?? ''))
      throw new Refusal(415, `“${name}” is of no kind that can be read. Known: ${READ_EXTENSIONS.join(', ')}.`)
    for (const file of [{ name, upload }, ...companions])
      if ((await blobSize(db, file.upload)) === null)
        throw new Refusal(409, `“${file.name}” did not arrive whole; nothing was saved. Drop it again.`)
    const { id } = await importTake(db, pieceId, name, upload, preset, { companions })
    return Response.json({ id }, { status: 202 })
  })
}
