import { Worker } from 'node:worker_threads'
import type { JobRecord } from './jobs'
import { ASKED, type FromThread } from './worker-protocol'

/** What a thread is given to do. `flag[0]` says what is asked of it meanwhile. */
export interface ThreadTask {
  readonly job: JobRecord
  readonly flag: Int32Array
}

/**
 * A job that was told to stop and has not done so after this long is stopped with its thread: some steps of a
 * computation are long, ms.
 */
const GRACE_MS = 1000
const LOOK_MS = 100

/**
 * A thread stays for the next job while the process holds no more than this, in bytes; otherwise what it holds goes
 * with it.
 */
const MAX_HELD_BYTES = 1 << 30

/**
 * Threads that compute, a job at a time each. One stands ready before it is wanted, and one whose job ended well waits
 * for the next: reading the code and compiling what runs often takes longer than most acts do.
 */
export class ComputeThreads {
  private ready: Worker[] = []
  private closed = false

  constructor(
    private readonly thread: URL,
    private readonly mostHeldBytes = MAX_HELD_BYTES,
  ) {
    this.ready.push(this.start())
  }

  /**
   * Runs a job to its end.
   * @returns how it ended; a thread that broke is told as failed and is not used again
   */
  async run(
    task: ThreadTask,
    heard: (message: Extract<FromThread, { type: 'progress' | 'expected' }>) => void,
  ): Promise<Extract<FromThread, { type: 'done' | 'failed' }>> {
    const thread = this.ready.pop() ?? this.start()
    let broken = false
    let reader = 0
    const end = await new Promise<Extract<FromThread, { type: 'done' | 'failed' }>>((resolve) => {
      const broke = (message: string): void => {
        broken = true
        leave()
        resolve({ type: 'failed', code: 'UNEXPECTED', message })
      }
      const message = (m: FromThread): void => {
        if (m.type === 'reader') {
          reader = m.pid
          return
        }
        if (m.type === 'progress' || m.type === 'expected') return heard(m)
        leave()
        resolve(m)
      }
      const error = (e: Error): void =>
        broke(/memory/i.test(e.message) ? 'There was not enough memory for this. Try a coarser spacing.' : STOPPED)
      const exit = (): void => broke(STOPPED)
      let askedAt = 0
      const look = setInterval(() => {
        if (Atomics.load(task.flag, 0) !== ASKED.cancel) return
        askedAt ||= performance.now()
        if (performance.now() - askedAt < GRACE_MS) return
        broken = true
        leave()
        resolve({ type: 'failed', code: 'CANCELLED', message: 'Stopped at your request; nothing was changed.' })
      }, LOOK_MS)
      const leave = (): void => {
        clearInterval(look)
        thread.off('message', message)
        thread.off('error', error)
        thread.off('exit', exit)
      }
      thread.on('message', message)
      thread.on('error', error)
      thread.on('exit', exit)
      thread.postMessage(task)
    })
    // What still reads for it goes with it.
    if (broken && reader > 0) endProcess(reader)
    if (
      broken ||
      this.closed ||
      (end.type === 'failed' && end.code === 'UNEXPECTED') ||
      process.memoryUsage.rss() > this.mostHeldBytes
    )
      await thread.terminate()
    else this.ready.push(thread)
    if (!this.closed && this.ready.length === 0) this.ready.push(this.start())
    // One waits; what more than one job at a time has left over goes.
    for (const spare of this.ready.splice(1)) await spare.terminate()
    return end
  }

  /** Ends the threads that wait; one at work ends with its job. */
  async close(): Promise<void> {
    this.closed = true
    const waiting = this.ready
    this.ready = []
    await Promise.all(waiting.map((t) => t.terminate()))
  }

  private start(): Worker {
    const thread = new Worker(this.thread, { resourceLimits: { maxOldGenerationSizeMb: 8192 } })
    // One that breaks while it waits is not given a job; one at work is heard by whoever waits for it.
    thread.on('error', () => undefined)
    thread.on('exit', () => (this.ready = this.ready.filter((t) => t !== thread)))
    return thread
  }
}

function endProcess(pid: number): void {
  try {
    process.kill(pid, 'SIGKILL')
  } catch {
    // Gone in between.
  }
}

const STOPPED = 'The computation stopped unexpectedly. Nothing was changed.'
