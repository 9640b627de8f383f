import type { Readable, Writable } from 'node:stream'

/*
 * What goes between this process and the one that reads foreign files: frames of a JSON head and bytes. A frame is the
 * head's length (uint32, little endian), the head, and as many bytes as the head's `bytes` says.
 */

export interface Head {
  readonly bytes: number
}

const LONGEST_HEAD = 1 << 20

/** How a message to or from the reading process begins: its length, and its head. */
export function frameStart(head: Head): Buffer {
  const text = Buffer.from(JSON.stringify(head))
  const out = Buffer.alloc(4 + text.length)
  out.writeUInt32LE(text.length)
  text.copy(out, 4)
  return out
}

/** Settles when the other side has taken the bytes. @throws when it is gone */
export const writeTo = (stream: Writable, bytes: Uint8Array): Promise<void> =>
  new Promise((resolve, reject) => stream.write(bytes, (error) => (error ? reject(error) : resolve())))

/** Takes frames off a stream, one after the other. */
export class FrameReader<H extends Head> {
  private held: Buffer = Buffer.alloc(0)
  private readonly parts: AsyncIterator<Buffer>

  constructor(stream: Readable) {
    this.parts = stream[Symbol.asyncIterator]() as AsyncIterator<Buffer>
  }

  /** The next frame's head, or null at the end of the stream. Its bytes must be taken before the next head. */
  async head(): Promise<H | null> {
    const length = await this.exactly(4)
    if (!length) return null
    const bytes = length.readUInt32LE(0)
    if (bytes > LONGEST_HEAD) throw new Error('A frame’s head is too long.')
    const text = await this.exactly(bytes)
    return text ? (JSON.parse(text.toString('utf8')) as H) : null
  }

  /** The bytes of a frame as they come. */
  async *body(bytes: number): AsyncGenerator<Buffer> {
    for (let left = bytes; left > 0;) {
      if (this.held.length === 0 && !(await this.more())) return
      const part = this.held.subarray(0, left)
      this.held = this.held.subarray(part.length)
      left -= part.length
      yield part
    }
  }

  /** The bytes of a frame at once; null when the stream ends before. */
  async whole(bytes: number): Promise<Uint8Array<ArrayBuffer> | null> {
    const out = new Uint8Array(bytes)
    let at = 0
    for await (const part of this.body(bytes)) {
      out.set(part, at)
      at += part.length
    }
    return at === bytes ? out : null
  }

  private async exactly(n: number): Promise<Buffer | null> {
    while (this.held.length < n) if (!(await this.more())) return null
    const out = this.held.subarray(0, n)
    this.held = this.held.subarray(n)
    return out
  }

  private async more(): Promise<boolean> {
    const next = await this.parts.next()
    if (next.done) return false
    this.held = this.held.length === 0 ? next.value : Buffer.concat([this.held, next.value])
    return true
  }
}
