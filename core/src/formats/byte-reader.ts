import { GeometryError } from '../errors'

/** Where bytes come from: a file, a request, a blob. `sizeBytes` when known bounds every count a header may claim. */
export interface ByteSource {
  readonly chunks: AsyncIterable<Uint8Array>
  readonly sizeBytes?: number
}

/** Bytes in memory as a source, handed out in pieces as a file would be. */
export function bytesSource(bytes: Uint8Array, chunkBytes = 1 << 16): ByteSource {
  return {
    sizeBytes: bytes.length,
    chunks: (async function* () {
      for (let i = 0; i < bytes.length; i += chunkBytes) yield bytes.subarray(i, i + chunkBytes)
    })(),
  }
}

/** Longest text line accepted, bytes: anything longer is not a scan file. */
const MAX_LINE = 1 << 20

/** Reads a stream of bytes with look-ahead; never holds more than what was asked for plus one chunk. */
export class ByteReader {
  bytes: Uint8Array = new Uint8Array(0)
  /** Next unread byte in `bytes`. */
  at = 0
  /** Position of bytes[0] in the whole stream. */
  private base = 0
  private readonly iterator: AsyncIterator<Uint8Array>
  private ended = false
  private lineNumber = 0
  /** How the last line that was read by itself ended. */
  lineEnd: '' | '\n' | '\r' | '\r\n' = ''

  constructor(readonly source: ByteSource) {
    this.iterator = source.chunks[Symbol.asyncIterator]()
  }

  get available(): number {
    return this.bytes.length - this.at
  }

  /** Place in the stream of the next unread byte. */
  get offset(): number {
    return this.base + this.at
  }

  get line(): number {
    return this.lineNumber
  }

  view(): DataView {
    return new DataView(this.bytes.buffer, this.bytes.byteOffset, this.bytes.byteLength)
  }

  /** Makes at least n bytes available; false when the stream ends before. */
  async ensure(n: number): Promise<boolean> {
    if (this.available >= n) return true
    const parts: Uint8Array[] = [this.bytes.subarray(this.at)]
    let total = this.available
    while (total < n && !this.ended) {
      const next = await this.iterator.next()
      if (next.done) this.ended = true
      else {
        parts.push(next.value)
        total += next.value.length
      }
    }
    this.base += this.at
    this.at = 0
    if (parts.length === 1) this.bytes = parts[0]!
    else {
      const joined = new Uint8Array(total)
      let to = 0
      for (const p of parts) {
        joined.set(p, to)
        to += p.length
      }
      this.bytes = joined
    }
    return total >= n
  }

  /** Tells the stream it is no longer wanted. */
  async close(): Promise<void> {
    await this.iterator.return?.()
  }

  /** The next line without its end (\n, \r\n or \r), or null at the end. Counted in bytes. */
  async readLine(): Promise<string | null> {
    let from = 0
    for (;;) {
      for (let i = this.at + from; i < this.bytes.length; i++) {
        const b = this.bytes[i]
        if (b !== 10 && b !== 13) continue
        // A carriage return at the very end of the chunk may be half of \r\n.
        if (b === 13 && i + 1 >= this.bytes.length && !this.ended) {
          const seen = i - this.at
          await this.ensure(seen + 2)
          i = this.at + seen
        }
        const text = decodeText(this.bytes.subarray(this.at, i))
        this.lineEnd = b === 10 ? '\n' : this.bytes[i + 1] === 10 ? '\r\n' : '\r'
        this.at = i + this.lineEnd.length
        this.lineNumber++
        return text
      }
      from = this.available
      if (from > MAX_LINE)
        throw new GeometryError(
          'FORMAT',
          `Line ${this.lineNumber + 1} is longer than a million characters; this is not a text scan file.`,
        )
      if (!(await this.ensure(from + 1))) {
        if (from === 0) return null
        const text = decodeText(this.bytes.subarray(this.at))
        this.lineEnd = ''
        this.at = this.bytes.length
        this.lineNumber++
        return text
      }
    }
  }

  /**
   * Many whole lines at once (for speed), or null at the end. Lines may end in \n, \r\n or \r, each as it likes.
   * `first` is the number of the first one, from 1.
   */
  async readLines(): Promise<{ lines: string[]; first: number } | null> {
    if (!(await this.ensure(1))) return null
    const feed = this.bytes.lastIndexOf(10)
    // A carriage return that ends the chunk may be half of \r\n.
    const lastReturn = this.bytes.lastIndexOf(13, this.bytes.length - 2)
    const cut = Math.max(feed, lastReturn)
    if (cut < this.at) {
      const single = await this.readLine()
      return single === null ? null : { lines: [single], first: this.lineNumber }
    }
    const text = decodeText(
      this.bytes.subarray(this.at, cut === feed && this.bytes[cut - 1] === 13 && cut > this.at ? cut - 1 : cut),
    )
    this.at = cut + 1
    const lines = lastReturn >= 0 && text.includes('\r') ? text.split(/\r\n|\r|\n/) : text.split('\n')
    const first = this.lineNumber + 1
    this.lineNumber += lines.length
    return { lines, first }
  }
}

const decoder = new TextDecoder('utf-8')

function decodeText(bytes: Uint8Array): string {
  // Shared memory cannot be decoded in browsers; a copy can.
  return decoder.decode(bytes.buffer instanceof ArrayBuffer ? bytes : Uint8Array.from(bytes))
}

/** Growing typed array, so that no header can make us allocate what the file does not hold. */
export class GrowingFloat32 {
  data: Float32Array
  length = 0
  constructor(capacity = 3 * 4096) {
    this.data = new Float32Array(capacity)
  }
  push3(x: number, y: number, z: number): void {
    if (this.length + 3 > this.data.length) this.grow()
    this.data[this.length++] = x
    this.data[this.length++] = y
    this.data[this.length++] = z
  }
  push(x: number): void {
    if (this.length + 1 > this.data.length) this.grow()
    this.data[this.length++] = x
  }
  private grow(): void {
    const bigger = new Float32Array(Math.ceil(this.data.length * 1.6) + 64)
    bigger.set(this.data)
    this.data = bigger
  }
  finish(): Float32Array {
    return this.data.slice(0, this.length)
  }
}

/** Whole numbers that keep coming, in one typed array that doubles when it is full. */
export class GrowingUint32 {
  data: Uint32Array
  length = 0
  constructor(capacity = 3 * 4096) {
    this.data = new Uint32Array(capacity)
  }
  push3(a: number, b: number, c: number): void {
    if (this.length + 3 > this.data.length) {
      const bigger = new Uint32Array(Math.ceil(this.data.length * 1.6) + 64)
      bigger.set(this.data)
      this.data = bigger
    }
    this.data[this.length++] = a
    this.data[this.length++] = b
    this.data[this.length++] = c
  }
  finish(): Uint32Array {
    return this.data.slice(0, this.length)
  }
}
