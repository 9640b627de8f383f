import Joi from 'joi'
import { listAcceptances, testDevice } from '@holosoma/engine'
import { answer, body, database } from '@/lib/server'

export const dynamic = 'force-dynamic'

const schema = Joi.object<{ warmK: number }>({ warmK: Joi.number().min(-60).max(60).required().label('temperature') })

/** Acceptance tests of a device, oldest first. */
export function GET(_request: Request, { params }: { params: Promise<{ id: string }> }): Promise<Response> {
  return answer(async () => Response.json({ tests: await listAcceptances(database(), (await params).id) }))
}

export function POST(request: Request, { params }: { params: Promise<{ id: string }> }): Promise<Response> {
  return answer(async () => {
    const { warmK } = await body(request, schema)
    return Response.json({ tests: await testDevice(database(), (await params).id, warmK) })
  })
}
