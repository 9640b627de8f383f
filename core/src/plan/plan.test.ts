import { describe, expect, test } from 'vitest'
import { EMPTY_BRIEF, type Brief, type Zone } from '../brief/brief'
import { writeShape } from '../formats'
import { checkHealth, massProperties } from '../mesh/health'
import { quietContext } from '../context'
import { stlBytes } from '../fuse/predict'
import { pointsAt, rootSumSquare, takeFrames, timelineOf, toleranceBudget } from './budget'
import {
  arcPerFrameMm,
  checkDevice,
  devicesFromJson,
  devicesToJson,
  framesPerTurn,
  pitchMm,
  rangeNoiseMm,
  shotsPerTurn,
  spacingAtMm,
  windowAtMm,
  type DeviceProfile,
} from './device-profile'
import { DEVICE_CLASSES } from './devices'
import { NO_DOTS } from './dots'
import { decideCoat, planExposures } from './exposure'
import { cornerNormals, cutFacets } from './facets'
import { depthOfFieldMm, dotsPerInch, groundSampleMm, hyperfocalMm, PHONE, planPhotos } from './photos'
import { checkPlan, firstPlan } from './plan'
import { centreOfMass, convexHull, stabilityOf } from './stability'
import { buildStandIn, type Size, type StandIn } from './stand-in'
import { adviseDevices, suitabilityOf } from './suitability'
import { NEW_TAKE } from './takes'

const device = (over: Partial<DeviceProfile>): DeviceProfile => ({ ...DEVICE_CLASSES[1], ...over })

