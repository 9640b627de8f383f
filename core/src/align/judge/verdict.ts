import { turnAxis } from '../../linear/rigid'
import { areaText, mm, percent, type Figure, type Finding, type Verdict } from '../../findings'
import { motionWords } from '../freedom'
import type { JoinReport } from '../takes/join-report'
import type { Alternative } from './alternatives'
import {
  evidenceOf,
  isOpen,
  largestWall,
  mostInTheWay,
  mostRuledOut,
  otherPoses,
  ruledOutShareOf,
  roughestPair,
  sizesApart,
  tensest,
  verdictsFrom,
  weakestLink,
} from './evidence'
import { JOIN_LIMITS } from './limits'

/*
 * A join's findings in the words of the bench, and the verdict of each pair. Thresholds are the contract's, against the
 * tolerance T.
 */

/** Marks farther apart than this many times what they can be wrong. */
const MARKS_APART = 4

export interface PairVerdict {
  readonly verdict: Verdict
  readonly playMm: number
}

/** What the i-th pair of a join comes to by itself. */
export function pairVerdict(r: JoinReport, i: number): PairVerdict {
  const { a, b, shared } = r.pairs[i]
  const L = JOIN_LIMITS
  const playMm = r.slides.pairPlayMm[i]
  const wall = r.walls.find((w) => w.a === a && w.b === b)
  const conflict = r.conflicts.find((c) => c.a === a && c.b === b)?.share ?? 0
  const ruled = r.ruledOut.find((c) => c.a === a && c.b === b && c.places >= L.ruledOutLeast),
    ruledOut = ruled ? ruledOutShareOf(ruled) : 0
  if ((wall && wall.share > L.doubleShare) || conflict > L.conflictUnsound || ruledOut > L.ruledOutUnsound)
    return { verdict: 'unsound', playMm }
  if (playMm > r.toleranceMm || shared.share < L.noOverlap) return { verdict: 'unsound', playMm }
  const uneasy = conflict > L.conflictDoubtful || ruledOut > L.ruledOutDoubtful
  if (playMm > r.toleranceMm * L.playSound || shared.share < L.overlap || wall || uneasy)
    return { verdict: 'doubtful', playMm }
  return { verdict: 'sound', playMm }
}

/** @param names of the takes, in the order of the report */
export function joinFindings(r: JoinReport, names: readonly string[]): Finding[] {
  const q = (i: number): string => `“${names[i]}”`
  const list = (items: readonly number[]): string =>
    items.length === 1 ? q(items[0]) : `${items.slice(0, -1).map(q).join(', ')} and ${q(items.at(-1)!)}`
  const out: Finding[] = []
  const lost = [...r.motions.keys()].filter((i) => !r.motions[i])
  if (lost.length > 0) {
    out.push({
      id: 'join.lost',
      verdict: 'unsound',
      text:
        `${list(lost)} found no place: ` +
        `${lost.length === 1 ? 'its shape shows' : 'their shapes show'} no surface the others have ` +
        'too. Pick three pairs, or take one more that sees both.',
      nextMove: 'Pick pairs for it',
    })
  }
  const v = verdictsFrom(evidenceOf(r))
  out.push(
    ...dotFinding(r, list),
    ...colourFinding(r, list),
    ...markFinding(r),
    overlapFinding(r, v.overlap, q),
    residualFinding(r, v.residual, q),
    ...slideFinding(r, v.slide, list),
    ...alikeFinding(r, v.alike, list),
    ...wallFinding(r, v.double, q),
    ...conflictFinding(r, v.seenThrough, q),
    ...ruledOutFinding(r, v.ruledOut, q),
    ...tensionFinding(r, v.tension, q),
    ...closingFinding(r),
    ...scaleFinding(r, v.scale, q),
  )
  return out
}

/** Marks that do not come together although the surfaces do: a wrong pick, or a wrong place. */
function markFinding({ marks }: JoinReport): Finding[] {
  if (!marks || marks.rmsSigmas <= MARKS_APART) return []
  return [
    {
      id: 'join.marks',
      verdict: 'doubtful',
      text:
        `The surfaces are matched, but the marks on them lie ${mm(marks.rmsMm)} apart: one of them ` +
        'is on the wrong place, or the takes have settled in one.',
      figures: [
        {
          label: 'Marks, apart',
          value: mm(marks.rmsMm),
          rule: `root mean square over ${marks.count}; doubtful over ${MARKS_APART} times what they can be wrong`,
          verdict: 'doubtful',
        },
      ],
      nextMove: 'Look at the picks',
    },
  ]
}

