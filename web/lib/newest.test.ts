import { expect, test } from 'vitest'
import { Newest } from './newest'

/** A promise that is kept by hand. */
function byHand<T>(): { promise: Promise<T>; keep: (value: T) => void } {
  let keep!: (value: T) => void
  const promise = new Promise<T>((resolve) => (keep = resolve))
  return { promise, keep }
}

test('who waited for an earlier one gets what the newest comes to, whichever is there first', async () => {
  for (const first of ['earlier', 'newest']) {
    const newest = new Newest('none')
    const [earlier, later] = [byHand<string>(), byHand<string>()]
    const arrived: string[] = []
    newest.begin(earlier.promise, (v) => arrived.push(v))
    const waiting = newest.settled()
    newest.begin(later.promise, (v) => arrived.push(v))
    if (first === 'earlier') earlier.keep('good')
    later.keep('refused')
    if (first === 'newest') earlier.keep('good')
    expect(await waiting).toBe('refused')
    expect(await newest.settled()).toBe('refused')
    expect(arrived).toEqual(['refused'])
  }
})

test('before anything was begun it is what it began with', async () =>
  expect(await new Newest(false).settled()).toBe(false))
