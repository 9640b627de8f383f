import { listJobs, pieceState, pieceVersions } from '@holosoma/engine'
import { answer, database, idFrom } from '@/lib/server'
import { StateTeller, type StateEvent } from '@/lib/state-stream'

export const dynamic = 'force-dynamic'

const POLL_MS = 250
const KEEP_ALIVE_MS = 15000

/** What changes of the piece, as server-sent events. */
export function GET(request: Request, { params }: { params: Promise<{ id: string }> }): Promise<Response> {
  return answer(async () => events(request, idFrom((await params).id)))
}

function events(request: Request, pieceId: number): Response {
  const db = database()
  const encoder = new TextEncoder()
  let open = true
  request.signal.addEventListener('abort', () => {
    open = false
  })
  const stream = new ReadableStream<Uint8Array>({
    async start(controller) {
      const teller = new StateTeller()
      const tell = (event: StateEvent | null): void => {
        if (event) controller.enqueue(encoder.encode(`data: ${JSON.stringify(event)}\n\n`))
      }
      let last = '',
        lastJobs = ''
      let quiet = 0
      while (open) {
        try {
          const { piece: version, jobs } = await pieceVersions(db, pieceId)
          if (version !== last) {
            const state = await pieceState(db, pieceId)
            if (state) tell(teller.tell(state))
            quiet = 0
          } else if (jobs !== lastJobs) {
            tell(teller.tellJobs(await listJobs(db, pieceId)))
            quiet = 0
          } else if ((quiet += POLL_MS) >= KEEP_ALIVE_MS) {
            controller.enqueue(encoder.encode(': still here\n\n'))
            quiet = 0
          }
          last = version
          lastJobs = jobs
        } catch {
          // The database may be away for a moment; the page keeps what it has.
          last = ''
          teller.forget()
        }
        await new Promise((resolve) => setTimeout(resolve, POLL_MS))
      }
      try {
        controller.close()
      } catch {
        // The page went first.
      }
    },
    cancel() {
      open = false
    },
  })
  return new Response(stream, {
    headers: { 'Content-Type': 'text/event-stream', 'Cache-Control': 'no-cache, no-transform' },
  })
}
