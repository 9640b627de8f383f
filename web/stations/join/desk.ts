/* What the hands are doing at Join. */

export interface Pin {
  readonly takeId: number
  readonly at: readonly [number, number, number]
}

/** Two ends of one picked pair; either may still be missing. */
export interface PickedPair {
  readonly a: Pin | null
  readonly b: Pin | null
  /** An area about the spot, mm, not the spot itself. */
  readonly areaMm?: number | undefined
}

/**
 * How spots are picked: which takes stand left and right (null: the fixed one, and the first of the others), whether
 * they jump to features, whether they stand for areas, and whether the right take is laid on the left one.
 */
export interface Picking {
  readonly left: number | null
  readonly right: number | null
  readonly snap: boolean
  readonly areas: boolean
  readonly areaMm: number
  readonly together: boolean
}

/** A take that is being moved by hand, not kept yet. */
export interface Nudge {
  readonly takeId: number
  readonly rows: number[][]
  readonly mode: 'move' | 'turn'
  readonly space: 'piece' | 'screen'
}

/** Where the joined takes are cut for looking: along an axis, at a share of the whole. */
export interface Section {
  readonly axis: 0 | 1 | 2
  readonly share: number
}

export interface JoinDesk {
  picking: boolean
  picks: Picking
  /** The take on the right → the take on the left, as the picks and a match in the page say. */
  laid: number[][] | null
  pairs: readonly PickedPair[]
  /** Colours count in the next match, too; null: as in the last. */
  joinColours: boolean | null
  /** Which of the poses that fit as well the stage shows; null: the one taken. */
  alternative: number | null
  /** Which slide the stage plays. */
  slide: number
  nudge: Nudge | null
  section: Section
}

export const FRESH_JOIN: JoinDesk = {
  picking: false,
  picks: { left: null, right: null, snap: false, areas: false, areaMm: 25, together: false },
  laid: null,
  pairs: [],
  joinColours: null,
  alternative: null,
  slide: 0,
  nudge: null,
  section: { axis: 2, share: 0.5 },
}

/** What is put down on leaving the station; picks stay. */
export const LEFT_JOIN: Partial<JoinDesk> = { alternative: null, nudge: null }
