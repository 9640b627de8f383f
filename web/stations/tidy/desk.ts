/* What the hands are doing at Tidy. */

/** Points about to go, by full index of the take's shape; what is painted is what goes. */
export interface PreviewCut {
  readonly takeId: number
  readonly shapeHash: string
  readonly operation: string
  readonly params: object
  readonly bits: Uint8Array
  readonly count: number
  readonly text: string
  /** Which of the preview's points those are. */
  readonly mark: Uint8Array
  /** Of the surface those points stand for, about. */
  readonly areaMm2: number
  /** What the worker that painted these points knows them by, if it was the brush that chose last. */
  readonly stamp?: number | undefined
  /** What should be thought of before it goes. */
  readonly warning?: string | undefined
}

export type SelectTool = 'lasso' | 'polygon' | 'box' | 'brush' | 'plane' | 'part' | 'colour'

export interface Choosing {
  readonly how: 'add' | 'subtract'
  /** On all takes that show and are not locked, or on the chosen one alone. */
  readonly across: boolean
  /** Only what nothing hides, or through everything. */
  readonly front: boolean
  readonly brushMm: number
  readonly planeMm: number
  readonly angleDeg: number
  readonly difference: number
}

export interface CutPlane {
  readonly normal: readonly [number, number, number]
  readonly offsetMm: number
  readonly from: string
}

export interface TidyDesk {
  previews: readonly PreviewCut[]
  /** What the pointer does on a take at Tidy; null: it turns the view. */
  tool: SelectTool | null
  /** How the tool chooses. */
  choosing: Choosing
  /** The only take that shows; null: all that are not hidden. */
  solo: number | null
  /** The plane that would cut, in the stage's coordinates; what lies below it goes. */
  plane: CutPlane | null
  /** Places clicked for a plane through three points; null: not asked for. */
  planePoints: readonly (readonly [number, number, number])[] | null
}

export const FRESH_TIDY: TidyDesk = {
  previews: [],
  tool: null,
  choosing: { how: 'add', across: false, front: true, brushMm: 3, planeMm: 0.3, angleDeg: 15, difference: 12 },
  solo: null,
  plane: null,
  planePoints: null,
}

/** What is put down on leaving the station; how the tools choose stays. */
export const LEFT_TIDY: Partial<TidyDesk> = { previews: [], tool: null, plane: null, planePoints: null }
