import type { MeshRegion } from '@holosoma/core/select'
import type { Brush, Sculpted, Stroke } from '@holosoma/core/sculpt'
import type { StagePlace } from '@/stage/stage'

/* What the hands are doing at Mend. */

export type Place = readonly [number, number, number]

export interface MeshPlane {
  readonly normal: readonly [number, number, number]
  readonly offsetMm: number
}

/** What a click stands for: what lies round it, the flat patch it is on, all that hangs together with it. */
export type SpotKind = 'spots' | 'patch' | 'part'
export type PartTool = SpotKind | 'lasso' | 'box' | 'brush'

export interface MendDesk {
  /** With what the part that is to be cut out is pointed at. */
  partTool: PartTool | null
  /** What an outline is drawn round: what shows there alone, or all through. */
  partFront: boolean
  /** Radius of the brush, and reach round a spot, as typed, mm. */
  partMm: string
  /** The outline or stroke drawn last; null: none, or spots are what counts. */
  drawn: MeshRegion | null
  /** What clicked places stand for. */
  spotKind: SpotKind
  /** How far the faces of a flat patch may face otherwise, degrees. */
  patchDeg: number
  /** The part is made larger by so much along the surface, or smaller, mm. */
  grownMm: string
  /** Places round which a part is to be cut out. */
  spots: readonly Place[]
  /** The hole of the list that is pointed at; its place there. */
  holeShown: number | null
  /** Holes with a rim up to this are looked at, as typed, mm; empty: all. */
  rimLimitMm: string
  /** Whether the line among the rims is held, so that the stage shows which they are. */
  rimsShown: boolean
  /** The hole from which a band is to be laid; its place in the list. */
  bridgeFrom: number | null
  /** The loop of a handle that is pointed at; its place in the list. */
  handleShown: number | null
  /** The fault of the list that is pointed at; its place there. */
  faultShown: number | null
  /** A place of a list that is gone to. */
  goTo: StagePlace | null
  /** The brush in the hand; null: none. */
  handBrush: Brush | null
  /** Its radius, and how far the surface may go, as typed, mm; the cap empty: the usual one. */
  handMm: string
  handCapMm: string
  /** Share of the way a dab goes, 0–1. */
  handStrength: number
  /** What flattening lays the surface onto. */
  handOnto: 'plane' | 'cylinder'
  /** Why the cap is left aside; null: it holds. */
  handReason: string | null
  /** What was brushed and is not kept yet, and what came of it. */
  handStrokes: readonly Stroke[]
  handTold: Sculpted | null
  /** Where the skin is to be cut. */
  meshPlane: MeshPlane | null
  /** A click on the skin paints an area of the brief, or takes the surface out of all (null). */
  areaBrush: { readonly area: string | null } | null
  /** Its reach as typed, mm. */
  areaBrushMm: string
}

export const FRESH_MEND: MendDesk = {
  partTool: null,
  partFront: true,
  partMm: '3',
  drawn: null,
  spotKind: 'spots',
  patchDeg: 20,
  grownMm: '',
  spots: [],
  holeShown: null,
  rimLimitMm: '',
  rimsShown: false,
  bridgeFrom: null,
  handleShown: null,
  faultShown: null,
  goTo: null,
  handBrush: null,
  handMm: '4',
  handCapMm: '',
  handStrength: 0.5,
  handOnto: 'plane',
  handReason: null,
  handStrokes: [],
  handTold: null,
  meshPlane: null,
  areaBrush: null,
  areaBrushMm: '6',
}

/** What is put down on leaving the station. */
export const LEFT_MEND: Partial<MendDesk> = { ...FRESH_MEND }