describe('stand-ins', () => {
  const ngon = (72 / (2 * Math.PI)) * Math.sin((2 * Math.PI) / 72)
  test.each<[string, StandIn, Size, number]>([
    ['box', { kind: 'box' }, [30, 20, 10], 6000],
    ['hollow box', { kind: 'box', hollow: { wallMm: 5, depthMm: 40 } }, [100, 80, 60], 100 * 80 * 60 - 90 * 70 * 40],
    ['cylinder', { kind: 'cylinder' }, [50, 50, 100], Math.PI * 625 * 100 * ngon],
    [
      'hollow cylinder',
      { kind: 'cylinder', hollow: { wallMm: 5, depthMm: 60 } },
      [50, 50, 100],
      Math.PI * ngon * (625 * 100 - 400 * 60),
    ],
    [
      'cone stump, πh(R² + Rr + r²)/3',
      {
        kind: 'lathe',
        profile: [
          [20, 0],
          [10, 30],
        ],
      },
      [40, 40, 30],
      Math.PI * 10 * (400 + 200 + 100) * ngon,
    ],
    [
      'outline with a notch',
      {
        kind: 'extrusion',
        outline: [
          [0, 0],
          [4, 0],
          [4, 1],
          [1, 1],
          [1, 4],
          [0, 4],
        ],
      },
      [40, 40, 10],
      700 * 10,
    ],
    [
      'clockwise outline',
      {
        kind: 'extrusion',
        outline: [
          [0, 4],
          [1, 4],
          [1, 1],
          [4, 1],
          [4, 0],
          [0, 0],
        ],
      },
      [40, 40, 10],
      700 * 10,
    ],
    [
      'lathe listed from the top',
      {
        kind: 'lathe',
        profile: [
          [10, 30],
          [20, 0],
        ],
      },
      [40, 40, 30],
      Math.PI * 10 * 700 * ngon,
    ],
  ])('%s: closed, sound, and of its volume', (_name, standIn, size, volume) => {
    const mesh = buildStandIn(standIn, size)
    expect(checkHealth(mesh, quietContext())).toMatchObject({ closed: true, manifold: true, crossings: 0, genus: 0 })
    expect(massProperties(mesh).volumeMm3 / volume).toBeCloseTo(1, 5)
    const box = [0, 1, 2].map((k) => {
      let low = Infinity,
        high = -Infinity
      for (let i = k; i < mesh.positions.length; i += 3) {
        low = Math.min(low, mesh.positions[i])
        high = Math.max(high, mesh.positions[i])
      }
      return high - low
    })
    box.forEach((v, k) => expect(v).toBeCloseTo(size[k], 3))
  })
  test('an ellipsoid has 4/3·πabc, relief lies within its height', () => {
    expect(
      massProperties(buildStandIn({ kind: 'ellipsoid' }, [50, 60, 70])).volumeMm3 / ((4 / 3) * Math.PI * 25 * 30 * 35),
    ).toBeCloseTo(1, 1.7)
    const tile = buildStandIn({ kind: 'box', bevelMm: 2, reliefMm: 3, reliefBelow: true }, [140, 140, 18])
    expect(checkHealth(tile, quietContext())).toMatchObject({ closed: true, manifold: true, crossings: 0 })
  })
  test('an earlier mesh is set down and scaled to the height of the brief', () => {
    const mesh = buildStandIn({ kind: 'cylinder' }, [10, 10, 20])
    const shifted = { ...mesh, positions: mesh.positions.map((v) => v + 7) }
    const set = buildStandIn({ kind: 'mesh', hash: '0'.repeat(64), name: 'a scan' }, [1, 1, 60], shifted)
    expect(massProperties(set).volumeMm3 / massProperties(mesh).volumeMm3).toBeCloseTo(27, 3)
  })
  test.each<[string, StandIn, Size, RegExp]>([
    [
      'crossing profile',
      {
        kind: 'lathe',
        profile: [
          [10, 0],
          [10, 20],
          [20, 10],
          [5, 10],
        ],
      },
      [40, 40, 40],
      /crosses itself: the line after point 1 meets the line after point 3/,
    ],
    [
      'profile on the axis',
      {
        kind: 'lathe',
        profile: [
          [10, 0],
          [0, 10],
          [10, 20],
        ],
      },
      [40, 40, 40],
      /touches the axis between its ends/,
    ],
    [
      'profile without height',
      {
        kind: 'lathe',
        profile: [
          [10, 5],
          [20, 5],
        ],
      },
      [40, 40, 40],
      /no width or no height/,
    ],
    [
      'crossing outline',
      {
        kind: 'extrusion',
        outline: [
          [0, 0],
          [10, 10],
          [10, 0],
          [0, 10],
        ],
      },
      [40, 40, 40],
      /outline crosses itself/,
    ],
    ['hollow too deep', { kind: 'cylinder', hollow: { wallMm: 2, depthMm: 40 } }, [40, 40, 40], /come out below/],
    [
      'wall too thick',
      { kind: 'box', hollow: { wallMm: 20, depthMm: 10 } },
      [40, 40, 40],
      /nothing of the outline is left/,
    ],
    ['bevel too wide', { kind: 'box', bevelMm: 20 }, [40, 40, 40], /more than the box has/],
    ['no size', { kind: 'box' }, [40, 0, 40], /more than 0 mm/],
    ['mesh that is gone', { kind: 'mesh', hash: 'a', name: 'scan' }, [1, 1, 1], /not here any more/],
  ])('%s is refused in a sentence', (_name, standIn, size, message) =>
    expect(() => buildStandIn(standIn, size)).toThrow(message),
  )
  test('facets cover the surface, are of about one size, and know soft from sharp', () => {
    const mesh = buildStandIn({ kind: 'cylinder' }, [50, 50, 100])
    const facets = cutFacets(mesh, 5000)
    expect(facets.areas.reduce((a, b) => a + b, 0)).toBeCloseTo(massProperties(mesh).areaMm2, 3)
    expect(facets.count).toBeLessThan(5000 * 1.4)
    // On the side the smooth normal points away from the axis exactly; at the rim it is not bent by the lid.
    const normals = cornerNormals(mesh, 32)
    for (let c = 0; c < normals.length; c += 3)
      expect(Math.min(Math.abs(normals[c + 2]), 1 - Math.abs(normals[c + 2]))).toBeLessThan(1e-5)
    let worst = 0
    for (let i = 0; i < facets.count; i++)
      if (Math.abs(facets.normals[i * 3 + 2]) < 0.5)
        worst = Math.max(
          worst,
          Math.abs(
            facets.normals[i * 3] * facets.centres[i * 3 + 1] - facets.normals[i * 3 + 1] * facets.centres[i * 3],
          ),
        )
    expect(worst).toBeLessThan(0.05)
  })
})

