/* What the hands are doing at Size. */

export interface SizePoint {
  readonly at: readonly [number, number, number]
}

export interface Reading {
  /** What the brief’s list calls it. */
  readonly name?: string
  readonly from: readonly [number, number, number]
  readonly to: readonly [number, number, number]
  readonly readingMm: number
  readonly uncertaintyMm: number
}

export interface SizeDesk {
  sizing: boolean
  /** The distance of the brief’s list whose two points are being picked. */
  sizeFor: string | null
  sizePoints: readonly SizePoint[]
  readings: readonly Reading[]
}

export const FRESH_SIZE: SizeDesk = { sizing: false, sizeFor: null, sizePoints: [], readings: [] }

/** What is put down on leaving the station; readings stay. */
export const LEFT_SIZE: Partial<SizeDesk> = { sizing: false, sizeFor: null, sizePoints: [] }
