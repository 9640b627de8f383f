import type { Mark } from '../marks/mark'
import type { Motion } from '../../linear/rigid'
import type { PointCloud } from '../../shapes'
import type { FoundDot } from '../../tidy/dots'
import type { ColourReport } from '../colour/settle'
import type { Alternative } from '../judge/alternatives'
import type { JudgedPair, SlideReport } from '../judge/slides'
import type { ClosingError, Tension } from '../judge/tension'
import type { DoubleWall } from '../judge/walls'

/* What a join is asked, and all it says. */

export interface JoinRequest {
  readonly clouds: readonly PointCloud[]
  /** Where takes are thought to lie, roughly (picks, a person's placing); null where only their shape can say. */
  readonly starts: readonly (Motion | null)[]
  /** Group of each take; takes of one group keep their places to each other, and all of them must have starts. */
  readonly groups: readonly number[]
  readonly fixedAt: number
  readonly toleranceMm: number | null
  /** Places that a person, or a dot, says are the same on two takes: they settle what shape leaves open. */
  readonly marks?: readonly Mark[]
  /** Dots found on each take, in its own coordinates; null: not asked for. */
  readonly dots?: readonly (readonly FoundDot[])[] | null
  /** Pairs of takes that are trusted before others, in this order, where shape places the takes. */
  readonly first?: readonly (readonly [number, number])[]
  /** Pose of each take, '' for none: where shape places them, those of one pose come together before poses do. */
  readonly poses?: readonly string[]
  /** Colours count, too: for takes lit evenly. */
  readonly colours?: boolean
  /** Leaves the takes where the starts put them, and only judges. */
  readonly asPlaced?: boolean
  /** Whether takes that can be one look only are placed as such, where nobody says from where; yes if left out. */
  readonly guessLooks?: boolean
}

/** One take's surface in the way of what the other saw. */
export interface Conflict {
  readonly a: number
  readonly b: number
  readonly share: number
  readonly areaMm2: number
}

/** Places of two takes that rule each other out: nobody could have seen them there, or the other must have. */
export interface RuledOutPlaces {
  readonly a: number
  readonly b: number
  readonly places: number
  /** Of so many looked at. */
  readonly looked: number
  readonly areaMm2: number
}

export interface JoinReport {
  /** Take → fixed take; null for takes that found no place. */
  readonly motions: readonly (Motion | null)[]
  readonly toleranceMm: number
  readonly pairs: readonly JudgedPair[]
  readonly slides: SlideReport
  readonly walls: readonly DoubleWall[]
  readonly conflicts: readonly Conflict[]
  /** Of the links, the largest. */
  readonly ruledOut: readonly RuledOutPlaces[]
  readonly alternatives: readonly Alternative[]
  readonly tensions: readonly Tension[]
  readonly closing: ClosingError
  /** Links in the order they were trusted: a spanning tree by what the takes share. */
  readonly tree: readonly (readonly [number, number])[]
  readonly byShape: boolean
  /** Takes placed as single looks from where their normals tell; no verdict rests on it. */
  readonly guessedLooks: readonly number[]
  readonly rounds: number
  readonly settled: boolean
  readonly cellMm: number
  /** How far apart marks lie in the end; null without any. */
  readonly marks: MarkReport | null
  /** What dots said, link by link; null when none were asked for. */
  readonly dots: readonly DotReport[] | null
  /** What colours said, link by link; null when they were not asked. */
  readonly colours: readonly ColourReport[] | null
}

export interface MarkReport {
  readonly count: number
  readonly rmsMm: number
  readonly rmsSigmas: number
}

/** Dots over one link of the tree. */
export interface DotReport {
  readonly movers: readonly number[]
  readonly stayers: readonly number[]
  readonly seen: readonly [number, number]
  readonly matched: number
  readonly ambiguous: boolean
  readonly rmsMm: number
}
