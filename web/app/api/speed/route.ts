import { secondsPerMillionPoints } from '@holosoma/engine'
import { answer, database } from '@/lib/server'

export const dynamic = 'force-dynamic'

/** What this machine takes for a million points, from what it has done so far. */
export function GET(): Promise<Response> {
  return answer(async () => Response.json({ secondsPerMillion: await secondsPerMillionPoints(database()) }))
}