/**
 * What dots on the piece said; dots on a table that the piece was moved on come together nowhere, and are left out by
 * that.
 */
function dotFinding(r: JoinReport, list: (items: readonly number[]) => string): Finding[] {
  return (r.dots ?? []).map((d): Finding => {
    const who = `${list(d.movers)} and ${list(d.stayers)}`
    const figures: Figure[] = [
      { label: `Dots of ${who}`, value: `${d.seen[0]} / ${d.seen[1]}`, rule: 'seen by each side' },
      { label: 'That come together', value: d.matched, rule: 'within 1 mm, facing the same way' },
    ]
    if (d.matched === 0)
      return {
        id: 'join.dots',
        verdict: 'doubtful',
        text: `No dot of ${who} comes together: the dots say nothing of how they lie.`,
        figures,
        nextMove: 'Stick a dot where both takes see it',
      }
    if (d.ambiguous)
      return {
        id: 'join.dots',
        verdict: 'doubtful',
        text: `The dots of ${who} come together in more than one way, so that they settle nothing.`,
        figures,
        nextMove: 'Stick one more dot, off the others’ pattern',
      }
    return {
      id: 'join.dots',
      verdict: 'sound',
      text: `${d.matched} ${d.matched === 1 ? 'dot' : 'dots'} of ${who} come together within ${mm(d.rmsMm)}.`,
      figures,
    }
  })
}

/** What the colours said of each link. */
function colourFinding(r: JoinReport, list: (items: readonly number[]) => string): Finding[] {
  return (r.colours ?? []).map((c): Finding => {
    const who = `${list(c.movers)} and ${list(c.stayers)}`
    if (Number.isNaN(c.agreement))
      return {
        id: 'join.colours',
        verdict: 'sound',
        text: `${who} have too little coloured surface in common: their colours say nothing.`,
      }
    const figures: Figure[] = [
      {
        label: `Colours of ${who}`,
        value: c.agreement.toFixed(2),
        rule: 'correlation of the tones where they meet, from −1 to 1; exposures may differ',
      },
      ...(c.next === null ? [] : [{ label: 'In the best other pose', value: c.next.toFixed(2) }]),
    ]
    if (c.settled)
      return {
        id: 'join.colours',
        verdict: 'sound',
        text:
          `The colours of ${who} agree ` +
          ((c.moved
            ? 'best in another pose than shape alone had taken, and they lie there now'
            : 'where they lie, and in no other pose that fits') +
            '.'),
        figures,
      }
    if (c.contradicts)
      return {
        id: 'join.colours',
        verdict: 'doubtful',
        text:
          `The colours of ${who} do not go together where they lie, though there is something to tell: ` +
          'the pose is wrong, or the light was not the same.',
        figures,
        nextMove: 'Look at the takes in their own colours, or settle it with a pick',
      }
    return {
      id: 'join.colours',
      verdict: 'sound',
      text:
        `The colours of ${who} settle nothing: ` +
        ((c.next !== null && c.next > 0.5
          ? 'they agree as well in another pose'
          : 'they hardly agree anywhere, being plain or lit unevenly') +
          '.'),
      figures,
    }
  })
}

function overlapFinding(r: JoinReport, verdict: Verdict, q: (i: number) => string): Finding {
  const weakest = weakestLink(r)
  if (!weakest)
    return {
      id: 'join.overlap',
      verdict,
      text: 'Some takes have hardly any surface in common with the rest: this is not a join. Start again from picks.',
      nextMove: 'Pick pairs',
    }
  const { share, areaMm2 } = weakest.shared
  const who = `${q(weakest.a)} and ${q(weakest.b)}`
  const more = r.tree.length > 1 ? ', the least of the links that hold the takes together' : ''
  return {
    id: 'join.overlap',
    verdict,
    text:
      verdict === 'unsound'
        ? `${who} have hardly any surface in common (${percent(share, 0)}): this is not a join. Start again from picks.`
        : verdict === 'doubtful'
          ? `${who} share only ${percent(share, 0)} of their surface${more}; under 20 % a join is easily wrong.`
          : `${who} share ${percent(share, 0)} of their surface (${areaText(areaMm2)})${more}.`,
    figures: [
      {
        label: 'Common surface',
        value: percent(share, 0),
        rule:
          'share of the smaller take whose nearest point of the other lies within 3 σ + spacing, ' +
          'normals within 45°',
        verdict,
      },
      { label: 'Common area', value: areaText(areaMm2) },
    ],
    ...(verdict !== 'sound' && { nextMove: 'Take one more that sees both sides' }),
  }
}

