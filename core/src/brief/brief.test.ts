import { describe, expect, test } from 'vitest'
import { briefProblems, EMPTY_BRIEF, type Brief, type Zone } from './brief'
import { checkAgainstBrief } from './checklist'
import { CHOICE_OPTIONS, choiceOf, schoolsOf, wantedSkinSpacing } from './choices'
import { checkDeliverable, deliverablesOf } from './deliverables'
import { nothingToSee, requirementsOf, trapsOf } from './requirements'

const brief = (over: Partial<Brief>): Brief => ({ ...EMPTY_BRIEF, ...over })
const zone = (over: Partial<Zone>): Zone => ({
  name: 'z',
  material: '',
  sharePercent: 50,
  finish: 'matt',
  tone: 'middle',
  contrast: false,
  ...over,
})
const allowed = (name: keyof Brief['permissions'], value: boolean | null): Brief['permissions'] => ({
  ...EMPTY_BRIEF.permissions,
  [name]: { allowed: value, by: 'owner', on: '2026-03-02' },
})

describe('what a brief may say', () => {
  test('an empty one stands', () => expect(briefProblems(EMPTY_BRIEF)).toEqual([]))
  test.each<[string, Partial<Brief>, string, RegExp]>([
    ['zero size', { heightMm: 0 }, 'heightMm', /height must be a positive number/],
    ['negative size', { widthMm: -4 }, 'widthMm', /width must be a positive number/],
    ['no number', { lengthMm: NaN }, 'lengthMm', /length/],
    [
      'detail larger than the piece',
      { detailMm: 120 },
      '',
      /smallest detail \(120 mm\) must be smaller than the piece \(100 mm\)/,
    ],
    ['no purpose', { purposes: [] }, 'purposes', /choose what the piece is scanned for/],
    ['share over 100', { zones: [zone({ sharePercent: 130 })] }, 'zones.0.sharePercent', /100 % at most/],
    [
      'shares that add up to more',
      { zones: [zone({ sharePercent: 70 }), zone({ sharePercent: 60 })] },
      '',
      /add up to 130 %/,
    ],
    ['no zone', { zones: [] }, 'zones', /at least one zone/],
    ['a zone without a name', { zones: [zone({ name: ' ' })] }, 'zones.0.name', /name of the zone/],
    [
      'a band that ends where it begins',
      { areas: [{ name: 'a', rank: 'must', place: 'band', fromMm: 20, toMm: 20 }] },
      'areas.0.toMm',
      /end higher than it begins/,
    ],
    [
      'a reading of nothing',
      { callipers: [{ name: 'l', from: '', to: '', readingMm: 0, uncertaintyMm: 0.1, instrument: '' }] },
      'callipers.0.readingMm',
      /reading must be a positive number/,
    ],
    [
      'a day that is none',
      { permissions: { ...EMPTY_BRIEF.permissions, coat: { allowed: true, by: 'x', on: 'soon' } } },
      'permissions.coat.on',
      /date/,
    ],
    ['something nobody asked', { colour: 'red' } as never, 'colour', /not allowed/],
  ])('%s is said at its field', (_n, over, path, message) => {
    const [problem] = briefProblems(brief(over))
    expect(problem.path).toBe(path)
    expect(problem.message).toMatch(message)
  })
  test('nonsense is refused, not thrown', () => {
    for (const value of [null, undefined, 7, 'x', [], {}]) expect(briefProblems(value).length).toBeGreaterThan(0)
  })
})

// Common practice: three to five points across a detail; the limit is two (sampling theorem, Shannon 1949).
test('spacing and tolerance follow from the smallest detail', () => {
  expect(requirementsOf(brief({ detailMm: 0.9 }))).toMatchObject({
    wantedSpacingMm: 0.3,
    limitSpacingMm: 0.45,
    toleranceMm: 0.45,
    largestMm: 100,
  })
  expect(requirementsOf(brief({ toleranceMm: 0.1 })).toleranceMm).toBe(0.1)
})

describe('traps', () => {
  const ids = (over: Partial<Brief>): string[] => trapsOf(brief(over)).map((t) => t.id)
  test('a plain matt piece meets none', () => expect(ids({})).toEqual([]))
  // Common practice, each: what a piece is like and the trap it leads to.
  test.each<[string, Partial<Brief>, string]>([
    ['round', { traits: ['round'] }, 'lookAlike'],
    ['a slab by its trait', { traits: ['slab'] }, 'slide'],
    ['a slab by its size', { lengthMm: 140, widthMm: 140, heightMm: 18 }, 'slide'],
    ['hollow', { traits: ['hollow'] }, 'hollow'],
    ['gloss', { zones: [zone({ finish: 'gloss' })] }, 'gloss'],
    ['dark beside pale', { zones: [zone({ tone: 'dark' }), zone({ tone: 'pale' })] }, 'range'],
    ['print', { zones: [zone({ contrast: true })] }, 'contrast'],
    ['metal', { zones: [zone({ finish: 'metal' })] }, 'coat'],
    ['no turning', { permissions: allowed('turn', false) }, 'turn'],
    ['sun', { sun: true }, 'sun'],
    ['a cold bench', { temperatureC: 5 }, 'temperature'],
  ])('%s', (_n, over, id) => expect(ids(over)).toContain(id))
  test('what blocks comes first, and is settled by leave; people are never coated', () => {
    const metal = { zones: [zone({ finish: 'metal', sharePercent: 100 })], traits: ['round' as const] }
    expect(trapsOf(brief(metal))[0]).toMatchObject({ id: 'coat', blocking: true })
    expect(
      trapsOf(brief({ ...metal, permissions: allowed('coat', true) })).find((t) => t.id === 'coat')!.blocking,
    ).toBe(false)
    expect(trapsOf(brief({ ...metal, person: true, permissions: allowed('coat', true) }))[0].why).toContain(
      'people are never coated',
    )
    expect([
      nothingToSee(brief(metal)),
      nothingToSee(brief({ ...metal, permissions: allowed('coat', true) })),
      nothingToSee(EMPTY_BRIEF),
    ]).toEqual([true, false, false])
  })
})

