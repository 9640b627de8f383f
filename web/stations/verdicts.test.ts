import { describe, expect, test } from 'vitest'
import type { Finding, Verdict } from '@holosoma/core'
import { EMPTY_BRIEF, type Brief } from '@holosoma/core/brief'
import type { PieceState, StepRecord, TakeState } from '@holosoma/engine'
import { emptyResult, emptyState, emptyStep } from '@/lib/empty-state'
import { joinTold, unplacedTakes, waitsToBeJoined, whatGoesIn } from '@/lib/joining'
import { STATIONS } from '@/lib/station-names'
import { judge, judgeResult, nextMove, stops } from './road'
import { openProposals, recipeOf } from '@/lib/tidying'
import { takeTroubles } from './take/told'
import { tidyFindings } from './tidy/told'

let id = 0
const step = (track: string, operation: string, over: Partial<StepRecord> = {}): StepRecord =>
  emptyStep(operation, { id: ++id, track: track as StepRecord['track'], ...over })
const said = (verdict: Verdict, text = `It is ${verdict}.`, findingId = 'x'): Finding => ({
  id: findingId,
  verdict,
  text,
})
const take = (n: number, name = `take ${n}`) => ({
  id: n,
  name,
  pose: '',
  ordinal: n,
  fixed: n === 1,
  locked: false,
  hidden: false,
  inJoin: true,
  inSkin: true,
  keepBase: false,
  pigment: null,
  stepId: n,
  shape: {
    hash: `h${n}`,
    kind: 'cloud' as const,
    points: 500,
    faces: 0,
    bounds: null,
    previewHash: null,
    thumbHash: null,
  },
})
const state = (over: Partial<PieceState>): PieceState =>
  emptyState('Lamp', { activeSteps: (over.steps ?? []).map((s) => s.id), ...over })
const came = (n: number, findings: Finding[] = [said('sound', '500 points came.')]): StepRecord =>
  step(`take:${n}`, 'take.import', { figures: { points: 500 }, findings })
const joined = (
  verdicts: readonly Verdict[],
  over: Partial<NonNullable<PieceState['join']>> = {},
  details: StepRecord['details'] = null,
): Partial<PieceState> => {
  const match = step('join', 'join.match', {
    figures: { p95Mm: 0.1, overlap: 0.5 },
    details,
    findings: verdicts.map((v) => said(v, `The join is ${v}.`)),
  })
  return {
    takes: [take(1), take(2)],
    steps: [came(1), came(2), match],
    join: { step: match, motions: {}, calledThen: {}, renamed: [], placed: [], stale: false, accepted: null, ...over },
  }
}
const HEALTHY = {
  faces: 100,
  holes: 0,
  borderEdges: 0,
  nonManifoldEdges: 0,
  flippedEdges: 0,
  crossings: 0,
  crossingsComplete: true,
  closed: true,
  manifold: true,
  components: 1,
  volumeMm3: 1000,
}
const skinned = (chain: StepRecord[], over: Partial<PieceState> = {}, stale = false): PieceState => {
  const base = { takes: [take(1)], ...over }
  return state({
    ...base,
    steps: [...(over.steps ?? [came(1)]), ...chain],
    mesh: emptyResult(chain, {
      shape: { ...take(9).shape, kind: 'mesh', bounds: { min: [0, 0, 0], max: [118, 66, 40] } },
      stale,
    }),
  })
}
const skin = (over: Partial<StepRecord> = {}): StepRecord =>
  step('result:1', 'skin.make', {
    figures: { spacingMm: 0.5, faces: 100, invented: 0.01 },
    findings: [said('sound', 'Most of it is measured.')],
    ...over,
  })
const verdicts = (s: PieceState): Record<string, Verdict | null> =>
  Object.fromEntries(stops(s).map((x) => [x.station, x.verdict]))

