import type { PointCloud } from '../shapes'

/** What a point truly is: known to the bench, never given out with a take. */
export const TRUE_KIND = { piece: 0, table: 1, holder: 2, mixed: 3, pieceDot: 4, tableDot: 5 } as const

/** Points as they come off the device; grows by doubling. */
export class PointSink {
  count = 0
  private positions = new Float32Array(3 * 65536)
  private colours = new Uint8Array(3 * 65536)
  private confidence = new Float32Array(65536)
  private frame = new Uint16Array(65536)
  private kind = new Uint8Array(65536)

  add(
    x: number,
    y: number,
    z: number,
    red: number,
    green: number,
    blue: number,
    confidence: number,
    frame: number,
    kind: number,
  ): void {
    const i = this.count++
    if (i === this.frame.length) this.grow()
    this.positions[i * 3] = x
    this.positions[i * 3 + 1] = y
    this.positions[i * 3 + 2] = z
    this.colours[i * 3] = red
    this.colours[i * 3 + 1] = green
    this.colours[i * 3 + 2] = blue
    this.confidence[i] = confidence
    this.frame[i] = frame
    this.kind[i] = kind
  }

  private grow(): void {
    const bigger = <T extends Float32Array | Uint8Array | Uint16Array | Int8Array>(old: T): T => {
      const next = new (old.constructor as new (n: number) => T)(old.length * 2)
      next.set(old)
      return next
    }
    this.positions = bigger(this.positions)
    this.colours = bigger(this.colours)
    this.confidence = bigger(this.confidence)
    this.frame = bigger(this.frame)
    this.kind = bigger(this.kind)
  }

  cloud(frameOrigins: Float64Array): PointCloud {
    const n = this.count
    return {
      kind: 'cloud',
      positions: this.positions.slice(0, n * 3),
      colours: this.colours.slice(0, n * 3),
      confidence: this.confidence.slice(0, n),
      frame: this.frame.slice(0, n),
      frameOrigins,
    }
  }

  /** What each point truly is (`TRUE_KIND`), in the order of the cloud. */
  trueKinds(): Uint8Array {
    return this.kind.slice(0, this.count)
  }
}