test('purposes decide what is handed over and how each question of the trade is answered', () => {
  expect(deliverablesOf(brief({ purposes: ['print', 'archive'] })).map((d) => d.file)).toEqual([
    'A closed STL at true size',
    'The raw takes, a PLY with evidence, and the report',
  ])
  const [print, archive] = deliverablesOf(brief({ purposes: ['print', 'archive'] }))
  expect(checkDeliverable(print, { closed: true, scaled: true })).toEqual({
    verdict: 'sound',
    found: 'closed, size checked',
  })
  expect(checkDeliverable(print, { closed: false, scaled: true })).toEqual({ verdict: 'unsound', found: 'not closed' })
  expect(checkDeliverable(print, {}).verdict).toBe('doubtful')
  // A skin that nobody has looked at is not said to be closed.
  const skin = { bounds: [118, 66, 39], scaled: true } as const
  const printed = checkAgainstBrief(brief({ purposes: ['print'] }), skin).find((c) => c.id === 'release.print')!
  expect([printed.verdict, printed.found]).toEqual(['doubtful', 'whether it is closed has not been checked'])
  expect(checkDeliverable(archive, { marked: true, scaled: false }).found).toBe('size not checked against a reading')
  const [show] = deliverablesOf(brief({ purposes: ['show'] }))
  expect(checkDeliverable(show, { faces: 1_200_000, coloured: false })).toEqual({
    verdict: 'doubtful',
    found: 'too many triangles for a page, without colour',
  })
  const holes = (purposes: Brief['purposes']): string => choiceOf(brief({ purposes }), 'holes')
  expect([holes(['archive']), holes(['print']), holes(['archive', 'print'])]).toEqual(['leave', 'close', 'close'])
  expect([choiceOf(brief({}), 'secondPose'), choiceOf(brief({ traits: ['slab'] }), 'secondPose')]).toEqual([
    'goOn',
    'separate',
  ])
  expect(choiceOf(brief({ original: true, permissions: allowed('dots', true) }), 'dots')).toBe('beside')
  expect(schoolsOf(EMPTY_BRIEF)).toHaveLength(13)
})

test('what a person chose holds against what is usual; what is no answer does not', () => {
  const chosen = brief({ purposes: ['archive'], choices: { holes: 'limit', spacing: 'nonsense' } })
  expect([choiceOf(chosen, 'holes'), choiceOf(chosen, 'spacing')]).toEqual(['limit', 'device'])
  expect(schoolsOf(chosen).find((s) => s.name === 'holes')).toMatchObject({ usual: 'leave', choice: 'limit' })
  for (const { name, usual } of schoolsOf(EMPTY_BRIEF)) expect(Object.keys(CHOICE_OPTIONS[name])).toContain(usual)
  expect(briefProblems({ ...EMPTY_BRIEF, choices: { holes: 'limit' } })).toEqual([])
  expect(briefProblems({ ...EMPTY_BRIEF, choices: { walls: 'thick' } })).toHaveLength(1)
})

test('the spacing that is asked for is a third of the smallest detail, or the device’s where that is finer and wanted', () => {
  const print = brief({ detailMm: 1.2, purposes: ['print'] })
  expect([wantedSkinSpacing(print, 0.1), wantedSkinSpacing(print, null)]).toEqual([0.4, 0.4])
  const record = brief({ detailMm: 1.2, purposes: ['archive'] })
  expect([wantedSkinSpacing(record, 0.1), wantedSkinSpacing(record, 0.6)]).toEqual([0.1, 0.4])
})

test('later stations are held to the brief: every check with a verdict where there is something to judge', () => {
  const b = brief({
    detailMm: 0.9,
    purposes: ['print', 'archive'],
    lengthMm: 118,
    widthMm: 66,
    heightMm: 40,
    callipers: [{ name: 'l', from: '', to: '', readingMm: 118, uncertaintyMm: 0.05, instrument: '' }],
  })
  const verdicts = (facts: Parameters<typeof checkAgainstBrief>[1]) =>
    Object.fromEntries(checkAgainstBrief(b, facts).map((c) => [c.id, c.verdict]))
  expect(Object.values(verdicts({})).every((v) => v === null)).toBe(true)
  expect(
    verdicts({
      takeSpacingMm: 0.3,
      joinP95Mm: 0.1,
      skinSpacingMm: 0.44,
      closed: true,
      inventedShare: 0.01,
      bounds: [40, 118.2, 66],
      scaled: true,
    }),
  ).toEqual({
    'release.print': 'sound',
    'release.archive': 'doubtful',
    'size.reading.0': 'sound',
    'take.spacing': 'sound',
    'join.fit': 'sound',
    'skin.spacing': 'doubtful',
    'mend.closed': 'sound',
    'skin.invented': 'sound',
    'size.rough': 'sound',
    'size.scaled': 'sound',
  })
  // Ten times too large is a slip of units, not a piece.
  expect(
    verdicts({ skinSpacingMm: 0.8, closed: false, inventedShare: 0.3, bounds: [1180, 660, 400], scaled: false }),
  ).toMatchObject({
    'skin.spacing': 'unsound',
    'mend.closed': 'unsound',
    'skin.invented': 'unsound',
    'size.rough': 'unsound',
    'size.scaled': 'doubtful',
  })
  expect(verdicts({ joinP95Mm: 0.1, joinVerdict: 'unsound' })['join.fit']).toBe('unsound')
})