describe('a verdict says no more than was looked at', () => {
  test('takes that came and that nobody has looked over have none, however many points they have', () => {
    const s = state({ takes: [take(1)], steps: [came(1)] })
    expect(judge(s, 'take')).toMatchObject({ verdict: null, findings: [{ text: '500 points came.' }] })
    expect(verdicts(s).take).toBeNull()
  })
  test('but what was seen to be wrong counts at once', () => {
    expect(
      judge(state({ takes: [take(1)], steps: [came(1, [said('doubtful', 'It looks like metres.')])] }), 'take').verdict,
    ).toBe('doubtful')
  })
  test('after the look it is the look’s; a take that came later makes it nobody’s again; missing photos count', () => {
    const check = step('check', 'take.complete', {
      figures: { unseen: 0.01 },
      findings: [said('sound', 'You have everything.')],
    })
    const looked = state({ takes: [take(1)], steps: [came(1), check], check: { step: check, stale: false } })
    expect(judge(looked, 'take').verdict).toBe('sound')
    expect(judge({ ...looked, check: { step: check, stale: true } }, 'take').verdict).toBeNull()
    const photos = step('photos', 'photos.take', { findings: [said('unsound', '20 of 24 photos are missing.')] })
    expect(
      judge({ ...looked, steps: [...looked.steps, photos], activeSteps: [...looked.activeSteps, photos.id] }, 'take')
        .verdict,
    ).toBe('unsound')
  })
  test('of several takes each sentence and each meter names its own', () => {
    const meters = (share: string): Finding => ({
      id: 'm',
      verdict: 'sound',
      text: 'Well lit.',
      figures: [{ label: 'Clipped', value: share }],
    })
    const s = state({
      takes: [take(1, 'upright'), take(2, 'side')],
      steps: [came(1, [meters('1 %')]), came(2, [meters('2 %')])],
    })
    expect(takeTroubles(s).map((f) => [f.text, f.figures![0].label])).toEqual([
      ['“upright”: well lit.', 'Clipped, “upright”'],
      ['“side”: well lit.', 'Clipped, “side”'],
    ])
    expect(takeTroubles(state({ takes: [take(1, 'upright')], steps: [came(1, [meters('1 %')])] }))[0].text).toBe(
      'Well lit.',
    )
  })
  test('many files that came as they should stand in one sentence, and what is doubtful of one stays its own', () => {
    const file = (n: number, verdict: Verdict): StepRecord => ({
      ...came(n, [{ id: 'take.inspect', verdict, text: `${n}00 points; it reaches over 1.4.` }]),
      figures: { points: n * 100 },
    })
    const of = (doubted: number): PieceState =>
      state({
        takes: [1, 2, 3, 4, 5].map((n) => take(n)),
        steps: [1, 2, 3, 4, 5].map((n) => file(n, n === doubted ? 'doubtful' : 'sound')),
      })
    expect(takeTroubles(of(3)).map((f) => f.text)).toEqual([
      '4 takes came as they should: 100 to 500 points each.',
      '“take 3”: 300 points; it reaches over 1.4.',
    ])
    expect(takeTroubles(of(0)).map((f) => f.text)).toEqual(['5 takes came as they should: 100 to 500 points each.'])
  })
})

