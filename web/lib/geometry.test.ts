import { beforeEach, expect, test } from 'vitest'
import { byWorker, geometry, makeWorkersBy } from './geometry'

let made = 0
beforeEach(() => {
  made = 0
  makeWorkersBy(() => ({ number: made++ }) as never, 3)
})
const number = (w: unknown): number => (w as { number: number }).number

test('a shape stays with one worker, and shapes are spread over as many as there are', () => {
  const hashes = ['a', 'b', 'c', 'd', 'e', 'f']
  const homes = hashes.map((h) => number(geometry(h)))
  expect(homes).toEqual([0, 1, 2, 0, 1, 2])
  expect(hashes.map((h) => number(geometry(h)))).toEqual(homes)
  expect(made).toBe(3)
})
test('what belongs to one worker is asked of it together, in the order it came', () => {
  const items = ['a', 'b', 'a', 'c', 'd', 'b'].map((hash, i) => ({ hash, i }))
  const groups = byWorker(items)
  expect(groups.map((g) => g.items.map((t) => t.i))).toEqual([[0, 2, 4], [1, 5], [3]])
  expect(new Set(groups.map((g) => number(g.worker))).size).toBe(3)
  for (const g of groups) for (const t of g.items) expect(number(geometry(t.hash))).toBe(number(g.worker))
})
test('workers are made when they are first wanted', () => {
  expect(made).toBe(0)
  geometry('x')
  expect(made).toBe(1)
  expect(byWorker([])).toEqual([])
  expect(made).toBe(1)
})
