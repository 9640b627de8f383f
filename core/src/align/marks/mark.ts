/** The same place on two takes, each in its own coordinates, mm; and how well it is known. */
export interface Mark {
  readonly a: number
  readonly b: number
  readonly atA: readonly [number, number, number]
  readonly atB: readonly [number, number, number]
  readonly sigmaMm: number
}