describe('what is proposed at Tidy stays until it is done or dismissed', () => {
  const acts = (s: PieceState): string[] => openProposals(s, s.takes[0]).map((p) => p.operation)
  const cut = (over: Partial<StepRecord> = {}): StepRecord =>
    step('take:1', 'tidy.trimTable', {
      findings: [said('sound', 'The table was 300 of 500 points, and is gone.')],
      ...over,
    })
  test('showing and cutting one of them leaves the others open, and the take doubtful', () => {
    const s = state({ takes: [take(1)], steps: [came(1), cut()] })
    expect(acts(s)).toEqual(['tidy.removeStrays'])
    expect(tidyFindings(s, s.takes[0])[0]).toMatchObject({
      id: 'tidy.open',
      verdict: 'doubtful',
      text: 'Still proposed and not done: floating patches. Nobody has looked there.',
    })
    expect(verdicts(s).tidy).toBe('doubtful')
    expect(stops(s)[3].figure).toBe('1 still open')
    expect(nextMove(s)).toMatchObject({ station: 'tidy' })
  })
  test('tidying the other take changes nothing for this one', () => {
    const other = step('take:2', 'tidy.removeStrays', {
      figures: { tried: 'tidy.trimTable' },
      findings: [said('sound')],
    })
    const s = state({ takes: [take(1), take(2)], steps: [came(1), came(2), cut(), other] })
    expect([acts(s), openProposals(s, s.takes[1])]).toEqual([['tidy.removeStrays'], []])
    expect(judge(s, 'tidy').verdict).toBe('doubtful')
  })
  test('done, tried without finding anything, or dismissed, it is settled; a recipe hands no dismissal on', () => {
    const done = [
      step('take:1', 'tidy.removeStrays'),
      step('take:1', 'tidy.leave', { params: { act: 'tidy.removeStrays' } }),
    ]
    for (const last of done) expect(acts(state({ takes: [take(1)], steps: [came(1), cut(), last] }))).toEqual([])
    expect(
      acts(state({ takes: [take(1)], steps: [came(1), cut({ figures: { tried: 'tidy.removeStrays' } })] })),
    ).toEqual([])
    const s = state({ takes: [take(1)], steps: [came(1), cut(), done[1]] })
    expect(recipeOf(s, s.takes[0]).map((r) => r.operation)).toEqual(['tidy.trimTable'])
    expect(judge(s, 'tidy').verdict).toBe('sound')
  })
  test('strays that were sought before the table went are sought again; one way of cutting the table is enough', () => {
    expect(acts(state({ takes: [take(1)], steps: [came(1), step('take:1', 'tidy.removeStrays'), cut()] }))).toEqual([
      'tidy.removeStrays',
    ])
    expect(acts(state({ takes: [take(1)], steps: [came(1), step('take:1', 'tidy.trimPlane')] }))).toEqual([
      'tidy.removeStrays',
    ])
  })
  test('undone, it is open again; before anything was done the station is not reached', () => {
    const undone = cut()
    const s = state({ takes: [take(1)], steps: [came(1), undone] })
    expect(acts({ ...s, activeSteps: [s.steps[0].id] })).toEqual(['tidy.trimTable', 'tidy.removeStrays'])
    expect(verdicts({ ...s, activeSteps: [s.steps[0].id] }).tidy).toBeNull()
  })
})

