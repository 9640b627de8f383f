import Joi from 'joi'
import { readPoseList } from '@holosoma/core'
import { createTake, submitJob } from '@holosoma/engine'
import { nameSchema } from '@/lib/schemas'
import { answer, body, database, existingPiece } from '@/lib/server'
import { NO_POSE } from '@/lib/take-groups'

interface Frames {
  name: string
  poses: string
  frames: { file: string; upload: string }[]
}

const schema = Joi.object<Frames>({
  name: nameSchema('takeName').trim().min(1).required(),
  poses: Joi.string().max(2_000_000).required(),
  frames: Joi.array()
    .min(1)
    .max(5000)
    .items(
      Joi.object({
        file: nameSchema('fileName').required(),
        upload: Joi.string().hex().length(64).required(),
      }),
    )
    .required(),
})

/** Frames that were stored one by one, with the list of their poses: one take. */
export function POST(request: Request, { params }: { params: Promise<{ id: string }> }): Promise<Response> {
  return answer(async () => {
    const pieceId = await existingPiece((await params).id)
    const { name, poses, frames } = await body(request, schema)
    readPoseList(poses)
    const take = await createTake(database(), pieceId, name, NO_POSE)
    const id = await submitJob(database(), pieceId, `take:${take.id}`, `Reading ${frames.length} frames`, {
      kind: 'frames',
      poses,
      frames,
      fileName: name,
    })
    return Response.json({ id }, { status: 202 })
  })
}
