import { GeometryError } from '../errors'
import { mm, percent, type Finding } from '../findings'
import type { EdgeChoice, EdgeLines } from '../crease/keep-edges'
import type { ApartShare } from '../fuse/apart'
import type { evidenceShares } from '../fuse/evidence'
import { HELD_SPACINGS, type ThinWalls } from '../fuse/thin-walls'
import type { MeshPart } from '../mesh/components'

/** How much of a skin was seen, and how much was made up to close it. */
export const evidenceFinding = (shares: ReturnType<typeof evidenceShares>): Finding => ({
  id: 'skin.evidence',
  verdict: shares.invented > 0.1 ? 'doubtful' : 'sound',
  text:
    `${percent(shares.measured)} of the skin is measured, ${percent(shares.carried)} carried ` +
    `from close by, ${percent(shares.invented)} invented to close what no take saw.`,
  figures: [
    { label: 'Measured', value: percent(shares.measured) },
    { label: 'Carried', value: percent(shares.carried) },
    { label: 'Invented', value: percent(shares.invented) },
  ],
})

/** What was done about edges, as figures. */
export const edgeFigures = (edges: EdgeLines): Record<string, number> => ({
  edgesMm: edges.lengthMm,
  edgesInwardMm: edges.inwardMm,
  edgeCorners: edges.corners,
  edgeAngle: edges.meanAngle,
})

/** Of what was seen of edges so much may stay round without a word. */
const ROUND_UNTOLD = 0.02

/** Whether edges were kept; those believed on little, and those that could not be set, are told as such. */
export function edgesFinding(edges: EdgeLines, choice: EdgeChoice): Finding {
  const { lengthMm, corners, leftRound } = edges
  if (lengthMm === 0 && leftRound === 0)
    return {
      id: 'skin.edges',
      verdict: 'sound',
      text: 'The points tell of no sharp edge that the skin had rounded; it stayed as it was.',
    }
  const strong = choice === 'strong'
  const kept =
    lengthMm > 0
      ? `${mm(lengthMm, 0)} of edges are sharp, ${corners} ${corners === 1 ? 'corner' : 'corners'} among them.`
      : 'Edges were seen, and none could be made sharp.'
  const round =
    leftRound > ROUND_UNTOLD
      ? ` ${percent(leftRound)} of what was seen of edges stayed round: faces would have turned over there.`
      : ''
  const readily = strong && lengthMm > 0 ? ' They were believed readily; a narrow round may have become an edge.' : ''
  return {
    id: 'skin.edges',
    verdict: round !== '' || readily !== '' ? 'doubtful' : 'sound',
    text: kept + round + readily,
    figures: [
      { label: 'Edges', value: mm(lengthMm, 0) },
      { label: 'Of them inwards', value: mm(edges.inwardMm, 0) },
      { label: 'They turn by', value: `${edges.meanAngle.toFixed(0)}° on the mean` },
    ],
    ...(readily !== ''
      ? { nextMove: 'Hold it against the piece, or keep edges carefully' }
      : round !== '' && { nextMove: 'A finer spacing may hold them' }),
  }
}

/** A part of at least so many spacings may be something of the piece; a smaller one is a crumb. */
const CRUMB_SPACINGS = 6

/** What stands apart, by its size: kept, or left off. */
export function partsFinding(parts: readonly MeshPart[], dropped: readonly MeshPart[], spacingMm: number): Finding {
  const sizes = (list: readonly MeshPart[]): string =>
    list
      .slice(0, 4)
      .map((p) => mm(p.sizeMm, 1))
      .join(', ') + (list.length > 4 ? ' …' : '')
  const large = dropped.filter((p) => p.sizeMm >= CRUMB_SPACINGS * spacingMm)
  const left =
    dropped.length > 0 &&
    `${dropped.length === 1 ? 'One part that stood apart was' : `${dropped.length} parts that stood apart were`} left off, ` +
      `${sizes(dropped)} across.`
  return {
    id: 'skin.parts',
    verdict: large.length > 0 ? 'doubtful' : 'sound',
    text: [parts.length > 1 && `The skin has ${parts.length} parts, ${sizes(parts)} across.`, left]
      .filter((t) => typeof t === 'string')
      .join(' '),
    ...(large.length > 0 && { nextMove: 'Keep loose parts, and make the skin again, if they belong to the piece' }),
  }
}

const quoted = (names: readonly string[]): string => names.map((n) => `“${n}”`).join(', ')

/** Why no skin is made of takes some of which face into the piece. */
export const facesInwards = (names: readonly string[]): GeometryError =>
  new GeometryError(
    'CONFLICT',
    `${quoted(names)} ${names.length === 1 ? 'faces' : 'face'} into the piece, not out of it; ` +
      'have takes turned over that face into the piece, and make the skin again.',
  )

/** Takes that were turned over for a skin. */
export const turnedFinding = (names: readonly string[]): Finding => ({
  id: 'skin.insideOut',
  verdict: 'doubtful',
  text: `${quoted(names)} came facing into the piece, and ${names.length === 1 ? 'was' : 'were'} turned over for this skin.`,
  nextMove: `Look whether the file of ${quoted(names)} is what it should be`,
})

/** Of the points so many on thin walls are told: fewer are the brink of something that runs out. */
const THIN_TOLD = 0.01

/** Walls that the skin's spacing does not hold, and the spacing that would; null where there are none. */
export function thinFinding({ share, thicknessMm }: ThinWalls, spacingMm: number): Finding | null {
  if (share < THIN_TOLD) return null
  const holds = Number((thicknessMm / HELD_SPACINGS).toPrecision(2))
  return {
    id: 'skin.thin',
    verdict: 'doubtful',
    text:
      `On ${percent(share)} of what was measured the piece is about ${mm(thicknessMm, 2)} thick, which is less than ` +
      `${HELD_SPACINGS} spacings of ${mm(spacingMm, 2)}: such walls may have merged, or have holes.`,
    figures: [{ label: 'Thin walls', value: percent(share) }],
    nextMove: `Make the skin at ${mm(holds, 2)}, if the takes are as fine as that`,
  }
}

/** Over so much of what two takes saw they may lie apart without a word: points at rims are not all of the surface. */
const APART_DOUBTFUL = 0.03
const APART_UNSOUND = 0.25

/** Whether the takes agree where two of them saw the same: one skin between two layers shows nothing of it. */
export function apartFinding({ shared, apart, meanMm, mostMm, withinMm }: ApartShare): Finding {
  const agree = apart <= APART_DOUBTFUL
  return {
    id: 'skin.apart',
    verdict: agree ? 'sound' : apart <= APART_UNSOUND ? 'doubtful' : 'unsound',
    text: agree
      ? `On the ${percent(shared)} that two takes saw they agree within ${mm(withinMm)}, but for ${percent(apart)} of it.`
      : `On ${percent(apart)} of what two takes saw they lie apart, ${mm(meanMm)} on the mean, ${mm(mostMm)} at most: ` +
        'the skin runs between two layers there.',
    figures: [{ label: 'Takes apart', value: percent(apart) }],
    ...(!agree && { nextMove: 'Look at the join again, or take out what moved' }),
  }
}