describe('device profiles', () => {
  test('every class that ships is sound and goes out to a file and back', () =>
    expect(devicesFromJson(devicesToJson(DEVICE_CLASSES))).toEqual(DEVICE_CLASSES))
  test.each<[string, Partial<DeviceProfile>, RegExp]>([
    [
      'depth band outside the stand-off',
      { nearMm: 340 },
      /stand-off \(330 mm\) must lie inside the depth band \(340 to 385 mm\)/,
    ],
    ['spacing wider than the window', { spacingMm: 200 }, /spacing/],
    ['no window', { windowMm: 0 }, /window must be a positive number/],
    ['unknown laser class', { laserClass: '5' as never }, /laserClass/],
    ['smallest over largest', { pieceMinMm: 900 }, /smallest piece \(900 mm\)/],
    ['a field nobody knows', { colour: 'red' } as never, /not allowed/],
  ])('%s is refused', (_n, over, message) => expect(() => checkDevice(device(over))).toThrow(message))
  test.each([
    ['no json', 'hello'],
    ['a list', '[]'],
    ['nothing in it', '{"devices":[]}'],
    ['null', 'null'],
  ])('a file with %s is refused', (_n, text) => expect(() => devicesFromJson(text)).toThrow(/that file/i))
  // Geometry of the pinhole; half the window has four times the density (common practice).
  test('footprint and spacing grow with distance, noise with its square', () => {
    const d = device({})
    expect([windowAtMm(d, 660), spacingAtMm(d, 660), rangeNoiseMm(d, 660)]).toEqual([320, 0.3, 0.12])
    expect(rangeNoiseMm({ ...d, noiseGrowth: 1 }, 660)).toBeCloseTo(0.06, 12)
    expect(pitchMm(500, 2 * Math.atan(0.2), 1000)).toBeCloseTo(0.2, 12)
    expect((1 / spacingAtMm(d, 165)) ** 2 / (1 / spacingAtMm(d, 330)) ** 2).toBeCloseTo(4, 12)
  })
  // Common practice: a turn of 20 to 32 s, or 8 stops of 45° with at least 30 % in common, which asks for 64.3° of arc
  // a shot.
  test('turntable arithmetic', () => {
    expect(arcPerFrameMm(60, 26, 8)).toBeCloseTo((2 * Math.PI * 60) / 208, 12)
    expect(framesPerTurn(device({}), 26)).toBe(208)
    expect([shotsPerTurn(65, 0.3), shotsPerTurn(64, 0.3), shotsPerTurn(90, 0.5), shotsPerTurn(120, 0)]).toEqual([
      8, 9, 8, 3,
    ])
    expect(takeFrames({ ...NEW_TAKE, secondsPerTurn: 26, exposures: 2, sweepDeg: 180 }, device({}))).toBe(208)
  })
})

