import { beforeAll, describe, expect, test } from 'vitest'
import { EMPTY_BRIEF, type Brief } from '../brief/brief'
import { quietContext } from '../context'
import { seededRandom } from '../linear/random'
import { OIL_LAMP } from '../bench/pieces'
import { polygonise } from '../bench/polygonise'
import { cautionsOf } from './cautions'
import { DEVICE_CLASSES } from './devices'
import { planFindings } from './findings'
import { firstPlan, type Plan } from './plan'
import { Planner, type PlanDetails, type PlanReport } from './planner'
import { runSheetOf } from './run-sheet'
import { buildStandIn, type StandIn } from './stand-in'
import { NEW_TAKE } from './takes'

const FACETS = 5000
const context = quietContext()
interface Case {
  planner: Planner
  plan: Plan
  brief: Brief
  report: PlanReport
  details: PlanDetails
}
function work(planner: Planner, plan: Plan, brief: Brief): Case {
  const report = planner.evaluate(plan, brief)
  return { planner, plan, brief, report, details: planner.details(plan, brief, report, context) }
}
const caseOf = (
  standIn: StandIn,
  size: readonly [number, number, number],
  over: Partial<Brief> = {},
  mesh = buildStandIn(standIn, size),
): Case =>
  work(new Planner(mesh, FACETS), firstPlan(undefined, standIn), {
    ...EMPTY_BRIEF,
    lengthMm: size[0],
    widthMm: size[1],
    heightMm: size[2],
    ...over,
  })
const findings = ({ plan, brief, report, details }: Case): string =>
  planFindings(plan, brief, report, details)
    .map((f) => `${f.verdict}: ${f.text}`)
    .join('\n')

