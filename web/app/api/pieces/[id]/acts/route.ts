import { listActs } from '@holosoma/engine'
import { answer, database, existingPiece } from '@/lib/server'

export const dynamic = 'force-dynamic'

/** What people did with the piece that left no step: undo and redo, names, downloads, what was cancelled. */
export function GET(_request: Request, { params }: { params: Promise<{ id: string }> }): Promise<Response> {
  return answer(async () => Response.json({ acts: await listActs(database(), await existingPiece((await params).id)) }))
}