describe('photos (optics)', () => {
  // A worked figure of the depth-of-field tables: 50 mm at f/8 with a circle of 0.03 mm has its hyperfocal distance at
  // 10.5 m (from memory).
  test('hyperfocal distance', () => expect(hyperfocalMm(50, 8, 0.03)).toBeCloseTo(10466.7, 1))
  test('focused there, all from half of it to infinity is sharp; nearer, the limits are those of the lens equation', () => {
    const h = hyperfocalMm(50, 8, 0.03)
    expect(depthOfFieldMm(50, 8, 0.03, h).near).toBeCloseTo(h / 2, 6)
    expect(depthOfFieldMm(50, 8, 0.03, h).far).toBe(Infinity)
    // By the thin lens itself: a point at the near limit is blurred to the circle of confusion exactly.
    const { near, far } = depthOfFieldMm(50, 8, 0.03, 1000)
    const image = (s: number): number => (50 * s) / (s - 50)
    for (const s of [near, far]) expect((50 / 8) * Math.abs(1 - image(1000) / image(s))).toBeCloseTo(0.03, 9)
  })
  // From memory of photogrammetry primers: 6 µm pixels, 100 mm lens, 1000 m: 6 cm on the ground.
  test('ground sample and dots an inch', () => {
    expect(groundSampleMm(0.006, 1e6, 100)).toBeCloseTo(60, 9)
    // Common practice: 70 to 150 dots an inch on the surface is 0.36 to 0.17 mm a texel.
    expect([dotsPerInch(0.3629), dotsPerInch(0.1693)].map(Math.round)).toEqual([70, 150])
  })
  test('photos of a turn follow the overlap, and count by poses', () => {
    const p = planPhotos(PHONE, 60, 3)
    expect(p.perTurn).toBe(Math.ceil(360 / (120 * 0.3)))
    expect([p.total, p.megabytes]).toEqual([p.perTurn * 3, p.perTurn * 15])
    // Close up little is sharp; a large piece from afar, stopped down, is sharp in its whole depth.
    expect(planPhotos(PHONE, 60, 1).sharp).toBe(false)
    expect(
      planPhotos(
        { ...PHONE, sensorWidthMm: 36, sensorHeightMm: 24, focalMm: 50, fNumber: 22, confusionMm: 0.03 },
        400,
        1,
      ).sharp,
    ).toBe(true)
  })
})

describe('budgets', () => {
  test('points, triangles and STL size at a spacing; half the spacing is four times both (common practice)', () => {
    expect(pointsAt(1000, 0.5)).toBe(4000)
    expect(pointsAt(1000, 0.25) / pointsAt(1000, 0.5)).toBe(4)
    const mesh = buildStandIn({ kind: 'cylinder' }, [50, 50, 100])
    expect([...writeShape(mesh, 'stl')].reduce((n, c) => n + c.length, 0)).toBe(stlBytes(mesh.indices.length / 3))
  })
  // JCGM 100:2008, H.1, end-gauge calibration: 25, 9.7, 2.9 and 16.6 nm combine to 32 nm (from memory of the example).
  test('root sum of squares, and the coverage factor of 2', () => {
    expect(Math.round(rootSumSquare([25, 9.7, 2.9, 16.6]))).toBe(32)
    const coat = { choice: 'none', text: '', thicknessMm: 0, coats: 0 } as const
    const b = toleranceBudget({ ...EMPTY_BRIEF, toleranceMm: 0.3, temperatureC: 30 }, device({}), coat, 0.3, 0.2, 330)
    expect(b.combinedMm ** 2).toBeCloseTo(
      b.terms.reduce((s, t) => s + t.mm ** 2, 0),
      12,
    )
    expect(b.expandedMm).toBe(2 * b.combinedMm)
    expect(b.largest).toBe('joining')
    expect(b.terms.find((t) => t.name === 'temperature')!.mm).toBeCloseTo((100 * 12e-6 * 10) / Math.sqrt(3), 9)
    expect(toleranceBudget(EMPTY_BRIEF, device({}), coat, 0.3, Infinity, 330).expandedMm).toBe(Infinity)
  })
  test('the session: photos before the coat, a coat that has gone is renewed, every slot follows the one before', () => {
    const plan = { ...firstPlan(), coats: 1, coatLifeMinutes: 1, photos: PHONE }
    const line = timelineOf(plan, { choice: 'wanted', text: '', thicknessMm: 0.01, coats: 2 }, planPhotos(PHONE, 60, 2))
    const kinds = line.slots.map((s) => s.kind)
    expect(kinds.lastIndexOf('photos')).toBeLessThan(kinds.indexOf('coat'))
    expect(kinds.filter((k) => k === 'coat')).toHaveLength(2)
    line.slots.forEach((s, i) =>
      expect(s.fromMin).toBeCloseTo(i === 0 ? 0 : line.slots[i - 1].fromMin + line.slots[i - 1].minutes, 9),
    )
    expect(line.minutes).toBeCloseTo(
      line.slots.reduce((n, s) => n + s.minutes, 0),
      9,
    )
  })
})

