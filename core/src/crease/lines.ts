/** Edges of a mesh that are edges of the piece: pairs of points, kept while points go. */
export class Lines {
  private readonly to = new Map<number, Set<number>>()

  add(a: number, b: number): void {
    this.of(a).add(b)
    this.of(b).add(a)
  }
  has(a: number, b: number): boolean {
    return this.to.get(a)?.has(b) ?? false
  }
  /** Points a line runs on to. */
  from(point: number): readonly number[] {
    return [...(this.to.get(point) ?? [])]
  }
  points(): readonly number[] {
    return [...this.to.keys()]
  }
  /** Both ends of each edge, the smaller number first. */
  edges(): [number, number][] {
    return [...this.to].flatMap(([a, all]) => [...all].filter((b) => a < b).map((b): [number, number] => [a, b]))
  }
  remove(a: number, b: number): void {
    this.drop(a, b)
    this.drop(b, a)
  }
  /** One point stands for another. */
  merge(stays: number, goes: number): void {
    for (const other of this.from(goes)) {
      this.remove(goes, other)
      if (other !== stays) this.add(stays, other)
    }
  }

  private of(point: number): Set<number> {
    let set = this.to.get(point)
    if (!set) this.to.set(point, (set = new Set()))
    return set
  }
  private drop(a: number, b: number): void {
    const set = this.to.get(a)
    if (!set) return
    set.delete(b)
    if (set.size === 0) this.to.delete(a)
  }
}
