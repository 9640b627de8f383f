import Joi from 'joi'
import { isGeometryError, nestsDeeper, type GeometryErrorCode } from '@holosoma/core'
import { isAway, noRoom, openDatabase, pieceExists, type Database } from '@holosoma/engine'
import { DEEPEST_JSON, limitsOf, type Method } from './limits'

/** A request that can't be granted, in the user's words. */
export class Refusal extends Error {
  constructor(
    readonly status: number,
    message: string,
  ) {
    super(message)
  }
}

export function database(): Database {
  return openDatabase()
}

const STATUS: Partial<Record<GeometryErrorCode, number>> = { CONFLICT: 409, DAMAGED: 500, MEMORY: 507 }

/** Runs a handler; refusals and geometry errors become one sentence, faults a plain apology (details go to the log). */
export async function answer(handler: () => Promise<Response>): Promise<Response> {
  try {
    return await handler()
  } catch (error) {
    if (error instanceof Refusal) return Response.json({ error: error.message }, { status: error.status })
    if (isGeometryError(error))
      return Response.json({ error: error.message, code: error.code }, { status: STATUS[error.code] ?? 422 })
    if (isAway(error))
      return Response.json(
        { error: 'The database does not answer just now. Your work is safe; try again in a moment.' },
        { status: 503 },
      )
    const code = (error as { code?: string }).code ?? ''
    if (code === 'ER_LOCK_DEADLOCK' || code === 'ER_LOCK_WAIT_TIMEOUT')
      return Response.json(
        { error: 'Too much is being changed at once here; nothing of this was done. Try again.' },
        { status: 503 },
      )
    console.error(error)
    return Response.json({ error: 'Something went wrong inside Holosoma; nothing was changed.' }, { status: 500 })
  }
}

/** How many bytes this request may carry, by its address. */
function mostBytes(request: Request): number {
  return limitsOf(new URL(request.url).pathname)?.[request.method as Method]?.bytes ?? 0
}

/**
 * The parts of a request's body as they come; what is longer than its address may take is refused, whatever it said of
 * its length.
 */
export async function* bodyParts(request: Request, most = mostBytes(request)): AsyncGenerator<Uint8Array> {
  let bytes = 0
  for await (const part of (request.body ?? []) as unknown as AsyncIterable<Uint8Array>) {
    bytes += part.length
    if (bytes > most)
      throw new Refusal(413, `This is too much at once: more than ${Math.round(most / 1024).toLocaleString('en')} KB.`)
    yield part
  }
}

/** A request's body at once. */
export async function wholeBody(request: Request): Promise<Uint8Array<ArrayBuffer>> {
  const parts: Uint8Array[] = []
  for await (const part of bodyParts(request)) parts.push(part)
  const all = new Uint8Array(parts.reduce((n, p) => n + p.length, 0))
  parts.reduce((at, p) => (all.set(p, at), at + p.length), 0)
  return all
}

export async function body<T>(request: Request, schema: Joi.ObjectSchema<T>): Promise<T> {
  const text = new TextDecoder().decode(await wholeBody(request))
  if (nestsDeeper(text, DEEPEST_JSON)) throw new Refusal(400, 'The request nests deeper than anything Holosoma reads.')
  let given: unknown
  try {
    given = JSON.parse(text)
  } catch {
    throw new Refusal(400, 'The request has no readable content.')
  }
  // Names are trimmed; parameters of operations are checked strictly by the registry.
  const { value, error } = schema.validate(given)
  if (error) throw new Refusal(400, `${error.details[0].message.replaceAll('"', '')}.`)
  return value
}

const idSchema = Joi.number()
  .integer()
  .min(1)
  .max(2 ** 31 - 1)
  .required()
const hashSchema = Joi.string().lowercase().hex().length(64).required()

export function idFrom(text: string): number {
  const { value, error } = idSchema.validate(/^\d{1,10}$/.test(text) ? text : undefined)
  if (error) throw new Refusal(404, 'There is nothing here.')
  return value
}

export function hashFrom(text: string): string {
  const { value, error } = hashSchema.validate(text, { convert: false })
  if (error) throw new Refusal(404, 'There is no such shape.')
  return value
}

/** The piece an address names. */
export async function existingPiece(text: string): Promise<number> {
  const id = idFrom(text)
  if (!(await pieceExists(database(), id))) throw new Refusal(404, 'There is no such piece on the shelf.')
  return id
}

/** Refuses what would fill the disk on which the database lies. */
export function needRoom(bytes: number, what: string): void {
  const full = noRoom(bytes, what)
  if (full) throw new Refusal(507, full)
}