describe('light', () => {
  const zone = (over: Partial<Zone>): Zone => ({
    name: 'z',
    material: '',
    sharePercent: 50,
    finish: 'matt',
    tone: 'middle',
    contrast: false,
    ...over,
  })
  test('one tone needs one exposure; dark beside pale gloss a series whose steps meet', () => {
    expect(planExposures([zone({})], 12).steps).toHaveLength(1)
    const { steps } = planExposures(
      [zone({ name: 'band', tone: 'pale', finish: 'gloss' }), zone({ name: 'glaze', tone: 'dark' })],
      12,
    )
    expect(steps.length).toBe(3)
    // The series spans the range and no step leaves a gap to the next.
    expect(steps.at(-1)!.gain * 12).toBeCloseTo((0.75 * 5) / (0.04 * 0.5), 6)
    for (let i = 1; i < steps.length; i++) expect(steps[i].gain / steps[i - 1].gain).toBeLessThanOrEqual(12)
    expect(steps[0].zones).toContain('band')
    expect(steps.at(-1)!.zones).toContain('glaze')
  })
  test('metal and glass are not seen without a coat, and all alike with one', () => {
    const zones = [zone({ name: 'brass', finish: 'metal' }), zone({ name: 'glass', finish: 'clear' })]
    expect(planExposures(zones, 12)).toMatchObject({ steps: [], unseen: ['brass', 'glass'] })
    expect(planExposures(zones, 12, true)).toMatchObject({ unseen: [], steps: [{ gain: 1 }] })
  })
  test('a coat needs leave; people are never coated', () => {
    const brief: Brief = { ...EMPTY_BRIEF, zones: [zone({ name: 'brass', finish: 'metal', sharePercent: 100 })] }
    const may = (allowed: boolean | null, by = 'owner', person = false) =>
      decideCoat(
        { ...brief, person, permissions: { ...brief.permissions, coat: { allowed, by, on: '' } } },
        500,
        10,
        240,
      )
    expect([may(null).choice, may(false).choice, may(true, '').choice, may(true, 'owner', true).choice]).toEqual([
      'ask',
      'forbidden',
      'ask',
      'people',
    ])
    expect(may(true)).toMatchObject({ choice: 'wanted', coats: 3, thicknessMm: 0.03 })
    expect(decideCoat(EMPTY_BRIEF, 60, 10, 240).choice).toBe('none')
  })
})

describe('standing and tipping', () => {
  test('centres of mass of known solids: cone at a quarter, half ball at three eighths of its height', () => {
    expect(
      centreOfMass(
        buildStandIn(
          {
            kind: 'lathe',
            profile: [
              [20, 0],
              [0, 40],
            ],
          },
          [40, 40, 40],
        ),
      )[2],
    ).toBeCloseTo(10, 3)
    const half = Array.from({ length: 40 }, (_, i): [number, number] => [
      Math.cos(((i / 39) * Math.PI) / 2),
      Math.sin(((i / 39) * Math.PI) / 2),
    ])
    expect(
      centreOfMass(buildStandIn({ kind: 'lathe', profile: [...half.slice(0, -1), [0, 1]] }, [40, 40, 20]))[2],
    ).toBeCloseTo(7.5, 1)
  })
  test('a block tips at atan(half its width over half its height); on its side it stands firmer', () => {
    const block = buildStandIn({ kind: 'box' }, [20, 30, 80])
    expect(stabilityOf(block, NEW_TAKE).tiltDeg).toBeCloseTo((Math.atan(10 / 40) * 180) / Math.PI, 3)
    expect(stabilityOf(block, { ...NEW_TAKE, pose: 'front' }).tiltDeg).toBeCloseTo(
      (Math.atan(10 / 15) * 180) / Math.PI,
      3,
    )
    expect(stabilityOf(block, { ...NEW_TAKE, pose: 'lean' }).marginMm).toBeLessThan(0)
  })
  test('convex hull', () =>
    expect(
      convexHull([
        [0, 0],
        [2, 0],
        [1, 1],
        [2, 2],
        [0, 2],
        [1, 0.5],
      ]),
    ).toEqual([
      [0, 0],
      [2, 0],
      [2, 2],
      [0, 2],
    ]))
})

