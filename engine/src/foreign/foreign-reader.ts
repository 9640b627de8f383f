import { spawn, type ChildProcess } from 'node:child_process'
import { existsSync, readFileSync } from 'node:fs'
import { dirname, join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { GeometryError, readGlb, type Shape } from '@holosoma/core'
import { FrameReader, frameStart, writeTo } from './frames'
import type { Answered, Asked } from './messages'
import type { PhotoFacts } from './photo'

/** What a reading process may use. */
export interface ReadLimits {
  /** Time for a file: so many seconds, and so many more a megabyte. */
  readonly seconds: number
  readonly secondsPerMb: number
  /** Memory, bytes: so much, and so many more for each byte of the file. */
  readonly bytes: number
  readonly bytesPerByte: number
}

export const READ_LIMITS: ReadLimits = { seconds: 30, secondsPerMb: 1, bytes: 900 * 2 ** 20, bytesPerByte: 24 }

const LOOK_MS = 100

export interface ForeignFile {
  readonly name: string
  readonly sizeBytes: number
  readonly chunks: AsyncIterable<Uint8Array> | Iterable<Uint8Array>
}

/** A file that the one that is read names: a picture, a list of materials, points. */
export type Companion = ForeignFile

export interface ReaderHost {
  /** Whether the person has asked for an end. */
  cancelled(): boolean
  /** Hears of the process's number when it starts, and 0 when it has ended. */
  started?(pid: number): void
}

/**
 * Has foreign files read by a process of its own, one file after the other. The process is ended when it takes too
 * long, holds too much memory or is no longer wanted; the next file gets a new one. Where its code lies:
 * `HOLOSOMA_READER`, or beside this code.
 */
export class ForeignReader {
  private child: ChildProcess | null = null
  private frames: FrameReader<Answered> | null = null
  /** Why the process was ended, while a file was read. */
  private end: Error | null = null

  constructor(
    private readonly host: ReaderHost,
    private readonly limits = READ_LIMITS,
  ) {}

  /**
   * @returns the shape, and what was left out of the file
   * @throws what the reader refuses, RANGE when it overran its limits, CANCELLED
   */
  async shape(
    file: ForeignFile,
    companions: readonly Companion[] = [],
  ): Promise<{ shape: Shape; left: readonly (readonly [string, number])[] }> {
    return this.asked('shape', file, companions, async (frames) => {
      const head = await this.head(frames)
      if (head.type !== 'shape') throw new Error(`The reader answered ${head.type}.`)
      const bytes = await frames.whole(head.bytes)
      if (!bytes) throw new BrokeOff()
      return { shape: readGlb(bytes), left: head.left }
    })
  }

  async photo(file: ForeignFile): Promise<PhotoFacts> {
    return this.asked('photo', file, [], async (frames) => {
      const head = await this.head(frames)
      if (head.type !== 'photo') throw new Error(`The reader answered ${head.type}.`)
      return head.photo
    })
  }

  /** Unpacks an archive; each file in it is handed to `each` as it comes. */
  async archive(file: ForeignFile, each: (name: string, bytes: Uint8Array) => Promise<void>): Promise<void> {
    return this.asked('archive', file, [], async (frames) => {
      for (;;) {
        const head = await this.head(frames)
        if (head.type === 'end') return
        if (head.type !== 'entry') throw new Error(`The reader answered ${head.type}.`)
        const bytes = await frames.whole(head.bytes)
        if (!bytes) throw new BrokeOff()
        await each(head.name, bytes)
      }
    })
  }

  close(): void {
    this.kill()
  }

  private async head(frames: FrameReader<Answered>): Promise<Answered> {
    const head = await frames.head()
    if (!head) throw new BrokeOff()
    if (head.type === 'refused') throw new GeometryError(head.code, head.message)
    if (head.type === 'fault') throw new Error(head.message)
    return head
  }

  private async asked<T>(
    kind: Asked['kind'],
    file: ForeignFile,
    companions: readonly Companion[],
    answer: (frames: FrameReader<Answered>) => Promise<T>,
  ): Promise<T> {
    const { child, frames } = this.running()
    this.end = null
    const allBytes = companions.reduce((n, c) => n + c.sizeBytes, file.sizeBytes)
    const mostSeconds = this.limits.seconds + (this.limits.secondsPerMb * allBytes) / 2 ** 20
    const mostBytes = this.limits.bytes + this.limits.bytesPerByte * allBytes
    const began = performance.now()
    let fed = false
    const watch = setInterval(() => {
      const held = residentBytes(child.pid!)
      if (this.host.cancelled())
        this.stop(new GeometryError('CANCELLED', 'Stopped at your request; nothing was changed.'))
      else if (performance.now() - began > mostSeconds * 1000)
        this.stop(
          new GeometryError(
            'RANGE',
            `“${file.name}” could not be read within ${Math.round(mostSeconds)} s, which is far longer ` +
              'than a file of its size takes; it was given up. Nothing was changed.',
          ),
        )
      else if (held > mostBytes)
        this.stop(
          new GeometryError(
            'MEMORY',
            `“${file.name}” needed more than ${Math.round(mostBytes / 2 ** 20)} MB to be read, far more ` +
              'than a file of its size holds; it was given up. Nothing was changed.',
          ),
        )
    }, LOOK_MS)
    try {
      const feeding = (async () => {
        for (const c of companions) await this.feed(child, 'companion', c)
        await this.feed(child, kind, file)
      })()
      feeding.then(
        () => (fed = true),
        () => undefined,
      )
      const result = await answer(frames)
      await feeding
      return result
    } catch (error) {
      const known = this.end ?? (error instanceof BrokeOff ? brokenDown(file.name) : error)
      // What it still has of this file must not be taken for the next one's.
      if (!fed || error instanceof BrokeOff || !(known instanceof GeometryError) || this.end) this.kill()
      throw known
    } finally {
      clearInterval(watch)
    }
  }

  private async feed(
    child: ChildProcess,
    kind: Asked['kind'],
    { name, sizeBytes, chunks }: ForeignFile,
  ): Promise<void> {
    // A process that takes no more is gone; who ended it, or that it broke down, is known where its answer is awaited.
    const taken = (bytes: Uint8Array): Promise<boolean> =>
      writeTo(child.stdin!, bytes).then(
        () => true,
        () => false,
      )
    if (!(await taken(frameStart({ kind, name, bytes: sizeBytes } as Asked)))) return
    let sent = 0
    try {
      for await (const part of chunks) {
        sent += part.length
        if (!(await taken(part))) return
      }
    } catch (error) {
      // The source failed: the process would wait for the rest for ever.
      this.stop(error as Error)
    }
    if (sent !== sizeBytes)
      this.stop(new GeometryError('TRUNCATED', `“${name}” did not arrive whole; nothing was saved.`))
  }

  private stop(why: Error): void {
    this.end ??= why
    this.kill()
  }

  private kill(): void {
    this.child?.kill('SIGKILL')
    this.child = null
    this.frames = null
  }

  private running(): { child: ChildProcess; frames: FrameReader<Answered> } {
    if (this.child && this.frames && this.child.exitCode === null) return { child: this.child, frames: this.frames }
    // It gets nothing of this process's surroundings: no address of the database, no settings.
    const child = spawn(process.execPath, ['--max-old-space-size=4096', readerScript()], {
      stdio: ['pipe', 'pipe', 'inherit'],
      env: { PATH: process.env.PATH ?? '', NODE_ENV: 'production' },
    })
    child.stdin.on('error', () => undefined)
    child.on('error', () => undefined)
    child.once('exit', () => this.host.started?.(0))
    this.host.started?.(child.pid ?? 0)
    this.child = child
    this.frames = new FrameReader<Answered>(child.stdout)
    return { child, frames: this.frames }
  }
}

/** The process ended before it had answered, and nobody here had ended it. */
class BrokeOff extends Error {
  constructor() {
    super('The reader broke off.')
  }
}

const brokenDown = (name: string): GeometryError =>
  new GeometryError(
    'FORMAT',
    `“${name}” could not be read: the process that was reading it broke down over it. Nothing was changed.`,
  )

/** Beside this code where it is bundled; in the bundle's folder where it runs from its sources. */
function readerScript(): string {
  if (process.env.HOLOSOMA_READER) return process.env.HOLOSOMA_READER
  const here = dirname(fileURLToPath(import.meta.url))
  const bundled = join(here, 'foreign-process.mjs')
  return existsSync(bundled) ? bundled : join(here, '..', '..', 'dist', 'foreign-process.mjs')
}

/** What a process holds in memory now, bytes (proc(5), statm); 0 when it is gone. */
function residentBytes(pid: number): number {
  try {
    return Number(readFileSync(`/proc/${pid}/statm`, 'latin1').split(' ')[1]) * 4096
  } catch {
    return 0
  }
}