function residualFinding(r: JoinReport, verdict: Verdict, q: (i: number) => string): Finding {
  const main = roughestPair(r)
  if (!main) return { id: 'join.residual', verdict, text: 'No two takes meet anywhere.' }
  const { rmsMm, p95Mm, expectedMm } = main.shared
  return {
    id: 'join.residual',
    verdict,
    text:
      verdict === 'sound'
        ? `Where they meet, 95 of 100 points agree within ${mm(p95Mm)}.`
        : `${q(main.a)} and ${q(main.b)} stand ${mm(rmsMm)} apart where they meet, more than the ` +
          `${mm(expectedMm)} the points’ own scatter explains. The match may have settled in the wrong ` +
          'place.',
    figures: [
      {
        label: 'Residual, root mean square',
        value: mm(rmsMm, 3),
        rule: 'point to plane, over the common surface',
        verdict,
      },
      { label: 'Residual, 95 of 100 within', value: mm(p95Mm, 3) },
      {
        label: 'Scatter of the points',
        value: mm(expectedMm, 3),
        rule: 'local plane residual of both takes, in quadrature',
      },
    ],
  }
}

function slideFinding(r: JoinReport, verdict: Verdict, list: (items: readonly number[]) => string): Finding[] {
  const [first] = r.slides.modes
  if (!first) return []
  const { motion } = first
  const T = r.toleranceMm
  const free = r.slides.modes.filter((m) => m.motion.free)
  const words = [...new Set((free.length > 0 ? free : [first]).slice(0, 3).map((m) => motionWords(m.motion)))].join(
    ', ',
  )
  const figures: Figure[] = [
    {
      label: 'Play',
      value: motion.free ? 'free' : mm(motion.playMm, 3),
      rule:
        'one standard deviation at the farthest point, from the shared surface’s stiffness and the ' +
        `measured scatter; sound up to a third of the tolerance of ${mm(T)}`,
      verdict,
    },
    ...(free.length > 0
      ? [
          {
            label: 'Free motions',
            value: free.length,
            rule: 'motions the shared surface holds with less than a thousandth of its area',
          },
        ]
      : []),
  ]
  const text =
    free.length > 0
      ? `${list(first.movers)} can ${words} against ` +
        `${list(first.stayers)}${Number.isFinite(motion.boundMm) ? `, by up to ${mm(motion.boundMm, 0)}` : ''}: ` +
        'nothing they share holds that. ' +
        (isRound(r)
          ? 'The piece is round there; a dot or a bit of putty on it, its colours, or a pick you are sure of would.'
          : 'A keystone take that sees what both share from the side would.')
      : verdict === 'sound'
        ? `Nothing slides: the weakest motion of the joined takes is known to ${mm(motion.playMm, 3)}.`
        : `The takes hold loosely: ${list(first.movers)} may ` +
          `${motion.kind === 'translation' ? 'slide' : motion.kind === 'rotation' ? 'turn' : 'screw'} ` +
          `by ${mm(motion.playMm)} against ${list(first.stayers)}, of a tolerance of ${mm(T)}.`
  return [
    {
      id: 'join.slide',
      verdict,
      text,
      figures,
      ...(verdict !== 'sound' && { nextMove: isRound(r) ? 'Settle it with a pick' : 'Plan a keystone take' }),
    },
  ]
}

/**
 * A turn is free and other angles about the same axis fit as well: the shared surface is one of revolution, and no
 * further take of it would hold.
 */
export function isRound(r: JoinReport): boolean {
  const free = r.slides.modes.filter((m) => m.motion.free && m.motion.kind === 'rotation')
  return free.some(({ motion }) =>
    r.alternatives.some((a) => {
      if (a.ruledOutBy || !a.asWell) return false
      const axis = turnAxis(a.motion)
      return Math.abs(axis[0] * motion.axis[0] + axis[1] * motion.axis[1] + axis[2] * motion.axis[2]) > SAME_AXIS
    }),
  )
}
const SAME_AXIS = 0.96

