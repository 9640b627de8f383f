/*
 * How much each address takes in, in one place: the server's door refuses what claims to be more before anything is
 * read, and the route that reads it counts again. A route that takes a body and does not stand here is refused.
 */

export type Method = 'POST' | 'PUT' | 'PATCH' | 'DELETE'

export interface BodyLimit {
  /** `json`: read whole and parsed; `bytes`: streamed; `none`: no body. */
  readonly kind: 'json' | 'bytes' | 'none'
  readonly bytes: number
  /** How long it may take to arrive, s; for streams the longest pause between two parts. */
  readonly seconds: number
}

const KB = 1024
const MB = 1024 * KB
const GB = 1024 * MB

const json = (bytes: number): BodyLimit => ({ kind: 'json', bytes, seconds: 30 })
const stream = (bytes: number): BodyLimit => ({ kind: 'bytes', bytes, seconds: 60 })
const NONE: BodyLimit = { kind: 'none', bytes: 0, seconds: 10 }

/** Largest file that comes in as one request, bytes. */
export const MAX_UPLOAD_BYTES = 16 * GB
/** An archive is unpacked in memory; larger sets come as a folder. */
export const MAX_ARCHIVE_BYTES = 512 * MB
/** One bit a point, for 800 million points. */
const MAX_SELECTION_BYTES = 100 * MB
/** Deepest nesting of what comes as JSON. */
export const DEEPEST_JSON = 24
/** Longest address, bytes. */
export const MAX_URL_BYTES = 4 * KB
export const MAX_HEADER_BYTES = 16 * KB
export const MAX_CONNECTIONS = 512

/** `:` stands for one part of the path. */
export const ROUTE_LIMITS: Readonly<Record<string, Partial<Record<Method, BodyLimit>>>> = {
  '/api/pieces': { POST: json(4 * KB) },
  '/api/pieces/:': { PATCH: json(4 * KB), DELETE: NONE },
  '/api/pieces/:/acts': {},
  '/api/pieces/:/areas': { PUT: json(2 * MB) },
  '/api/pieces/:/parts': { PUT: json(4 * MB) },
  '/api/pieces/:/brief': { PUT: json(256 * KB) },
  '/api/pieces/:/events': {},
  '/api/pieces/:/frames': { POST: json(4 * MB) },
  '/api/pieces/:/history': { POST: json(KB) },
  '/api/pieces/:/imports': { POST: stream(MAX_UPLOAD_BYTES) },
  '/api/pieces/:/jobs': { POST: json(8 * MB) },
  '/api/pieces/:/models': { POST: json(64 * KB) },
  '/api/pieces/:/photos': { POST: json(MB) },
  '/api/pieces/:/plan': { PUT: json(2 * MB) },
  '/api/pieces/:/recipes': { POST: json(MB) },
  '/api/pieces/:/release': {},
  '/api/pieces/:/results': { POST: json(KB) },
  '/api/pieces/:/road': { POST: NONE },
  '/api/pieces/:/selections': { POST: stream(MAX_SELECTION_BYTES) },
  '/api/pieces/:/selections/kept': { POST: json(4 * KB), DELETE: NONE },
  '/api/pieces/:/session': { POST: json(64 * KB) },
  '/api/pieces/:/takes': { PATCH: json(64 * KB) },
  '/api/results/:': { PATCH: json(8 * KB), DELETE: NONE },
  '/api/results/:/again': { POST: json(32 * KB) },
  '/api/takes/:': { PATCH: json(4 * KB), DELETE: NONE },
  '/api/takes/:/copy': { POST: json(KB) },
  '/api/takes/:/leave': { POST: json(KB) },
  '/api/jobs/:': { DELETE: NONE, PATCH: json(KB) },
  '/api/devices': { PUT: json(MB), DELETE: NONE },
  '/api/devices/:/tests': { POST: json(KB) },
  '/api/house': {},
  '/api/machine': {},
  '/api/photos/:': {},
  '/api/shapes/:': {},
}

/** The limits of an address, or null when it is none of ours. */
export function limitsOf(path: string): Partial<Record<Method, BodyLimit>> | null {
  const parts = path.replace(/\/+$/, '').split('/')
  for (const [pattern, limits] of Object.entries(ROUTE_LIMITS)) {
    const wanted = pattern.split('/')
    if (wanted.length === parts.length && wanted.every((w, i) => w === ':' || w === parts[i])) return limits
  }
  return null
}