describe('the demo’s traps', () => {
  let tile: Case, bobbin: Case, lamp: Case
  beforeAll(() => {
    tile = caseOf({ kind: 'box', bevelMm: 2, reliefMm: 3, reliefBelow: true }, [140, 140, 18], { traits: ['slab'] })
    bobbin = caseOf(
      {
        kind: 'lathe',
        profile: [
          [20, 0],
          [20, 8],
          [9, 48],
          [20, 88],
          [20, 96],
        ],
      },
      [40, 40, 96],
      { traits: ['round'] },
    )
    const mesh = polygonise(OIL_LAMP.field, OIL_LAMP.bounds, 3.5, context)
    lamp = caseOf({ kind: 'box' }, [118, 66, 40], { traits: ['hollow'] }, mesh)
  }, 300_000)

  test('the stove tile slides through its thickness, and the proposed take cures it', () => {
    expect(tile.report.join.slides.map((s) => s.motion.kind)).toEqual(['translation'])
    expect(Math.abs(tile.report.join.slides[0].motion.axis[2])).toBeGreaterThan(0.999)
    expect(tile.report.join.playMm).toBe(Infinity)
    expect(findings(tile)).toMatch(
      /unsound: “upright” and “upside down” share too plain a surface: they can slide up and down, by up to \d+ mm\. Add “.+” as a keystone take/,
    )
    expect(findings(tile)).toContain('No tolerance can be promised while the takes can slide')
    const { proposal } = tile.details
    expect(proposal).toMatchObject({ freeBefore: 1, freeAfter: 0 })
    const after = work(tile.planner, { ...tile.plan, takes: [...tile.plan.takes, proposal!.take] }, tile.brief)
    expect(after.report.join.slides).toEqual([])
    expect(after.report.join.playMm).toBeLessThan(0.05)
    expect(findings(after)).toMatch(/sound: The takes hold together within 0\.0\d+ mm/)
    expect(after.report.seen.matters).toBeGreaterThan(tile.report.seen.matters)
  })
  test('with a plain underside its rim still fits at quarter turns, and no shape tells which', () => {
    const plain = caseOf({ kind: 'box', bevelMm: 2, reliefMm: 3 }, [140, 140, 18])
    const turns = plain.details.lookAlikes[0].found.map((l) => Math.round(l.turnDeg))
    expect(turns.filter((t) => t === 90)).toHaveLength(2)
    const held = work(
      plain.planner,
      { ...plain.plan, takes: [...plain.plan.takes, plain.details.proposal!.take] },
      plain.brief,
    )
    expect(findings(held)).toMatch(/unsound: .* fit each other in more than one way: turned by 90°/)
  })
  test('the bobbin fits itself at every angle', () => {
    expect(bobbin.details.lookAlikes[0].everyAngleAbout).not.toBeNull()
    expect(findings(bobbin)).toContain('look alike at every angle')
  })
  test('the lamp shows neither trap', () => {
    expect(lamp.report.join.slides).toEqual([])
    expect(lamp.details.lookAlikes.every((l) => l.found.length === 0 && l.everyAngleAbout === null)).toBe(true)
    expect(findings(lamp)).toContain('sound: The takes hold together within 0.00')
  })
  test('which take is listed first changes neither what is free nor the play', () => {
    const turned = tile.planner.evaluate({ ...tile.plan, takes: [...tile.plan.takes].reverse() }, tile.brief)
    expect(turned.join.slides).toHaveLength(1)
    const three = { ...lamp.plan, takes: [...lamp.plan.takes, { ...NEW_TAKE, name: 'low', elevationDeg: 12 }] }
    const a = lamp.planner.evaluate(three, lamp.brief).join.playMm,
      b = lamp.planner.evaluate({ ...three, takes: [...three.takes].reverse() }, lamp.brief).join.playMm
    expect(b / a).toBeGreaterThan(0.5)
    expect(b / a).toBeLessThan(2)
  })
  test('a second take like the first adds nothing and is named', () => {
    const plan = { ...lamp.plan, takes: [...lamp.plan.takes, { ...lamp.plan.takes[0], name: 'upright again' }] }
    expect(work(lamp.planner, plan, lamp.brief).details.idle).toContain(2)
  })
  test('shares add up, per take and in all; what a change leaves alone is not worked out again', () => {
    const { seen } = lamp.report
    expect(seen.shares.well + seen.shares.thinly + seen.shares.open + seen.shares.outOfReach).toBeCloseTo(1, 9)
    expect(Math.max(...seen.perTake)).toBeLessThanOrEqual(seen.shares.well + seen.shares.thinly + 1e-9)
    seen.aloneByTake.forEach((v, i) => expect(v).toBeLessThanOrEqual(seen.perTake[i]))
    const again = lamp.planner.evaluate(lamp.plan, lamp.brief)
    expect(again.seen).toEqual(seen)
    const { angle, shared } = lamp.planner.paint(lamp.plan, lamp.brief)
    for (let i = 0; i < shared.length; i++) expect(angle[i] === 6).toBe(shared[i] === 0)
  })
  test('after a turn it says where to begin: the view that sees most of what is known', () => {
    const [first, second] = lamp.details.restart
    expect(first).toEqual({ atDeg: 0, known: 1 })
    expect(second.known).toBeGreaterThan(0.2)
    expect(tile.details.restart[1].known).toBeLessThan(0.2)
    expect(findings(tile)).toContain('take it apart and join it')
  })

  test('areas weigh: what is left aside does not count, what must hold does', () => {
    const area = (rank: Brief['areas'][number]['rank'], place: Brief['areas'][number]['place'], over = {}): Brief => ({
      ...lamp.brief,
      areas: [{ name: 'a', rank, place, ...over }],
    })
    const upright = { ...lamp.plan, takes: lamp.plan.takes.slice(0, 1) }
    const seen = (b: Brief): number => lamp.planner.evaluate(upright, b).seen.matters
    expect(seen(area('leave', 'underside'))).toBeGreaterThan(seen(lamp.brief))
    expect(
      seen({
        ...lamp.brief,
        areas: [
          { name: 'all', rank: 'leave', place: 'whole' },
          { name: 'under', rank: 'must', place: 'underside' },
        ],
      }),
    ).toBeLessThan(0.2)
    const balls: Pick<Brief['areas'][number], 'strokes'> = { strokes: [[0, 0, 33, 20]] }
    expect(
      seen({
        ...lamp.brief,
        areas: [
          { name: 'all', rank: 'cut', place: 'whole' },
          { name: 'well', rank: 'must', place: 'painted', ...balls },
        ],
      }),
    ).toBeGreaterThan(0.7)
    expect(
      seen({
        ...lamp.brief,
        areas: [
          { name: 'all', rank: 'leave', place: 'whole' },
          { name: 'band', rank: 'must', place: 'band', fromMm: 25, toMm: 40 },
        ],
      }),
    ).toBeGreaterThan(seen(lamp.brief))
  })
  test('findings of the form: no leave and only metal, no turning, putty, too few exposures', () => {
    const metal: Brief = {
      ...lamp.brief,
      zones: [{ name: 'brass', material: '', sharePercent: 100, finish: 'metal', tone: 'light', contrast: false }],
      permissions: {
        ...lamp.brief.permissions,
        coat: { allowed: false, by: 'owner', on: '' },
        turn: { allowed: false, by: 'owner', on: '' },
      },
    }
    const text = findings(
      work(
        lamp.planner,
        { ...lamp.plan, takes: lamp.plan.takes.map((t) => ({ ...t, support: 'plate' as const })) },
        metal,
      ),
    )
    expect(text).toContain('unsound: No zone gives light back')
    expect(text).toContain('may not be turned over, and the plan turns it')
    const none = planFindings(
      { ...lamp.plan, takes: [] },
      lamp.brief,
      lamp.planner.evaluate({ ...lamp.plan, takes: [] }, lamp.brief),
      null,
    )
    expect(none).toMatchObject([{ verdict: 'unsound', text: 'No take is planned yet.' }])
    expect(
      planFindings(lamp.plan, { ...lamp.brief, massG: 6000 }, lamp.report, null)
        .map((f) => f.text)
        .join(),
    ).toContain('weighs 6000 g, the table carries 5000 g')
    const gloss: Brief = {
      ...lamp.brief,
      zones: [
        { name: 'pale', material: '', sharePercent: 50, finish: 'gloss', tone: 'pale', contrast: false },
        { name: 'dark', material: '', sharePercent: 50, finish: 'matt', tone: 'dark', contrast: false },
      ],
    }
    expect(
      planFindings(lamp.plan, gloss, lamp.planner.evaluate(lamp.plan, gloss), null)
        .map((f) => f.text)
        .join(),
    ).toContain('The zones want 3 exposures')
  })
  test('without leave to turn only upright takes are proposed', () => {
    const brief: Brief = {
      ...lamp.brief,
      permissions: { ...lamp.brief.permissions, turn: { allowed: false, by: 'owner', on: '' } },
    }
    const plan = { ...lamp.plan, takes: [{ ...NEW_TAKE, elevationDeg: 70 }] }
    const { proposal } = work(lamp.planner, plan, brief).details
    expect(proposal!.take.pose).toBe('upright')
    expect(proposal!.take.elevationDeg).toBeLessThan(70)
  })
  test('gaps are told by their place and size, and are where nothing looks', () => {
    const one = work(tile.planner, { ...tile.plan, takes: tile.plan.takes.slice(0, 1) }, tile.brief)
    const [largest] = one.details.gaps
    expect(largest.place).toBe('on the underside')
    expect(largest.areaMm2).toBeGreaterThan(0.8 * 136 * 136)
    expect(largest.at[2]).toBeLessThan(4)
    expect(one.details.gaps.reduce((s, g) => s + g.areaMm2, 0)).toBeLessThanOrEqual(
      one.report.seen.openMm2 * (1 + 1e-9),
    )
    expect(findings(one)).toContain('could be seen and is not planned: A on the underside (')
    const upside = work(tile.planner, { ...tile.plan, takes: tile.plan.takes.slice(1) }, tile.brief)
    expect(upside.details.gaps[0].place).toBe('on top')
    // Seen from its right alone, a block lacks the other sides: 60 mm square each.
    const block = caseOf({ kind: 'box' }, [60, 60, 60])
    const right = work(
      block.planner,
      { ...block.plan, takes: [{ ...NEW_TAKE, elevationDeg: 40, steps: 1 }] },
      block.brief,
    )
    expect(right.details.gaps.map((g) => g.place).sort()).toEqual([
      'at the back',
      'at the front',
      'on the left side',
      'on the underside',
    ])
    for (const g of right.details.gaps) expect(g.areaMm2).toBeCloseTo(3600, -1)
  })
  test('what each take sees of each area', () => {
    const brief: Brief = {
      ...tile.brief,
      areas: [
        { name: 'face', rank: 'must', place: 'top' },
        { name: 'back', rank: 'nice', place: 'underside' },
        { name: 'nowhere', rank: 'leave', place: 'painted', strokes: [] },
      ],
    }
    const { areas } = tile.planner.evaluate(tile.plan, brief).seen
    expect(areas[0].perTake[0]).toBeGreaterThan(0.95)
    expect(areas[0].perTake[1]).toBe(0)
    expect(areas[1].perTake[0]).toBe(0)
    expect(areas[1].seen).toBeGreaterThan(0.95)
    expect(areas[2]).toMatchObject({ areaMm2: 0, seen: 0 })
  })
  test('a stop is obeyed', () => {
    const cancelled = { ...quietContext(), cancelled: () => true }
    expect(() => lamp.planner.details(lamp.plan, lamp.brief, lamp.report, cancelled)).toThrow(/Stopped at your request/)
  })

  test('the run sheet: every take with what to set, cautions where they arise, callipers, times in order', () => {
    const brief: Brief = {
      ...lamp.brief,
      callipers: [
        { name: 'length', from: 'spout', to: 'handle', readingMm: null, uncertaintyMm: 0.05, instrument: 'calliper' },
      ],
    }
    const sheet = runSheetOf(lamp.plan, brief, lamp.report, lamp.details)
    expect(sheet.steps.map((s) => s.number)).toEqual(sheet.steps.map((_, i) => i + 1))
    const takes = sheet.steps.filter((s) => s.take !== null)
    expect(takes.map((s) => s.title)).toEqual(['Take “upright”', 'Take “upside down”'])
    expect(takes[0].lines.join(' ')).toContain('Elevation 35°, 330 mm to the middle of the piece (275 to 385 mm)')
    expect(takes[1].lines.join(' ')).toMatch(/Begin at \d+°/)
    expect(sheet.steps.find((s) => s.title === 'Turn the piece')!.caution!.text).toContain('padded surface')
    expect(sheet.steps.some((s) => s.title === 'Callipers')).toBe(true)
    expect(sheet.steps.map((s) => s.at)).toEqual([...sheet.steps.map((s) => s.at)].sort())
    expect(sheet.defer).toContain('come first')
  })
  test('cautions follow the plan', () => {
    const ids = (over: Partial<Plan>, b: Partial<Brief> = {}): string[] =>
      cautionsOf({ ...EMPTY_BRIEF, ...b }, { ...firstPlan(), ...over }).map((c) => c.id)
    expect(ids({})).toEqual(['flicker', 'turn'])
    expect(ids({ device: DEVICE_CLASSES[4], takes: [{ ...NEW_TAKE, kind: 'handheld' }] })).toEqual(['laser', 'drop'])
    expect(ids({ coats: 1 })).toContain('coat')
    expect(ids({}, { person: true })).toContain('people')
  })
})

