/** Disjoint sets over 0…n−1, path halving, smaller root wins (so the result does not depend on the order of unions). */
export class UnionFind {
  readonly parent: Int32Array
  constructor(n: number) {
    this.parent = new Int32Array(n)
    for (let i = 0; i < n; i++) this.parent[i] = i
  }

  find(i: number): number {
    const p = this.parent
    while (p[i] !== i) {
      p[i] = p[p[i]]!
      i = p[i]!
    }
    return i
  }

  union(a: number, b: number): void {
    const x = this.find(a)
    const y = this.find(b)
    if (x < y) this.parent[y] = x
    else if (y < x) this.parent[x] = y
  }

  /** Label 0…k−1 per item in order of first appearance, and the size of each set. */
  labels(): { label: Int32Array; sizes: number[] } {
    const n = this.parent.length
    const label = new Int32Array(n).fill(-1)
    const sizes: number[] = []
    for (let i = 0; i < n; i++) {
      const root = this.find(i)
      if (label[root] < 0) {
        label[root] = sizes.length
        sizes.push(0)
      }
      label[i] = label[root]!
      sizes[label[i]]++
    }
    return { label, sizes }
  }
}
