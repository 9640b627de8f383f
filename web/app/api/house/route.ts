import { listActs, spaceUsed } from '@holosoma/engine'
import { answer, database } from '@/lib/server'

export const dynamic = 'force-dynamic'

/** How much space the house takes and how much is left, and what was done to what belongs to all pieces. */
export function GET(): Promise<Response> {
  return answer(async () =>
    Response.json({ space: await spaceUsed(database()), acts: await listActs(database(), null) }),
  )
}