/** A rival pose in words: by how many degrees it is turned, by how many mm shifted. */
export function alternativeWords({ turnDeg, shiftMm }: Pick<Alternative, 'turnDeg' | 'shiftMm'>): string {
  return turnDeg < SHIFT_ONLY_DEG ? `shifted by ${shiftMm.toFixed(1)} mm` : `turned by ${Math.round(turnDeg)}°`
}
/** A pose that turns less is told as a shift. */
const SHIFT_ONLY_DEG = 6

function alikeFinding(r: JoinReport, verdict: Verdict, list: (items: readonly number[]) => string): Finding[] {
  const open = tellablePoses(r),
    told = open.filter((a) => a.asWell)
  const [first] = told.length > 0 ? told : open
  if (!first) return [{ id: 'join.alike', verdict, text: ruledOutWords(r) ?? 'No other pose fits as well.' }]
  const who = `${list(first.movers)} and ${list(first.stayers)}`
  const figures = (poses: readonly Alternative[], rule: string): Figure[] =>
    poses.slice(0, 6).map((a) => ({
      label: `As taken, or ${alternativeWords(a)}`,
      value: `${percent(a.mainShare, 0)} / ${percent(a.share, 0)} shared, ${mm(a.mainRmsMm, 3)} / ${mm(a.rmsMm, 3)}`,
      rule,
    }))
  const turns = [...new Set((told.length > 0 ? told : open).map(alternativeWords))].slice(0, 4).join(', ')
  if (told.length === 0) {
    return [
      {
        id: 'join.alike',
        verdict,
        text:
          `${who} meet on most of their surface as taken, but nothing contradicts them ${turns} ` +
          'either, where they meet on less. On a piece that nearly fits itself the pose that meets on ' +
          'less can be the true one: look at both, or settle it with a pick.',
        figures: figures(
          open,
          'within the noise, no patches that contradict and nothing in the way; but less of the surface meets',
        ),
        nextMove: 'Settle it with a pick',
      },
    ]
  }
  return [
    {
      id: 'join.alike',
      verdict,
      text:
        `${who} fit in more than one way: also ${turns}. Shape alone can’t tell which; a dot or a ` +
        'bit of putty on the piece, its colours, or a pick you are sure of would.',
      figures: figures(
        told,
        'both within the noise: so much of the surface meets, so little more scatter, no more patches that contradict',
      ),
      nextMove: 'Settle it with a pick',
    },
  ]
}

/** Other poses that nothing rules out: those that fit as well, and those that are possible. */
export const tellablePoses = (r: JoinReport): Alternative[] => otherPoses(r).filter((a) => !a.ruledOutBy && isOpen(a))

/** What shape leaves open and marks or colours settle; null where that is nothing. */
function ruledOutWords(r: JoinReport): string | null {
  const ruled = otherPoses(r).filter((a) => a.ruledOutBy && isOpen(a)),
    alike = ruled.filter((a) => a.asWell)
  const told = alike.length > 0 ? alike : ruled,
    one = told.length === 1
  if (told.length === 0) return null
  const by = [...new Set(told.map((a) => (a.ruledOutBy === 'marks' ? 'your marks' : 'the colours')))].join(' and ')
  const fit = alike.length > 0 ? (one ? 'fits as well' : 'fit as well') : one ? 'is possible' : 'are possible'
  return (
    `By shape ${one ? 'another pose' : `${told.length} other poses`} ${fit}, but ${by} rule ` +
    `${one ? 'it' : 'them'} out.`
  )
}

function wallFinding(r: JoinReport, verdict: Verdict, q: (i: number) => string): Finding[] {
  const wall = largestWall(r)
  if (!wall) return []
  return [
    {
      id: 'join.double',
      verdict,
      text:
        `${q(wall.a)} and ${q(wall.b)} show the same wall twice, ${mm(wall.apartMm)} apart over ` +
        `${areaText(wall.areaMm2)}.`,
      figures: [
        {
          label: 'Double wall',
          value: percent(wall.share),
          rule:
            `patches of the shared surface farther apart than the tolerance of ${mm(r.toleranceMm)}, ` +
            'surely; unsound over 1 %',
          verdict,
        },
        { label: 'Apart', value: mm(wall.apartMm) },
      ],
      nextMove: 'Look at it in a section',
    },
  ]
}

