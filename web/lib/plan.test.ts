import { describe, expect, test } from 'vitest'
import { EMPTY_BRIEF, type Brief, briefProblems } from '@holosoma/core/brief'
import { quietContext } from '@holosoma/core'
import {
  checkPlan,
  firstPlan,
  type Plan,
  planFindings,
  Planner,
  runSheetOf,
  buildStandIn,
  NEW_TAKE,
} from '@holosoma/core/plan'
import type { PieceState, StepRecord } from '@holosoma/engine'
import { emptyState, emptyStep } from './empty-state'
import { planFor } from './plan-desk'
import { poseDrawing } from './pose-drawing'
import { runSheetDocument } from './run-sheet-pdf'
import { nextMove, stops } from '@/stations/road'
import { factsOf } from './facts'

const brief = (over: Partial<Brief>): Brief => ({ ...EMPTY_BRIEF, ...over })

describe('a plan to begin with', () => {
  test('the stand-in follows the traits and the sizes of the brief', () => {
    const kind = (over: Partial<Brief>): string => planFor(brief(over)).standIn.kind
    expect([
      kind({}),
      kind({ traits: ['round'] }),
      kind({ traits: ['slab'] }),
      kind({ lengthMm: 140, widthMm: 140, heightMm: 18 }),
    ]).toEqual(['ellipsoid', 'cylinder', 'box', 'box'])
    expect(planFor(brief({ traits: ['hollow'] })).standIn).toMatchObject({
      kind: 'ellipsoid',
      hollow: { wallMm: 10, depthMm: 50 },
    })
    // A hollow is in it whatever its form: a solid stand-in would promise what no line of sight reaches.
    expect(planFor(brief({ traits: ['hollow', 'round'] })).standIn).toMatchObject({
      kind: 'cylinder',
      hollow: { wallMm: 10, depthMm: 50 },
    })
    expect(planFor(brief({ traits: ['hollow', 'slab'] })).standIn).toMatchObject({
      kind: 'box',
      hollow: { wallMm: 10, depthMm: 50 },
    })
  })
  test('it always stands, and its stand-in can be built, for any sane brief', () => {
    for (const size of [
      [20, 20, 20],
      [140, 140, 18],
      [900, 300, 200],
      [12, 80, 5],
    ] as const) {
      for (const traits of [[], ['round'], ['slab'], ['hollow'], ['round', 'hollow'], ['slab', 'hollow']] as const) {
        const b = brief({ lengthMm: size[0], widthMm: size[1], heightMm: size[2], detailMm: 1, traits: [...traits] })
        expect(briefProblems(b)).toEqual([])
        const plan = planFor(b)
        expect(checkPlan(plan)).toEqual(plan)
        expect(buildStandIn(plan.standIn, size).indices.length).toBeGreaterThan(0)
      }
    }
  })
  test('a piece that may not be turned gets no turned take, a device of the hand gets strokes', () => {
    expect(
      planFor(
        brief({ permissions: { ...EMPTY_BRIEF.permissions, turn: { allowed: false, by: 'owner', on: '' } } }),
      ).takes.map((t) => t.pose),
    ).toEqual(['upright'])
    expect(planFor(brief({ lengthMm: 900, widthMm: 900, heightMm: 900, detailMm: 6 })).takes[0].kind).toBe('handheld')
  })
})

describe('on paper', () => {
  const plan: Plan = firstPlan()
  const b = brief({
    callipers: [
      {
        name: 'length',
        from: 'one end',
        to: 'the other',
        readingMm: null,
        uncertaintyMm: 0.05,
        instrument: 'calliper',
      },
    ],
  })
  const mesh = buildStandIn({ kind: 'box' }, [80, 60, 40])
  test('a pose is drawn within its frame, with the device’s elevation and distance; another pose is another drawing', () => {
    const svg = poseDrawing(mesh, NEW_TAKE, plan.device)
    expect(svg).toContain('viewBox="0 0 300 170"')
    expect(svg).toContain('35°, 330 mm, 12 views')
    const numbers = [...svg.matchAll(/points="([^"]+)"/g)].flatMap((m) => m[1].split(/[ ,]/).map(Number))
    expect(numbers.length).toBeGreaterThan(300)
    for (let i = 0; i < numbers.length; i += 2) {
      expect(Number.isFinite(numbers[i]) && numbers[i] >= 0 && numbers[i] <= 300).toBe(true)
      expect(numbers[i + 1] >= 0 && numbers[i + 1] <= 150).toBe(true)
    }
    expect(poseDrawing(mesh, { ...NEW_TAKE, pose: 'left' }, plan.device)).not.toBe(svg)
    // Faces turned away are not drawn: a box shows three of its six sides.
    const faces = (svg.match(/stroke-width="0.4"/g) ?? []).length
    expect(faces).toBeGreaterThan(100)
    expect(faces).toBeLessThan(650)
  })
  test('the document holds every step, the callipers, the cautions and the findings, and names the plan’s version', () => {
    const planner = new Planner(mesh, 1500)
    const report = planner.evaluate(plan, b)
    const details = planner.details(plan, b, report, quietContext())
    const sheet = runSheetOf(plan, b, report, details)
    const document = runSheetDocument({
      title: 'Box T1',
      sample: true,
      brief: b,
      plan,
      version: 3,
      sheet,
      drawings: plan.takes.map((t) => poseDrawing(mesh, t, plan.device)),
      findings: planFindings(plan, b, report, details),
    })
    const text = JSON.stringify(document.content)
    for (const s of sheet.steps) expect(text).toContain(s.title)
    for (const c of sheet.cautions) expect(text).toContain(c.text.slice(0, 40))
    expect(text).toContain('one end')
    expect(text).toContain('________')
    expect(text).toContain('Sample data')
    expect((text.match(/<svg/g) ?? []).length).toBe(plan.takes.length)
    expect(document.pageSize).toBe('A4')
    expect(JSON.stringify((document.footer as (p: number, n: number) => unknown)(1, 4))).toContain(
      'plan version 3, page 1 of 4',
    )
  })
})

