import type Joi from 'joi'
import { isGeometryError } from '@holosoma/core'
import { openDatabase, pieceExists, type Database } from '@holosoma/engine'

/** A request that can't be granted, in the user's words. */
export class Refusal extends Error {
  constructor(readonly status: number, message: string) {
    super(message)
  }
}

export function database(): Database {
  return openDatabase()
}

/** Runs a handler; refusals and geometry errors become one sentence, faults a plain apology (details go to the log). */
export async function answer(handler: () => Promise<Response>): Promise<Response> {
  try {
    return await handler()
  } catch (error) {
    if (error instanceof Refusal) return Response.json({ error: error.message }, { status: error.status })
    if (isGeometryError(error)) return Response.json({ error: error.message, code: error.code }, { status: 422 })
    const code = (error as { code?: string }).code ?? ''
    if (code === 'ECONNREFUSED' || code === 'PROTOCOL_CONNECTION_LOST') return Response.json({ error: 'The database does not answer just now. Your work is safe; try again in a moment.' }, { status: 503 })
    console.error(error)
    return Response.json({ error: 'Something went wrong inside Holosoma; nothing was changed.' }, { status: 500 })
  }
}

export async function body<T>(request: Request, schema: Joi.ObjectSchema<T>): Promise<T> {
  const given: unknown = await request.json().catch(() => undefined)
  if (given === undefined) throw new Refusal(400, 'The request has no readable content.')
  // Names are trimmed; parameters of operations are checked strictly by the registry.
  const { value, error } = schema.validate(given)
  if (error) throw new Refusal(400, `${error.details[0]!.message.replaceAll('"', '')}.`)
  return value as T
}

export function idFrom(text: string): number {
  const id = Number(text)
  if (!Number.isInteger(id) || id < 1) throw new Refusal(404, 'There is nothing here.')
  return id
}

/** The piece an address names. */
export async function existingPiece(text: string): Promise<number> {
  const id = idFrom(text)
  if (!(await pieceExists(database(), id))) throw new Refusal(404, 'There is no such piece on the shelf.')
  return id
}