function conflictFinding(r: JoinReport, verdict: Verdict, q: (i: number) => string): Finding[] {
  const c = mostInTheWay(r)
  if (!c || verdict === 'sound') return []
  return [
    {
      id: 'join.seenThrough',
      verdict,
      text:
        `One of ${q(c.a)} and ${q(c.b)} saw through surface the other shows (${percent(c.share)} of ` +
        'it): both can’t be where they are put.',
      figures: [
        {
          label: 'In the way',
          value: percent(c.share),
          rule: 'share of a take’s points that would have hidden what the other’s frames saw',
          verdict,
        },
      ],
      nextMove: 'Match again, or clear what is not the piece',
    },
  ]
}

/** Surface inside the other, or before what the other saw: the takes can't lie so, however well they meet elsewhere. */
function ruledOutFinding(r: JoinReport, verdict: Verdict, q: (i: number) => string): Finding[] {
  const c = mostRuledOut(r)
  if (!c || verdict === 'sound') return []
  return [
    {
      id: 'join.ruledOut',
      verdict,
      text:
        `${q(c.a)} and ${q(c.b)} rule each other out over ${areaText(c.areaMm2)}: the one has surface inside the ` +
        'other, or where the other saw that nothing is.',
      figures: [
        {
          label: 'Ruled out',
          value: percent(c.places / c.looked, 2),
          rule: 'share of both takes’ places that nobody could have seen there, or that the other must have seen, too',
          verdict,
        },
      ],
      nextMove: 'Match again, or pick three pairs on the mark that tells the sides apart',
    },
  ]
}

/** A pair that would still move if it were let: placed by hand, or pulled there by the others. */
function tensionFinding(r: JoinReport, verdict: Verdict, q: (i: number) => string): Finding[] {
  const t = tensest(r)
  if (!t || verdict === 'sound') return []
  return [
    {
      id: 'join.tension',
      verdict,
      text:
        `${q(t.a)} and ${q(t.b)} would still move by ${mm(t.wantsMm)} to fit each other: ` +
        `${r.rounds === 0 ? 'match them' : 'the other takes, or something that is not the piece, pull them apart'}.`,
      figures: [
        {
          label: 'Would still move',
          value: mm(t.wantsMm, 3),
          rule:
            'at the farthest point, of the links and of pairs that share a fifth; sound up to half the ' +
            `tolerance of ${mm(r.toleranceMm)}`,
          verdict,
        },
      ],
      nextMove: 'Match again',
    },
  ]
}

function closingFinding(r: JoinReport): Finding[] {
  const { rings, beforeMm, afterMm } = r.closing
  if (rings === 0) return []
  return [
    {
      id: 'join.closing',
      verdict: 'sound',
      text:
        `Round the rings of takes, a chain would be ${mm(beforeMm, 3)} off where it closes; spread ` +
        `over all, no pair is asked for more than ${mm(afterMm, 3)}.`,
      figures: [
        { label: 'Closing error, chained', value: mm(beforeMm, 3) },
        {
          label: 'Left to any one pair',
          value: mm(afterMm, 3),
          rule: 'how far the pair alone would still move, at the farthest point',
        },
      ],
    },
  ]
}

function scaleFinding(r: JoinReport, verdict: Verdict, q: (i: number) => string): Finding[] {
  const t = sizesApart(r)
  if (!t) return []
  const larger = t.scale > 0 ? t.b : t.a,
    other = t.scale > 0 ? t.a : t.b
  return [
    {
      id: 'join.scale',
      verdict,
      text:
        `${q(larger)} is ${percent(Math.abs(t.scale), 2)} larger than ${q(other)}: a device that is ` +
        'warm, or due for calibration.',
      figures: [
        {
          label: 'Difference in size',
          value: `${percent(Math.abs(t.scale), 3)} ± ${percent(t.scaleSigma, 3)}`,
          rule: 'fit with size as a seventh unknown, over the shared surface',
        },
      ],
      nextMove: 'Check a known length on both',
    },
  ]
}