describe('tracking by shape', () => {
  test('a plain slab loses it, a piece with relief keeps it', () => {
    const hand = (standIn: StandIn, size: readonly [number, number, number]): number => {
      const device = DEVICE_CLASSES[2]
      const brief = { ...EMPTY_BRIEF, lengthMm: size[0], widthMm: size[1], heightMm: size[2] }
      return new Planner(buildStandIn(standIn, size), FACETS).evaluate(
        {
          ...firstPlan(device, standIn),
          takes: [{ ...NEW_TAKE, kind: 'handheld', distanceMm: 240, strokes: 3, elevationDeg: 70 }],
        },
        brief,
      ).tracking[0]!
    }
    expect(hand({ kind: 'box' }, [400, 400, 20])).toBeLessThan(0.5)
    expect(hand({ kind: 'box', reliefMm: 12, bevelMm: 2 }, [150, 150, 40])).toBeGreaterThan(0.9)
  })
})

test('any plan is evaluated without a crash, and its shares stay shares (seeded)', () => {
  const random = seededRandom(11)
  const pick = <T>(list: readonly T[]): T => list[random.integer(list.length)]
  const planner = new Planner(
    buildStandIn(
      {
        kind: 'lathe',
        profile: [
          [20, 0],
          [10, 20],
          [16, 60],
        ],
        hollow: { wallMm: 3, depthMm: 20 },
      },
      [50, 40, 60],
    ),
    1500,
  )
  for (let round = 0; round < 12; round++) {
    const device = pick(DEVICE_CLASSES)
    const takes = Array.from({ length: 1 + random.integer(4) }, (_, i) => ({
      ...NEW_TAKE,
      name: `t${i}`,
      kind: pick(['turntable', 'byHand', 'grip', 'vise', 'arm', 'handheld'] as const),
      pose: pick(['upright', 'inverted', 'left', 'front', 'lean', 'custom'] as const),
      aboutXDeg: random.next() * 360,
      aboutYDeg: random.next() * 180,
      elevationDeg: random.next() * 120 - 40,
      distanceMm: device.standOffMm * (0.7 + 0.6 * random.next()),
      sweepDeg: 30 + random.next() * 330,
      steps: 1 + random.integer(12),
      secondsPerTurn: pick([null, 20]),
      strokes: 1 + random.integer(6),
      support: pick(['plate', 'riser', 'putty'] as const),
      riserMm: random.next() * 20,
      floorMm: pick([null, 5]),
    }))
    const plan = { ...firstPlan(device, { kind: 'box' }), takes }
    const brief = { ...EMPTY_BRIEF, lengthMm: 50, widthMm: 40, heightMm: 60 }
    const report = planner.evaluate(plan, brief)
    for (const v of Object.values(report.seen.shares)) expect(v >= 0 && v <= 1 + 1e-9).toBe(true)
    expect(report.join.playMm >= 0).toBe(true)
    expect(report.join.pairs).toHaveLength((takes.length * (takes.length - 1)) / 2)
    expect(planFindings(plan, brief, report, null).length).toBeGreaterThan(0)
  }
})

test('what takes share is remembered for the takes as they are, not for every place a slider stood', () => {
  const planner = new Planner(buildStandIn({ kind: 'box' }, [60, 40, 30]), 400)
  const plan = firstPlan(undefined, { kind: 'box' })
  const at = (elevationDeg: number): Plan => ({
    ...plan,
    takes: plan.takes.map((t, i) => (i === 0 ? { ...t, elevationDeg } : t)),
  })
  const brief = { ...EMPTY_BRIEF, lengthMm: 60, widthMm: 40, heightMm: 30 }
  const first = planner.evaluate(at(20), brief).join
  for (let e = 20; e < 60; e++) planner.evaluate(at(e), brief)
  expect(planner.problem.remembered).toBeLessThan(7)
  // What was let go comes out the same when it is asked for again.
  expect(planner.evaluate(at(20), brief).join).toEqual(first)
})
