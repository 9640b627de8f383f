/**
 * The newest of several things under way, the only one that counts: what an earlier one comes to is dropped, and who
 * waits for an earlier one waits on for the newest.
 */
export class Newest<T> {
  private current: Promise<T>

  constructor(first: T) {
    this.current = Promise.resolve(first)
  }

  /** Begins another. @param arrived hears what it comes to, unless one that is newer still was begun meanwhile */
  begin(next: Promise<T>, arrived: (value: T) => void): void {
    this.current = next
    void next.then((value) => {
      if (this.current === next) arrived(value)
    })
  }

  /** What the newest comes to, also where it is begun while one waits. */
  async settled(): Promise<T> {
    for (;;) {
      const asked = this.current
      const value = await asked
      if (asked === this.current) return value
    }
  }
}
