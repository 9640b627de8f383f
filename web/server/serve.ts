import { randomBytes } from 'node:crypto'
import { createServer, type IncomingMessage, type ServerResponse } from 'node:http'
import next from 'next'
import { MAX_CONNECTIONS, MAX_HEADER_BYTES } from '../lib/limits'
import { ALWAYS, contentPolicy, examine, type Refused } from './guard'

/* The web server: the door (see guard.ts), and behind it the pages and routes. Listens on loopback. */

const port = Number(process.env.HOLOSOMA_PORT ?? 3000)
const names = (process.env.HOLOSOMA_HOSTS ?? '')
  .split(',')
  .map((n) => n.trim().toLowerCase())
  .filter((n) => n !== '')
const pages = next({ dev: false, dir: process.cwd(), hostname: '127.0.0.1', port })
await pages.prepare()
const handle = pages.getRequestHandler()

const server = createServer(
  { maxHeaderSize: MAX_HEADER_BYTES, headersTimeout: 20_000, requestTimeout: 0, keepAliveTimeout: 10_000 },
  (request, response) => void answer(request, response),
)
server.maxConnections = MAX_CONNECTIONS
server.on('clientError', (_error, socket) => {
  if (socket.writable) socket.end('HTTP/1.1 400 Bad Request\r\nConnection: close\r\n\r\n')
})

async function answer(request: IncomingMessage, response: ServerResponse): Promise<void> {
  for (const [name, value] of Object.entries(ALWAYS)) response.setHeader(name, value)
  const seen = examine({ method: request.method ?? '', url: request.url ?? '/', headers: request.headers }, names)
  if ('status' in seen) return refuse(request, response, seen)
  if (seen.limit) hurry(request, response, seen.limit.seconds, seen.limit.kind === 'bytes')
  const nonce = randomBytes(16).toString('base64')
  const policy = contentPolicy(nonce)
  // The page builder reads the word for its own scripts from here.
  request.headers['content-security-policy'] = policy
  response.setHeader('Content-Security-Policy', policy)
  try {
    await handle(request, response)
  } catch (error) {
    process.stderr.write(`web: ${(error as Error).stack ?? String(error)}\n`)
    if (!response.headersSent)
      refuse(request, response, { status: 500, error: 'Something went wrong inside Holosoma; nothing was changed.' })
    else response.destroy()
  }
}

function refuse(request: IncomingMessage, response: ServerResponse, { status, error }: Refused): void {
  response.writeHead(status, {
    'Content-Type': 'application/json; charset=utf-8',
    'Cache-Control': 'no-store',
    Connection: 'close',
  })
  response.end(JSON.stringify({ error }))
  // What was still to come is not read.
  response.once('finish', () => request.destroy())
}

/** Ends a request whose body does not come: a whole one in its time, a streamed one that pauses too long. */
function hurry(request: IncomingMessage, response: ServerResponse, seconds: number, streamed: boolean): void {
  if (streamed) {
    const { socket } = request
    const tooLong = (): void => void request.destroy()
    socket.setTimeout(seconds * 1000, tooLong)
    // The connection goes on to other requests, which have limits of their own.
    const letGo = (): void => {
      socket.setTimeout(0)
      socket.off('timeout', tooLong)
    }
    request.once('end', letGo)
    response.once('close', letGo)
    return
  }
  const timer = setTimeout(() => {
    if (!response.headersSent)
      refuse(request, response, {
        status: 408,
        error: 'The request did not arrive whole in time; nothing was changed.',
      })
  }, seconds * 1000)
  request.once('end', () => clearTimeout(timer))
  request.once('close', () => clearTimeout(timer))
}

server.listen(port, '127.0.0.1')
for (const signal of ['SIGTERM', 'SIGINT'] as const)
  process.once(signal, () => {
    server.close(() => process.exit(0))
    server.closeAllConnections()
    setTimeout(() => process.exit(0), 2000).unref()
  })
