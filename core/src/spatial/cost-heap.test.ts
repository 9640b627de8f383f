import { expect, test } from 'vitest'
import { seededRandom } from '../linear/random'
import { CostHeap } from './cost-heap'

test('the heap gives numbers in the order of their costs, whatever was put in between', () => {
  const random = seededRandom(3)
  const heap = new CostHeap(4000)
  const costs = Float64Array.from({ length: 4000 }, () => random.next())
  for (let i = 0; i < 2000; i++) heap.append(i, costs[i])
  heap.order()
  let last = -Infinity
  for (let i = 0; i < 1000; i++) {
    const item = heap.top()
    expect(heap.has(item)).toBe(true)
    expect(costs[item]).toBeGreaterThanOrEqual(last)
    expect(heap.secondCost()).toBeGreaterThanOrEqual(costs[item])
    last = costs[item]
    heap.pop()
    expect(heap.has(item)).toBe(false)
  }
  for (let i = 2000; i < 4000; i++) heap.push(i, costs[i])
  costs[heap.top()] = 2
  heap.setTop(2)
  last = -Infinity
  for (; heap.size > 0; heap.pop()) {
    expect(costs[heap.top()]).toBeGreaterThanOrEqual(last)
    last = costs[heap.top()]
  }
  expect(last).toBe(2)
  expect(heap.top()).toBe(-1)
})
