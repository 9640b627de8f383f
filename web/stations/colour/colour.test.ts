import { describe, expect, test } from 'vitest'
import { cameraOf, project } from '@holosoma/core/colour'
import { motionRows, rotationMotion, transformPoint, type Motion } from '@holosoma/core/linear'
import type { PhotoRecord, PieceState, StepRecord, TakeState } from '@holosoma/engine'
import { emptyResult, emptyState, emptyStep } from '@/lib/empty-state'
import { judge } from '../road'
import { knownPhotos } from './known-photos'
import { colourRules } from './requests'
import { mendedSince } from './told'

const shape = {
  hash: 'h',
  kind: 'cloud' as const,
  points: 9,
  faces: 0,
  bounds: null,
  previewHash: null,
  thumbHash: null,
}
const take = (id: number, name: string): TakeState =>
  ({ id, name, pose: '', ordinal: id, inJoin: true, inSkin: true, shape, stepId: id }) as TakeState
const pose = rotationMotion([0.2, 1, 0.1], 0.8, [40, -300, 90])
const photo = (id: number, name: string, over: Partial<PhotoRecord['camera']> = {}): PhotoRecord =>
  ({
    id,
    takeId: null,
    pose: name,
    name: `${name}-${id}.jpg`,
    sha256: `${id}`.padStart(64, '0'),
    width: 640,
    height: 480,
    bytes: 1,
    nth: id,
    tableDeg: id * 15,
    camera: { pose: motionRows(pose), lens: { focalPx: 450, distortion: [0, 0, 0, 0, 0] }, ...over },
  }) as PhotoRecord
let id = 0
const step = (operation: string, over: Partial<StepRecord> = {}): StepRecord =>
  emptyStep(operation, { id: ++id, track: 'result:1', ...over })
const SIDE = rotationMotion([1, 0, 0], 1.2, [5, 6, 7])
function piece(
  photos: readonly PhotoRecord[],
  chain: readonly StepRecord[],
  over: Partial<PieceState> = {},
): PieceState {
  const steps = [step('skin.make', { params: { names: ['upright', 'side'], up: null } }), ...chain]
  return emptyState('Lamp', {
    takes: [take(1, 'upright'), take(2, 'side')],
    goesIn: [1, 2],
    photos,
    steps,
    activeSteps: steps.map((s) => s.id),
    mesh: emptyResult(steps, { shape: { ...shape, kind: 'mesh' }, stale: false }),
    join: {
      step: step('join.match'),
      motions: { upright: motionRows(rotationMotion([0, 0, 1], 0)), side: motionRows(SIDE) },
      calledThen: {},
      renamed: [],
      placed: [],
      stale: false,
      accepted: null,
    },
    ...over,
  })
}

describe('photos are laid on the skin by where they were taken', () => {
  /** Where a photo's camera says a point of the take appears, and where its laid camera says the same of the skin's. */
  const places = (s: PieceState, toSkin: Motion, scale: number): [number[], number[]] => {
    const at = transformPoint(pose, 20, -10, 260)
    const [{ camera }] = knownPhotos(s).known
    const inSkin = transformPoint(toSkin, ...at).map((v) => v * scale) as [number, number, number]
    const out = new Float64Array(3)
    project(cameraOf(camera), ...inSkin, out)
    return [
      [320 + (450 * 20) / 260, 240 - (450 * 10) / 260],
      [out[0], out[1]],
    ]
  }
  test('through the join of its take', () => {
    const [taken, laid] = places(piece([photo(1, 'side')], []), SIDE, 1)
    expect(laid).toEqual(taken.map((v) => expect.closeTo(v, 6)))
  })
  test('on a skin that was made larger since, as far from it as it grew', () => {
    const scaled = step('size.scale', { figures: { factor: 1.25 } })
    const [taken, laid] = places(piece([photo(1, 'side')], [scaled]), SIDE, 1.25)
    expect(laid).toEqual(taken.map((v) => expect.closeTo(v, 6)))
  })
  test('those of which something is not known are counted by their take, with the reason', () => {
    const s = piece(
      [
        photo(1, 'upright'),
        photo(2, 'upright', { pose: null }),
        photo(3, 'elsewhere'),
        photo(4, 'side', { lens: undefined }),
      ],
      [],
    )
    expect(knownPhotos(s).known.map((k) => k.photo.id)).toEqual([1])
    expect(knownPhotos(s).takes).toEqual([
      { name: 'upright', known: 1, why: 'nobody knows where the camera stood' },
      { name: 'elsewhere', known: 0, why: 'its take is in no join that stands' },
      { name: 'side', known: 0, why: 'the lens is not known; take them again at this bench' },
    ])
  })
  test('asked without any that can be laid on it, it is refused with the reason', () => {
    const refuse = (s: PieceState): string | null =>
      colourRules['colour.bake'].refuse!(s, { ready: [], takes: [] }, { operation: 'colour.bake', params: {} })
    expect(refuse(piece([], []))).toContain('no photos of the piece yet')
    expect(refuse(piece([photo(1, 'elsewhere')], []))).toContain('its take is in no join that stands')
    expect(refuse(piece([photo(1, 'side')], []))).toBeNull()
    expect(refuse({ ...piece([photo(1, 'side')], []), mesh: null })).toBe('There is no skin yet.')
  })
})

describe('what Colour says', () => {
  const baked = (): StepRecord =>
    step('colour.bake', {
      figures: { seen: 0.99, invented: 0.01 },
      findings: [{ id: 'colour.unseen', verdict: 'sound', text: 'Photos show 99.0 % of the surface.' }],
    })
  test('nothing before anything was coloured; then what the photos told', () => {
    expect(judge(piece([], []), 'colour')).toMatchObject({ verdict: null, findings: [] })
    expect(judge(piece([], [baked()]), 'colour').findings[0].text).toContain('99.0 %')
  })
  test('mended since, it is doubtful until it is coloured again; looking at its health changes nothing', () => {
    const healed = step('mend.heal')
    const own = (chain: StepRecord[]) =>
      judge(piece([], chain), 'colour').findings.filter((f) => f.id.startsWith('colour.'))
    expect(own([baked(), step('mend.health')]).map((f) => f.verdict)).toEqual(['sound'])
    expect(own([baked(), healed]).map((f) => f.verdict)).toEqual(['sound', 'doubtful'])
    expect(own([baked(), healed])[1].text).toContain('changed once since')
    expect(own([baked(), healed, baked()]).map((f) => f.verdict)).toEqual(['sound'])
    expect(mendedSince([baked(), step('size.scale')])).toEqual([])
  })
})
