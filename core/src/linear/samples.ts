/** Values for a median, without boxing. */
export class Samples {
  private readonly values: Float64Array
  private count = 0
  constructor(room: number) {
    this.values = new Float64Array(Math.ceil(room) + 1)
  }
  add(v: number): void {
    this.values[this.count++] = v
  }
  median(): number {
    return this.count === 0 ? 0 : this.values.subarray(0, this.count).sort()[this.count >> 1]
  }
}

/** The middle value; the upper of two; 0 of none. */
export function median(values: ArrayLike<number>): number {
  return values.length === 0 ? 0 : Float64Array.from(values).sort()[values.length >> 1]
}
