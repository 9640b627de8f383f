/** Children a place in the heap has: four lie in one line of the processor's store, and the heap is half as deep. */
const BRANCH = 4

/**
 * Numbers in the order of their cost: a heap from which only the cheapest is ever taken or changed, so that nothing has
 * to know where the others stand.
 */
export class CostHeap {
  private readonly items: Int32Array
  private readonly costs: Float64Array
  private readonly isIn: Uint8Array
  private count = 0

  /** @param numbers all are below this */
  constructor(numbers: number) {
    this.items = new Int32Array(numbers)
    this.costs = new Float64Array(numbers)
    this.isIn = new Uint8Array(numbers)
  }

  get size(): number {
    return this.count
  }
  has(item: number): boolean {
    return this.isIn[item] === 1
  }
  /** The cheapest; −1 where there is none. */
  top(): number {
    return this.count > 0 ? this.items[0] : -1
  }
  /** What the cheapest costs; Infinity where there is none. */
  topCost(): number {
    return this.count > 0 ? this.costs[0] : Infinity
  }
  /** What the cheapest but one costs at least. */
  secondCost(): number {
    let least = Infinity
    for (let k = 1; k <= BRANCH && k < this.count; k++) if (this.costs[k] < least) least = this.costs[k]
    return least
  }

  /** Puts one behind all others without ordering it: `order` must follow. */
  append(item: number, cost: number): void {
    this.costs[this.count] = cost
    this.items[this.count++] = item
    this.isIn[item] = 1
  }
  order(): void {
    for (let k = Math.floor((this.count - 2) / BRANCH); k >= 0; k--) this.down(k, this.items[k], this.costs[k])
  }

  push(item: number, cost: number): void {
    const { items, costs } = this
    this.isIn[item] = 1
    let k = this.count++
    while (k > 0) {
      const parent = Math.floor((k - 1) / BRANCH)
      if (costs[parent] <= cost) break
      items[k] = items[parent]
      costs[k] = costs[parent]
      k = parent
    }
    items[k] = item
    costs[k] = cost
  }
  /** The cheapest gets another cost. */
  setTop(cost: number): void {
    this.down(0, this.items[0], cost)
  }
  /** Takes the cheapest away. */
  pop(): void {
    this.isIn[this.items[0]] = 0
    const last = --this.count
    if (last > 0) this.down(0, this.items[last], this.costs[last])
  }

  /** Lays one down at a place or below it. */
  private down(from: number, item: number, cost: number): void {
    const { items, costs, count } = this
    let k = from
    for (;;) {
      const first = k * BRANCH + 1
      if (first >= count) break
      let child = first
      let least = costs[first]
      const end = first + BRANCH < count ? first + BRANCH : count
      for (let i = first + 1; i < end; i++)
        if (costs[i] < least) {
          least = costs[i]
          child = i
        }
      if (least >= cost) break
      items[k] = items[child]
      costs[k] = least
      k = child
    }
    items[k] = item
    costs[k] = cost
  }
}
