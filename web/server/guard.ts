import { limitsOf, MAX_URL_BYTES, type BodyLimit, type Method } from '../lib/limits'

/*
 * The door of the web server. Everything that comes in passes here before any page or route sees it: who is addressed
 * (a name that was pointed at this machine by someone else is refused), from which page the request comes, what it
 * carries and how much.
 */

export interface Incoming {
  readonly method: string
  readonly url: string
  readonly headers: Readonly<Record<string, string | string[] | undefined>>
}

export interface Refused {
  readonly status: number
  readonly error: string
}

/** What the door lets in; `limit` bounds the body that may follow. */
export interface Admitted {
  readonly limit: BodyLimit | null
}

const READS = new Set(['GET', 'HEAD'])
const WRITES = new Set(['POST', 'PUT', 'PATCH', 'DELETE'])

/** Names of this machine itself. */
const LOOPBACK = ['127.0.0.1', 'localhost', '[::1]']

/** @param names further host names by which the house may be addressed, in lower case, without ports */
export function examine(request: Incoming, names: readonly string[] = []): Refused | Admitted {
  const header = (name: string): string | undefined => {
    const v = request.headers[name]
    return Array.isArray(v) ? v[0] : v
  }
  const host = header('host')?.toLowerCase() ?? ''
  const hostName = host.replace(/:\d+$/, '')
  if (![...LOOPBACK, ...names].includes(hostName))
    return {
      status: 421,
      error: 'Holosoma is not known under this name. Open it by the address it told when it was started.',
    }
  if (!READS.has(request.method) && !WRITES.has(request.method))
    return { status: 405, error: 'This is no request Holosoma answers.' }
  if (Buffer.byteLength(request.url) > MAX_URL_BYTES) return { status: 414, error: 'This address is too long.' }
  let path: string
  try {
    decodeURIComponent(request.url.replaceAll('+', ' '))
    path = decodeURIComponent(new URL(request.url, 'http://here').pathname)
  } catch {
    return { status: 400, error: 'This address cannot be read: it holds a sign that is no letter.' }
  }
  const isApi = path === '/api' || path.startsWith('/api/')
  const limits = isApi ? limitsOf(path) : null
  if (isApi && !limits) return { status: 404, error: 'There is nothing here.' }
  const writes = WRITES.has(request.method)
  if (isApi || writes) {
    const origin = header('origin')
    const site = header('sec-fetch-site')
    if (origin !== undefined && originHost(origin) !== host) return FOREIGN
    if (site !== undefined && site !== 'same-origin' && !(site === 'none' && !writes)) return FOREIGN
  }
  if (!writes) return { limit: null }
  const limit = limits?.[request.method as Method]
  if (!limit) return { status: 405, error: 'This address takes no such request.' }
  const lengthText = header('content-length')
  const length = lengthText === undefined ? null : Number(lengthText)
  if (length !== null && (!Number.isInteger(length) || length < 0))
    return { status: 400, error: 'The request does not say rightly how long it is.' }
  if (limit.kind === 'none')
    return length || header('transfer-encoding') !== undefined
      ? { status: 413, error: 'This request carries nothing.' }
      : { limit }
  const type = (header('content-type') ?? '').split(';')[0].trim().toLowerCase()
  const wanted = limit.kind === 'json' ? 'application/json' : 'application/octet-stream'
  if (type !== wanted) return { status: 415, error: `This address takes ${wanted} and nothing else.` }
  // Also of what is streamed: whether there is room for it is asked before it comes.
  if (length === null) return { status: 411, error: 'The request does not say how long it is.' }
  if (length > limit.bytes)
    return {
      status: 413,
      error: `This is too much at once: ${bytesText(length)} where at most ${bytesText(limit.bytes)} are taken.`,
    }
  return { limit }
}

const FOREIGN: Refused = {
  status: 403,
  error: 'This request comes from another page; only Holosoma’s own pages may ask.',
}

/** The host an Origin header names; '' for `null` and what is no address. */
function originHost(origin: string): string {
  try {
    return new URL(origin).host.toLowerCase()
  } catch {
    return ''
  }
}

export const bytesText = (n: number): string =>
  n < 1e6
    ? `${Math.ceil(n / 1024)} KB`
    : n < 2 ** 30
      ? `${Math.round(n / 2 ** 20)} MB`
      : `${(n / 2 ** 30).toFixed(1)} GB`

/**
 * What a page may load and do: scripts only from here, and inline ones only with this answer's own word; no frames, no
 * forms elsewhere.
 * Source: W3C, Content Security Policy Level 3. Styles may be inline, for parts of the page carry their size and colour
 * with them.
 */
export const contentPolicy = (nonce: string): string =>
  [
    "default-src 'self'",
    `script-src 'self' 'nonce-${nonce}' 'wasm-unsafe-eval'`,
    "style-src 'self' 'unsafe-inline'",
    "img-src 'self' data: blob:",
    "font-src 'self' data:",
    "connect-src 'self' data: blob:",
    "worker-src 'self' blob:",
    "object-src 'none'",
    "base-uri 'none'",
    "form-action 'self'",
    "frame-src 'none'",
    "frame-ancestors 'none'",
  ].join('; ')

/** Of every answer. Shared memory in workers needs an isolated page. */
export const ALWAYS: Readonly<Record<string, string>> = {
  'Cross-Origin-Opener-Policy': 'same-origin',
  'Cross-Origin-Embedder-Policy': 'require-corp',
  'Cross-Origin-Resource-Policy': 'same-origin',
  'X-Content-Type-Options': 'nosniff',
  'X-Frame-Options': 'DENY',
  'Referrer-Policy': 'no-referrer',
  'Permissions-Policy': 'camera=(), microphone=(), geolocation=(), payment=(), usb=()',
}
