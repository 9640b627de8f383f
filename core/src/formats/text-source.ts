import type { ByteSource } from './byte-reader'

/*
 * Text in two-byte letters (UTF-16), as some programs save it: told by its first two bytes (Unicode 15, 23.8), read as
 * it comes and handed on as UTF-8.
 */

const MARKS = [
  ['utf-16le', 0xff, 0xfe],
  ['utf-16be', 0xfe, 0xff],
] as const

/** The same text in one-byte letters; what begins with no mark is handed on as it is. */
export async function asUtf8(source: ByteSource): Promise<ByteSource> {
  const chunks = source.chunks[Symbol.asyncIterator]()
  let head = new Uint8Array(0)
  let ended = false
  while (head.length < 2 && !ended) {
    const next = await chunks.next()
    if (next.done) ended = true
    else head = joined(head, next.value)
  }
  const mark = MARKS.find(([, a, b]) => head.length >= 2 && head[0] === a && head[1] === b)
  const rest = async function* (): AsyncGenerator<Uint8Array> {
    if (head.length > 0) yield head
    for (let next = await chunks.next(); !next.done; next = await chunks.next()) yield next.value
  }
  if (!mark) return { ...source, chunks: rest() }
  const decoded = async function* (): AsyncGenerator<Uint8Array> {
    const decoder = new TextDecoder(mark[0])
    const encoder = new TextEncoder()
    for await (const chunk of rest()) yield encoder.encode(decoder.decode(chunk, { stream: true }))
    yield encoder.encode(decoder.decode())
  }
  return { ...source, chunks: decoded() }
}

function joined(a: Uint8Array, b: Uint8Array): Uint8Array<ArrayBuffer> {
  const out = new Uint8Array(a.length + b.length)
  out.set(a)
  out.set(b, a.length)
  return out
}
