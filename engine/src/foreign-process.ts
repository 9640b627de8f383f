import { isGeometryError, listZip, readShape, readZipEntry, writeGlb } from '@holosoma/core'
import { decodePicture } from './foreign/decode-picture'
import { readPhoto } from './foreign/photo'
import { FrameReader, frameStart, writeTo } from './foreign/frames'
import type { Answered, Asked } from './foreign/messages'

/*
 * Reads files that came from elsewhere, one after the other, in a process of its own: whoever started it can end it at
 * any moment, and does when it takes too long or holds too much. It has no database, no network and no files; bytes
 * come in by standard input and go out by standard output.
 */

const frames = new FrameReader<Asked>(process.stdin)

async function answer(head: Answered, bytes?: Uint8Array): Promise<void> {
  await writeTo(process.stdout, frameStart(head))
  if (bytes) await writeTo(process.stdout, bytes)
}

/** Takes what is left of a file that was refused, so that the next one can come. */
async function drain(body: AsyncGenerator<Buffer>): Promise<void> {
  while (!(await body.next()).done);
}

/** What came with the shape that is read next. */
let companions = new Map<string, Uint8Array<ArrayBuffer>>()

for (let asked = await frames.head(); asked; asked = await frames.head()) {
  const body = frames.body(asked.bytes)
  // The readers may end the stream early; the rest is taken off below.
  const chunks = { [Symbol.asyncIterator]: () => ({ next: () => body.next() }) } as AsyncIterable<Uint8Array>
  const whole = async (): Promise<Uint8Array> => {
    const out = new Uint8Array(asked.bytes)
    let at = 0
    for await (const part of chunks) {
      out.set(part, at)
      at += part.length
    }
    return out.subarray(0, at)
  }
  if (asked.kind === 'companion') {
    companions.set(asked.name.toLowerCase(), Uint8Array.from(await whole()))
    continue
  }
  try {
    if (asked.kind === 'shape') {
      const left: [string, number][] = []
      const glb = writeGlb(
        await readShape(
          { chunks, sizeBytes: asked.bytes },
          asked.name,
          (what, count) => void left.push([what, count]),
          { decode: decodePicture, find: (name) => Promise.resolve(companions.get(name.toLowerCase()) ?? null) },
        ),
      )
      await answer({ type: 'shape', left, bytes: glb.length }, glb)
    } else if (asked.kind === 'photo') {
      await answer({ type: 'photo', photo: await readPhoto(await whole(), asked.name), bytes: 0 })
    } else {
      const archive = await whole()
      for (const { path, name } of await listZip(archive)) {
        const bytes = await readZipEntry(archive, path)
        await answer({ type: 'entry', name, bytes: bytes.length }, bytes)
      }
      await answer({ type: 'end', bytes: 0 })
    }
  } catch (error) {
    if (isGeometryError(error)) await answer({ type: 'refused', code: error.code, message: error.message, bytes: 0 })
    else await answer({ type: 'fault', message: (error as Error).stack ?? String(error), bytes: 0 })
  }
  companions = new Map()
  await drain(body)
}
