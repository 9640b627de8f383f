import Joi from 'joi'
import type { Base, Database } from '@holosoma/engine'
import { answer, body, database, existingPiece } from './server'
import { baseSchema } from './schemas'

const schema = Joi.object<{ content: unknown; base?: Base }>({ content: Joi.object().required(), base: baseSchema })

/** Saves a document of a piece as a version; what is wrong with it is said in one sentence and nothing is changed. */
export const savesDocument =
  (write: (db: Database, pieceId: number, content: unknown, base?: Base | null) => Promise<Base>) =>
  (request: Request, { params }: { params: Promise<{ id: string }> }): Promise<Response> =>
    answer(async () => {
      const pieceId = await existingPiece((await params).id)
      const { content, base } = await body(request, schema)
      return Response.json(await write(database(), pieceId, content, base))
    })
