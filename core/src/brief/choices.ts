import type { Brief, ChoiceName } from './brief'
import { needsCoat } from './requirements'

/*
 * Questions on which the trade is of two minds. Each has a default that follows from the brief, which the person may
 * choose against; later stations begin with what is chosen here. All common practice of the trade.
 */

/** The answers there are, in words. */
export const CHOICE_OPTIONS = {
  secondPose: { separate: 'separate takes, then join', goOn: 'go on in the same scan' },
  matchBy: { shape: 'shape', picks: 'picks and colour, then shape', keystone: 'shape with a keystone take' },
  dots: { piece: 'on the piece, where it is flat', beside: 'on the mat or on stands', none: 'none' },
  dotsInView: { five: '5', four: '4' },
  tidy: { before: 'before joining', fuse: 'let the fuse do it' },
  dark: { coat: 'coat', exposures: 'several exposures' },
  clipping: { touch: 'under 1 % of the piece', none: 'none at all' },
  discs: { move: 'move the dots and take that side again', refill: 'refill flat' },
  onePose: { first: 'first among themselves, then groups', all: 'all at once' },
  fuse: { allFrames: 'all raw frames at once', eachFirst: 'each take first, at one common spacing' },
  holes: {
    close: 'close all, filled parts marked',
    limit: 'close the small ones, leave the rest open',
    hand: 'one by one, by hand',
    leave: 'leave open and mark',
  },
  colour: { photos: 'photos afterwards', scan: 'while scanning', elsewhere: 'from elsewhere', none: 'none' },
  spacing: { detail: 'as the detail needs', device: 'as fine as the device gives' },
} as const satisfies Readonly<Record<ChoiceName, Readonly<Record<string, string>>>>

export type ChoiceOf<N extends ChoiceName> = keyof (typeof CHOICE_OPTIONS)[N] & string

const QUESTIONS: Readonly<Record<ChoiceName, string>> = {
  secondPose: 'Second pose',
  matchBy: 'Match by',
  dots: 'Dots',
  dotsInView: 'Dots in view',
  tidy: 'Tidy',
  dark: 'Dark and shiny parts',
  clipping: 'Clipping',
  discs: 'Dot discs',
  onePose: 'Takes of one pose',
  fuse: 'Fuse',
  holes: 'Holes',
  colour: 'Colour',
  spacing: 'Spacing',
}

export interface School {
  readonly name: ChoiceName
  readonly question: string
  /** What the brief says for it by itself, and why. */
  readonly usual: string
  readonly why: string
  /** What holds: what was chosen, or the usual. */
  readonly choice: string
}

type Answers = { readonly [N in ChoiceName]: readonly [choice: ChoiceOf<N>, why: string] }

/** How this piece would have each question; always a default, never a must. */
function usualOf(brief: Brief): Answers {
  const has = (trait: Brief['traits'][number]): boolean => brief.traits.includes(trait)
  const wants = (p: Brief['purposes'][number]): boolean => brief.purposes.includes(p)
  const print = wants('print') || wants('printScaled')
  const onPiece = brief.permissions.dots.allowed === true && !brief.original
  const involved = has('slab') || has('round') || has('undercut') || has('hollow')
  const coat = brief.zones.some(needsCoat) && brief.permissions.coat.allowed === true && !brief.person
  const rigour = wants('fit') || wants('check')
  const record = wants('archive')
  return {
    secondPose: involved
      ? ['separate', 'safer for shapes with traps']
      : ['goOn', 'quick, and most of it was seen before'],
    matchBy: has('round')
      ? ['picks', 'shape alone fits at many angles']
      : has('slab')
        ? ['keystone', 'the rim alone slides']
        : ['shape', 'it has enough relief'],
    dots: onPiece ? ['piece', 'they stay with it when it is turned'] : ['beside', 'nothing sticks to the piece'],
    dotsInView: ['five', 'the safer of the two schools (4 or 5)'],
    tidy: ['before', record || rigour ? 'cleaner points, better join' : 'strays are found by themselves'],
    dark: coat ? ['coat', 'bare or clear parts show no other way'] : ['exposures', 'nothing touches the piece'],
    clipping: ['touch', 'a touch, so that dark parts show'],
    discs: rigour ? ['move', 'every disc is measured'] : ['refill', 'flat places, small discs'],
    onePose: ['first', 'they share the most'],
    fuse: ['allFrames', 'one common spacing, noise averaged once'],
    holes: record && !print ? ['leave', 'an archive wants the truth'] : ['close', 'a print must be closed'],
    colour:
      wants('show') || record
        ? ['photos', 'sharper than colour while scanning']
        : ['none', 'the purpose does not need it'],
    spacing: record
      ? ['device', 'a record can’t be taken again']
      : ['detail', 'finer costs four times the triangles for each half'],
  }
}

/** Every question with its answer, in the order of work. */
export function schoolsOf(brief: Brief): School[] {
  const usual = usualOf(brief)
  return (Object.keys(CHOICE_OPTIONS) as ChoiceName[]).map((name) => ({
    name,
    question: QUESTIONS[name],
    usual: usual[name][0],
    why: usual[name][1],
    choice: choiceOf(brief, name),
  }))
}

/** Questions whose answer a station begins with; the others are written down for whoever works. */
export const TAKEN_UP: ReadonlySet<ChoiceName> = new Set([
  'secondPose',
  'matchBy',
  'dots',
  'dotsInView',
  'tidy',
  'dark',
  'clipping',
  'discs',
  'onePose',
  'fuse',
  'holes',
  'colour',
  'spacing',
])

/** What holds for a question: what was chosen in the brief, or what follows from the rest of it. */
export function choiceOf<N extends ChoiceName>(brief: Brief, name: N): ChoiceOf<N> {
  const chosen = brief.choices?.[name]
  return (chosen && Object.hasOwn(CHOICE_OPTIONS[name], chosen) ? chosen : usualOf(brief)[name][0]) as ChoiceOf<N>
}

/** Whether colours have a say where shapes are matched. */
export const coloursCount = (brief: Brief): boolean => choiceOf(brief, 'matchBy') === 'picks'

/** Dots that must be in view at once, where a device goes by dots. */
export const wantedDotsInView = (brief: Brief): number => (choiceOf(brief, 'dotsInView') === 'four' ? 4 : 5)

/** The skin's spacing that a brief asks for, mm: what the smallest detail needs, to two digits. */
export const wantedSkinSpacing = (brief: Brief, deviceMm: number | null): number => {
  const detail = brief.detailMm / 3
  const wanted = choiceOf(brief, 'spacing') === 'device' && deviceMm !== null ? Math.min(detail, deviceMm) : detail
  return Number(wanted.toPrecision(2))
}