describe('which device', () => {
  const brief = (over: Partial<Brief>): Brief => ({ ...EMPTY_BRIEF, ...over })
  const best = (over: Partial<Brief>): string => adviseDevices(brief(over), DEVICE_CLASSES).ranked[0].device.id
  const cube = (mm: number): Partial<Brief> => ({ lengthMm: mm, widthMm: mm, heightMm: mm })
  // Common practice: a coin wants the macro, a figure the table, a large piece the mid window.
  test('the size and the detail decide', () => {
    expect(best({ ...cube(25), detailMm: 0.12, toleranceMm: 0.06 })).toBe('macro-tripod')
    expect(best({ ...cube(110), detailMm: 0.8 })).toBe('tabletop')
    expect(best({ ...cube(500), detailMm: 4, toleranceMm: 1 })).toBe('hand-mid')
  })
  // A raised dot of 0.8 mm is caught at 0.1 mm spacing and lost at 0.5 (common practice).
  test('what is too coarse, too small or too large is said', () => {
    const say = (over: Partial<Brief>, id: string): string =>
      suitabilityOf(
        brief(over),
        DEVICE_CLASSES.find((d) => d.id === id)!,
      )
        .reasons.filter((r) => r.verdict === 'unsound')
        .map((r) => r.text)
        .join(' ')
    expect(say({ detailMm: 0.8 }, 'hand-mid')).toContain('lose detail of 0.8 mm')
    expect(say({ detailMm: 0.8 }, 'hand-laser')).toBe('')
    expect(say(cube(5000), 'tabletop')).toContain('it takes up to 400 mm')
    expect(say(cube(4), 'macro-tripod')).toContain('from 5 mm')
    expect(say({ sun: true, detailMm: 20 }, 'depth-camera')).toContain('Sunlight')
    expect(
      say(
        {
          zones: [{ name: 'brass', material: '', sharePercent: 100, finish: 'metal', tone: 'light', contrast: false }],
        },
        'tabletop',
      ),
    ).toContain('“brass” gives no light back')
    expect(say({ person: true }, 'hand-laser')).toContain('Not for people')
  })
  test('two devices where one does not do: wide first, narrow for the areas; and nothing suitable is an answer', () => {
    const advice = adviseDevices(
      brief({
        ...cube(700),
        detailMm: 0.5,
        toleranceMm: 0.4,
        areas: [{ name: 'stamp', rank: 'must', place: 'whole' }],
      }),
      DEVICE_CLASSES.filter((d) => d.id === 'hand-mid' || d.id === 'hand-small'),
    )
    expect(advice.combination).toMatchObject({ wide: { id: 'hand-mid' }, narrow: { id: 'hand-small' } })
    expect(adviseDevices(brief({ ...cube(4500), detailMm: 1 }), DEVICE_CLASSES).sendOut).toBe(true)
  })
})

describe('a plan as it is kept', () => {
  test('the first plan stands, in every class of device', () => {
    for (const d of DEVICE_CLASSES) expect(checkPlan(firstPlan(d))).toEqual(firstPlan(d))
  })
  test.each<[string, object, RegExp]>([
    [
      'too many takes',
      { takes: Array.from({ length: 41 }, (_, i) => ({ ...NEW_TAKE, name: `take ${i}` })) },
      /more than 40 takes/,
    ],
    ['two of a name', { takes: [NEW_TAKE, NEW_TAKE] }, /same name/],
    ['no distance', { takes: [{ ...NEW_TAKE, distanceMm: 0 }] }, /distance must be a positive number/],
    ['dots closer than they are wide', { dots: { ...NO_DOTS, distanceMm: 4 } }, /one and a half diameters/],
    ['no such hour', { startAt: '25:00' }, /startAt|start/],
  ])('%s is refused', (_n, over, message) => expect(() => checkPlan({ ...firstPlan(), ...over })).toThrow(message))
})