describe('the route with brief and plan', () => {
  const state = (over: Partial<PieceState>): PieceState => emptyState('Tile', over)
  const written = <T>(content: T, outlook: NonNullable<PieceState['plan']>['outlook'] = null) => ({
    content,
    outlook,
    stepId: 1,
    revision: 0,
    version: 1,
  })
  test('the brief comes first, then the plan, then what the plan found, then the take', () => {
    const withBrief = { brief: written(EMPTY_BRIEF) }
    expect(nextMove(state({}))).toMatchObject({ station: 'brief', move: 'Write the brief' })
    expect(nextMove(state(withBrief))).toMatchObject({ station: 'plan', move: 'Plan the session' })
    const plan = (verdict: 'sound' | 'unsound') => ({
      ...withBrief,
      plan: written(firstPlan(), { verdict, figure: '93 % seen, 1 slide', text: 'They can slide.' }),
    })
    expect(nextMove(state(plan('unsound')))).toMatchObject({ station: 'plan', text: 'They can slide.' })
    expect(nextMove(state(plan('sound')))).toMatchObject({ station: 'take' })
    expect(stops(state(plan('unsound'))).slice(0, 2)).toEqual([
      { station: 'brief', verdict: 'sound', figure: '1 mm' },
      { station: 'plan', verdict: 'unsound', figure: '93 % seen, 1 slide' },
    ])
  })
  test('what blocks makes the brief doubtful; a plan that was not worked out is doubtful', () => {
    const metal = brief({
      zones: [{ name: 'brass', material: '', sharePercent: 100, finish: 'metal', tone: 'light', contrast: false }],
    })
    expect(stops(state({ brief: written(metal) }))[0].verdict).toBe('doubtful')
    expect(stops(state({ plan: written(firstPlan()) }))[1]).toMatchObject({ verdict: 'doubtful', figure: '2 takes' })
  })
  test('facts for the brief’s checks are read off join and skin; what is stale does not count', () => {
    const step = (operation: string, figures: StepRecord['figures']): StepRecord =>
      emptyStep(operation, { figures, findings: [{ id: 'x', verdict: 'sound', text: '' }] })
    const join = {
      step: step('join.match', { p95Mm: 0.08 }),
      motions: {},
      stale: false,
      accepted: null,
      calledThen: {},
      renamed: [],
      placed: [],
    }
    const mesh = {
      step: step('skin.make', {}),
      shape: {
        hash: 'h',
        kind: 'mesh',
        points: 3,
        faces: 1,
        bounds: { min: [0, 0, 0], max: [118, 66, 39] },
        previewHash: null,
        thumbHash: null,
      },
      stale: false,
      chain: [step('skin.make', { spacingMm: 0.5, invented: 0.02 }), step('mend.health', { closed: true })],
    } as unknown as NonNullable<PieceState['mesh']>
    expect(factsOf(state({}))).toEqual({})
    expect(factsOf(state({ join, mesh }))).toEqual({
      joinP95Mm: 0.08,
      joinVerdict: 'sound',
      skinSpacingMm: 0.5,
      inventedShare: 0.02,
      closed: true,
      bounds: [118, 66, 39],
      coloured: false,
      faces: 1,
      marked: true,
      scaled: false,
    })
    // A skin that was to be closed, and that nobody has looked at, is not said to be.
    const unseen = { ...mesh, chain: [step('skin.make', { spacingMm: 0.5, invented: 0.02, closed: true })] }
    expect(factsOf(state({ join, mesh: unseen })).closed).toBeUndefined()
    expect(
      factsOf(state({ join: { ...join, stale: true, accepted: null, calledThen: {}, renamed: [], placed: [] } })),
    ).toEqual({})
  })
})
