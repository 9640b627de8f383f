/* What hands ask of a surface, and what comes of it. */

export const BRUSHES = ['smooth', 'fill', 'flatten', 'pull'] as const
export type Brush = (typeof BRUSHES)[number]

/** What is the same for all dabs of a stroke. */
export interface StrokeKind {
  readonly brush: Brush
  readonly radiusMm: number
  /** Share of the way one dab goes in its middle, 0–1. */
  readonly strength: number
  /** Only what faces this way is touched; null: all under the brush. */
  readonly side: readonly number[] | null
  /** What flattening lays the surface onto. */
  readonly onto: 'plane' | 'cylinder'
}
export interface Stroke extends StrokeKind {
  /** x, y, z and how hard it was pressed, 0–1, of each dab. */
  readonly dabs: readonly number[]
}

/** What is done with a part of the surface at once. */
export type PartWay = 'plane' | 'cylinder' | 'smooth'

export interface Sculpted {
  /** Vertices that moved, that the cap held back, and those that moved where no take says anything. */
  readonly moved: number
  readonly heldBack: number
  readonly unmeasured: number
  /** How far they moved. */
  readonly meanMm: number
  readonly mostMm: number
  /** How far from the takes' points any of them lies now; 0 where nothing was measured. */
  readonly fromRawMm: number
}
