import Joi from 'joi'
import { listDevices, removeDevice, saveDevices } from '@holosoma/engine'
import { answer, body, database, Refusal } from '@/lib/server'

export const dynamic = 'force-dynamic'

const schema = Joi.object<{ devices: unknown[] }>({ devices: Joi.array().min(1).max(200).required() })
const list = async (): Promise<Response> => Response.json({ devices: await listDevices(database()) })

export function GET(): Promise<Response> {
  return answer(list)
}

export function PUT(request: Request): Promise<Response> {
  return answer(async () => {
    await saveDevices(database(), (await body(request, schema)).devices)
    return list()
  })
}

export function DELETE(request: Request): Promise<Response> {
  return answer(async () => {
    const id = new URL(request.url).searchParams.get('id')
    if (!id) throw new Refusal(400, 'Say which device profile is to go.')
    await removeDevice(database(), id)
    return list()
  })
}
