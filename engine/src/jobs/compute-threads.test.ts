import { mkdtempSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { pathToFileURL } from 'node:url'
import { afterEach, expect, test } from 'vitest'
import type { FromThread } from './worker-protocol'
import { ComputeThreads, type ThreadTask } from './compute-threads'

/** A thread that does what the job's title says, and says which thread it is in the note of its progress. */
const file = join(mkdtempSync(join(tmpdir(), 'holosoma-threads-')), 'thread.mjs')
writeFileSync(
  file,
  `
import { parentPort, threadId } from 'node:worker_threads'
parentPort.on('message', ({ job, flag }) => {
  parentPort.postMessage({ type: 'progress', fraction: 0.5, note: String(threadId) })
  if (job.title === 'break') throw new Error('broken')
  if (job.title === 'memory') throw new Error('out of memory')
  if (job.title === 'exit') process.exit(1)
  if (job.title === 'wait') Atomics.wait(flag, 0, 0)
  if (job.title === 'refuse') parentPort.postMessage({ type: 'failed', code: 'PARAMS', message: 'no' })
  else if (job.title === 'fall') parentPort.postMessage({ type: 'failed', code: 'UNEXPECTED', message: 'fell' })
  else parentPort.postMessage({ type: 'done', steps: [] })
})
`,
)
let threads: ComputeThreads
afterEach(() => threads.close())
const task = (title: string): ThreadTask => ({
  job: { title } as ThreadTask['job'],
  flag: new Int32Array(new SharedArrayBuffer(4)),
})

/** Runs a job; how it ended and on which thread. */
async function run(t: ThreadTask): Promise<{ end: FromThread; thread: string }> {
  let thread = ''
  const end = await threads.run(t, (m) => {
    if (m.type === 'progress') thread = m.note
  })
  return { end, thread }
}

test('a thread whose job ended well, or was refused in words, does the next one, too', async () => {
  threads = new ComputeThreads(pathToFileURL(file))
  const first = await run(task('work'))
  expect(first.end).toEqual({ type: 'done', steps: [] })
  expect((await run(task('refuse'))).end).toMatchObject({ type: 'failed', code: 'PARAMS', message: 'no' })
  for (let i = 0; i < 3; i++) expect((await run(task('work'))).thread).toBe(first.thread)
})

test('a thread that broke, ended or fell over is told of and never used again', async () => {
  threads = new ComputeThreads(pathToFileURL(file))
  const broken = new Set<string>()
  for (const [title, message] of [
    ['break', /stopped unexpectedly/],
    ['memory', /not enough memory/],
    ['exit', /stopped unexpectedly/],
    ['fall', /fell/],
  ] as const) {
    const { end, thread } = await run(task(title))
    expect(end).toMatchObject({ type: 'failed', code: 'UNEXPECTED', message: expect.stringMatching(message) as string })
    broken.add(thread)
    expect(broken).not.toContain((await run(task('work'))).thread)
  }
  expect(broken.size).toBe(4)
})

test('a job that waits holds its thread; others get threads of their own, of which one stays', async () => {
  threads = new ComputeThreads(pathToFileURL(file))
  const held = task('wait')
  const waiting = run(held)
  const other = await run(task('work'))
  Atomics.store(held.flag, 0, 1)
  Atomics.notify(held.flag, 0)
  const waited = await waiting
  expect(waited.end.type).toBe('done')
  expect(waited.thread).not.toBe(other.thread)
  const next = new Set([(await run(task('work'))).thread, (await run(task('work'))).thread])
  expect(next.size).toBe(1)
})

test('where much is held after a job, its thread goes and takes that with it', async () => {
  threads = new ComputeThreads(pathToFileURL(file), 1)
  const first = await run(task('work')),
    second = await run(task('work'))
  expect(second.thread).not.toBe(first.thread)
})
