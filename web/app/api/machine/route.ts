import { freemem } from 'node:os'
import { MEMORY_SHARE, secondsPerMillionPoints, secondsPerUnit } from '@holosoma/engine'
import { answer, database } from '@/lib/server'

export const dynamic = 'force-dynamic'

/** Acts whose time is told before they are asked for. */
const TOLD = ['skin.make', 'mend.simplify'] as const

/** What this machine has room for, and how long it takes, from what it has done so far. */
export function GET(): Promise<Response> {
  return answer(async () => {
    const db = database()
    const units = await Promise.all(TOLD.map(async (name) => [name, await secondsPerUnit(db, name)] as const))
    return Response.json({
      secondsPerMillion: await secondsPerMillionPoints(db),
      secondsPerUnit: Object.fromEntries(units),
      memoryBytes: freemem() * MEMORY_SHARE,
    })
  })
}
