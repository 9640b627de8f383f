import { Zip, ZipDeflate, ZipPassThrough } from 'fflate'
import type { NamedFile } from './obj-writer'

/** What is packed already gains nothing. */
const PACKED = /\.(png|jpe?g)$/

/** Several files as one archive, in chunks as they come. */
export function* zipped(files: readonly NamedFile[]): Generator<Uint8Array<ArrayBuffer>> {
  const ready: Uint8Array<ArrayBuffer>[] = []
  const zip = new Zip((error, chunk) => {
    if (error) throw error
    ready.push(chunk as Uint8Array<ArrayBuffer>)
  })
  for (const { name, chunks } of files) {
    const entry = PACKED.test(name) ? new ZipPassThrough(name) : new ZipDeflate(name, { level: 6 })
    zip.add(entry)
    for (const chunk of chunks) {
      entry.push(chunk)
      yield* ready.splice(0)
    }
    entry.push(new Uint8Array(0), true)
    yield* ready.splice(0)
  }
  zip.end()
  yield* ready.splice(0)
}