describe('one verdict everywhere, and later stations inherit doubt', () => {
  test('the route’s marks are what the cards are judged by, at every station', () => {
    const s = skinned(
      [
        skin(),
        step('result:1', 'mend.health', { figures: HEALTHY }),
        step('result:1', 'size.scale', { findings: [said('sound')] }),
      ],
      joined(['unsound', 'sound']),
    )
    for (const station of STATIONS)
      expect(stops(s).find((x) => x.station === station)!.verdict).toBe(judge(s, station).verdict)
  })
  test('an unsound join is told at Skin and at Release as what it is, elsewhere it leaves doubt', () => {
    const s = skinned(
      [
        skin(),
        step('result:1', 'mend.health', { figures: HEALTHY }),
        step('result:1', 'size.scale', { findings: [said('sound')] }),
      ],
      joined(['sound', 'unsound']),
    )
    expect(verdicts(s)).toMatchObject({
      join: 'unsound',
      skin: 'unsound',
      mend: 'doubtful',
      size: 'doubtful',
      release: 'unsound',
    })
    expect(judge(s, 'skin').findings.at(-1)!.text).toBe('The join it rests on is unsound: The join is unsound.')
    expect(nextMove(s).text).toContain('is unsound')
  })
  test('a skin with holes waits to be mended, unless the brief leaves its holes', () => {
    const adopted = step('result:1', 'skin.adopt', { figures: { closed: false, holes: 3, faces: 100, components: 1 } })
    const open = (brief: PieceState['brief']): PieceState =>
      state({ mesh: emptyResult([adopted]), steps: [adopted], brief })
    expect(nextMove(open(null))).toMatchObject({ station: 'mend', move: 'Mend it' })
    expect(nextMove(open(null)).text).toContain('3 holes')
    const content: Brief = { ...EMPTY_BRIEF, choices: { holes: 'leave' } }
    expect(nextMove(open({ content, outlook: null, stepId: 1, revision: 1, version: 1 })).station).not.toBe('mend')
  })
  test('accepted against advice it is doubtful, and the reason and what was found stay to be read', () => {
    const s = state(joined(['unsound'], { accepted: 'the handle fits by hand' }))
    expect(judge(s, 'join')).toMatchObject({
      verdict: 'doubtful',
      findings: [{ text: 'Accepted against advice: the handle fits by hand' }, { text: 'The join is unsound.' }],
    })
  })
  test('after a late cut the skin is doubtful on its card too', () => {
    const s = skinned([skin()], {}, true)
    expect(judge(s, 'skin')).toMatchObject({
      verdict: 'doubtful',
      findings: [{ text: 'The takes or their join changed after this skin was made.' }, {}],
    })
  })
  test('a mesh that is not closed is never sound, whichever act left it and whatever it counts', () => {
    for (const figures of [
      { ...HEALTHY, closed: false, borderEdges: 12 },
      { ...HEALTHY, closed: false },
      { ...HEALTHY, closed: false, nonManifoldEdges: 3, manifold: false },
    ]) {
      for (const operation of ['mend.health', 'mend.closeHoles', 'mend.simplify', 'skin.adopt']) {
        const s = skinned([skin(), step('result:1', operation, { figures, findings: [said('sound', 'Done.')] })])
        expect([operation, judge(s, 'mend').verdict]).toEqual([operation, 'unsound'])
        expect(stops(s)[6].figure).toBe('not closed')
      }
    }
    expect(
      judge(
        skinned([skin(), step('result:1', 'mend.health', { figures: { ...HEALTHY, closed: false, borderEdges: 12 } })]),
        'mend',
      ).findings[0].text,
    ).toBe('The mesh has 12 open edges that make no whole rim. A printer needs it closed.')
  })
  test('crossings that were not all looked for are no clean bill', () => {
    expect(
      judge(
        skinned([skin(), step('result:1', 'mend.health', { figures: { ...HEALTHY, crossingsComplete: false } })]),
        'mend',
      ).verdict,
    ).toBe('doubtful')
    expect(
      judge(skinned([skin(), step('result:1', 'mend.simplify', { figures: { ...HEALTHY, crossings: -1 } })]), 'mend'),
    ).toMatchObject({
      verdict: 'doubtful',
      findings: [{ text: 'The mesh is closed. Nobody has looked for crossings yet.' }],
    })
  })
  test('a release without health or size checked is doubtful; an adopted mesh rests on no takes', () => {
    expect(judge(skinned([skin()]), 'release').findings.map((f) => f.id)).toEqual(['release.health', 'release.size'])
    const adopted = skinned([step('result:1', 'skin.adopt', { figures: HEALTHY, findings: [] })], joined(['unsound']))
    expect(judge(adopted, 'release').findings.map((f) => f.id)).toEqual(['release.size'])
  })
  test('what the brief asks and is not so is in the verdict, at its station and at Release', () => {
    const brief: Brief = {
      ...EMPTY_BRIEF,
      detailMm: 0.9,
      purposes: ['print'],
      lengthMm: 118,
      widthMm: 66,
      heightMm: 40,
    }
    const s = skinned([skin({ figures: { spacingMm: 0.44, faces: 100, invented: 0.01 } })], {
      brief: { content: brief, outlook: null, stepId: 1, revision: 0, version: 1 },
    })
    expect(judge(s, 'skin').findings.at(-1)).toMatchObject({
      id: 'brief.skin.spacing',
      verdict: 'doubtful',
      text: 'The brief asks: skin at 0.30 mm or finer. Here: 0.44 mm.',
    })
    expect(judge(s, 'release').findings.some((f) => f.id === 'inherited.skin')).toBe(true)
  })
  test('a reading against the brief’s own is told', () => {
    const brief: Brief = {
      ...EMPTY_BRIEF,
      detailMm: 0.9,
      lengthMm: 118,
      widthMm: 66,
      heightMm: 40,
      callipers: [{ name: 'length', from: '', to: '', readingMm: 118, uncertaintyMm: 0.05, instrument: '' }],
    }
    const sized = (readingMm: number): PieceState =>
      skinned(
        [
          skin({ figures: { spacingMm: 0.3, faces: 100, invented: 0.01 } }),
          step('result:1', 'size.scale', {
            params: { pairs: [{ from: [0, 0, 0], to: [118.2, 0, 0], readingMm, uncertaintyMm: 0.05 }] },
            figures: {
              factor: readingMm / 118.2,
            },
            details: { lengths: [{ meshMm: 118.2, readingMm, scaledMm: readingMm, residualMm: 0 }] },
            findings: [said('sound')],
          }),
        ],
        { brief: { content: brief, outlook: null, stepId: 1, revision: 0, version: 1 } },
      )
    expect(judge(sized(118.04), 'size').verdict).toBe('sound')
    expect(judge(sized(118.51), 'size')).toMatchObject({
      verdict: 'doubtful',
      findings: [
        {},
        {
          text: 'The brief asks: length 118.00 ± 0.05 mm, as the brief’s calliper list says. Here: 118.51 mm on the mesh, read as 118.51 ± 0.05 mm.',
        },
      ],
    })
  })
})

test('each result is judged for itself, by all that would leave with it, whichever is the skin', () => {
  const health = step('result:1', 'mend.health', { figures: HEALTHY })
  const size = step('result:1', 'size.scale', { findings: [said('sound')] })
  const done = skinned([skin(), health, size])
  const results = [
    { ...done.mesh!, id: 1 },
    // Closed and clean, and nobody has measured it: not sound.
    emptyResult([skin(), health], { id: 2 }),
    emptyResult([skin()], { id: 3 }),
    { ...done.mesh!, id: 4, stale: true },
  ]
  const s = { ...done, results, mesh: results[0] }
  expect(results.map((r) => judgeResult(s, r.id).verdict)).toEqual(['sound', 'doubtful', 'doubtful', 'doubtful'])
  expect(judgeResult(s, 2).findings.map((f) => f.id)).toEqual(['release.size'])
  expect(judgeResult(s, 4).findings.at(-1)!.text).toContain('The takes or their join changed')
  // An unsound join is in each of them.
  const over = { ...skinned([skin(), health, size], joined(['unsound'])), results }
  expect(judgeResult(over, 1).verdict).toBe('unsound')
  expect(judgeResult(over, 99)).toEqual({ verdict: null, findings: [] })
})

test('figures of a match name takes as they are called now', () => {
  const s = state(
    joined(
      ['sound'],
      { renamed: [['side', 'the other']] },
      {
        pairs: [{ take: 'side', fixed: 'upright', verdict: 'sound' }],
        links: [['upright', 'side']],
        slides: [{ movers: ['side'], stayers: ['upright'] }],
        alternatives: [],
      },
    ),
  )
  const figures = joinTold(s.join!)
  expect([figures.pairs[0].take, figures.pairs[0].fixed, figures.links, figures.slides[0].movers]).toEqual([
    'the other',
    'upright',
    [['upright', 'the other']],
    ['the other'],
  ])
})

describe('takes that are not in the join', () => {
  const rows = [[1, 0, 0, 0]]
  const one = { motions: { 'take 1': rows }, calledThen: { 1: 'take 1', 2: 'take 2' } }
  const s = { ...state(joined(['sound'], one)), goesIn: [1] }
  const out = (over: Partial<TakeState>): PieceState => ({
    ...s,
    takes: s.takes.map((t) => (t.id === 2 ? { ...t, ...over } : t)),
  })
  test('one that came after the match has to wait for the next, or is left out', () => {
    const late = { ...s, join: { ...s.join!, calledThen: { 1: 'take 1' } } }
    expect(waitsToBeJoined(late)).toBe(
      '“take 2” came after the join; join again, so that it has its place, or leave it out of the join.',
    )
    expect(waitsToBeJoined({ ...late, takes: out({ inJoin: false }).takes })).toBeNull()
  })
  test('one that found no place is named, and holds nobody back', () => {
    expect(waitsToBeJoined(s)).toBeNull()
    expect(unplacedTakes(s).map((t) => t.name)).toEqual(['take 2'])
    expect(whatGoesIn(s)).toBe('1 of 2 takes go into the skin. “take 2” found no place.')
    expect(unplacedTakes({ ...s, join: { ...s.join!, motions: { 'take 1': rows, 'take 2': rows } } })).toEqual([])
  })
  test('left out, it is told as that, and the join is judged without it', () => {
    const lost = state(
      joined(['unsound'], {
        ...one,
        step: emptyStep('join.match', {
          track: 'join',
          findings: [{ id: 'join.lost', verdict: 'unsound', text: '“take 2” found no place: …' }],
        }),
      }),
    )
    expect(judge(lost, 'join').verdict).toBe('unsound')
    const left = { ...lost, takes: out({ inJoin: false }).takes }
    expect(judge(left, 'join')).toMatchObject({ verdict: 'sound', findings: [{ id: 'join.leftOut' }] })
    expect(whatGoesIn({ ...left, goesIn: [1] })).toBe('1 of 2 takes go into the skin. “take 2” is left out.')
  })
})
