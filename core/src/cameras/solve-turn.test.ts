import { beforeAll, describe, expect, test } from 'vitest'
import { ALL_EFFECTS, DEMO_PIECES, polygonise } from '../bench'
import { quietContext } from '../context'
import { photoSet, type SetPhoto } from '../testing/photo-set'
import { apartPx, truePicks } from '../testing/true-picks'
import type { TriangleMesh } from '../shapes'
import { project, STRAIGHT, type Camera } from '../view/camera'
import { cameraFindings } from './camera-findings'
import { ContourFinder } from './contour'
import { solveTurn, type SolvedTurn, type TurnGuess, type UnknownPhoto } from './solve-turn'

const WIDTH = 480
const PHOTOS = 12
const DARK = 7

describe('a turn of the lamp through a real lens, one photo of it black', () => {
  let mesh: TriangleMesh
  let set: SetPhoto[]
  let solved: SolvedTurn
  let guess: TurnGuess
  const unknown = (dark: number): UnknownPhoto[] =>
    set.map(({ name, photo }, i) => ({
      name,
      widthPx: photo.width,
      heightPx: photo.height,
      read: () =>
        Promise.resolve({
          width: photo.width,
          height: photo.height,
          rgb: i === dark ? new Uint8Array(photo.rgb.length) : photo.rgb,
        }),
    }))
  beforeAll(async () => {
    const piece = DEMO_PIECES.lamp
    mesh = polygonise(piece.field, piece.bounds, 1.2, quietContext())
    set = [...photoSet(piece, ['upright'], PHOTOS, WIDTH, 7, ALL_EFFECTS)]
    guess = {
      anglesDeg: set.map((_, i) => (i * 360) / PHOTOS),
      stepsSure: 0.003,
      axis: null,
      picked: 3,
      // A hand that is off by 10 pixels of 4,000.
      picks: truePicks(mesh, set[3].camera, 5, (10 * WIDTH) / 4000, 2),
      // As a camera writes it, in whole millimetres.
      focal: { focalPx: set[3].camera.focalPx * 1.014, sure: 0.02 },
    }
    solved = await solveTurn(mesh, unknown(DARK), guess, quietContext())
  })

  test('every camera is found to well under a pixel of 640', () => {
    const off = solved.photos
      .flatMap((p, i) => (i === DARK ? [] : [(apartPx(mesh, p.camera, set[i].camera) * 640) / WIDTH]))
      .sort((a, b) => a - b)
    expect(off[off.length >> 1]).toBeLessThan(0.6)
    expect(off.at(-1)).toBeLessThan(2)
  })

  test('axis and lens are found though nobody told them', () => {
    expect(Math.abs(solved.turn.axis[2])).toBeGreaterThan(0.9999)
    expect(solved.turn.camera.focalPx / set[3].camera.focalPx).toBeCloseTo(1, 1)
  })

  test('the black photo is named, and no other', () => {
    expect(solved.photos.flatMap((p, i) => (p.bad ? [i] : []))).toEqual([DARK])
    const told = cameraFindings(solved)
    expect(told.find((f) => f.id === 'cameras.bad')?.text).toContain(`“${set[DARK].name}”`)
    expect(told.find((f) => f.id === 'cameras.contours')?.verdict).toBe('sound')
  })

  test('its handle and nozzle tell how far it is turned; of a round piece that is never called sound', () => {
    expect(solved.turnTold).toBeGreaterThan(0.15)
    expect(cameraFindings(solved).map((f) => f.id)).not.toContain('cameras.round')
    const round = cameraFindings({ ...solved, turnTold: 0.02 })
    expect(round.find((f) => f.id === 'cameras.round')?.verdict).toBe('doubtful')
  })

  test('more photos than a turn has are refused before any is read', async () => {
    const photos = Array.from({ length: 400 }, () => unknown(-1)[0])
    await expect(solveTurn(mesh, photos, guess, quietContext())).rejects.toThrow(/up to 360 photos; these are 400/)
  })

  test('what makes no sense is refused in a sentence', async () => {
    const photos = unknown(-1)
    const other = photos.map((p, i) => (i === 5 ? { ...p, widthPx: p.heightPx, heightPx: p.widthPx } : p))
    await expect(solveTurn(mesh, other, guess, quietContext())).rejects.toThrow(/of one camera that was held alike/)
    const mirrored = { ...guess, picks: guess.picks.map((p) => ({ ...p, px: [WIDTH - p.px[0], p.px[1]] as const })) }
    await expect(solveTurn(mesh, photos, mirrored, quietContext())).rejects.toThrow(/mirror image of the piece/)
    let asked = 0
    const stopped = { ...quietContext(), cancelled: () => asked++ > 3 }
    await expect(solveTurn(mesh, photos, guess, stopped)).rejects.toMatchObject({ code: 'CANCELLED' })
  })

  test('photos that show nothing at all are not placed', async () => {
    const photos = unknown(-1).map((p) => ({
      ...p,
      read: () => Promise.resolve({ width: WIDTH, height: p.heightPx, rgb: new Uint8Array(WIDTH * p.heightPx * 3) }),
    }))
    await expect(solveTurn(mesh, photos, guess, quietContext())).rejects.toThrow(/No way of turning shows the piece/)
  })
})

test('the contour of a ball is the circle a cone round it touches', () => {
  // A ball of radius R at distance d has its contour at f·R/√(d² − R²) from its middle (elementary geometry).
  const [R, d, f] = [30, 200, 700]
  const side = R + 3
  const ball = polygonise(
    (x, y, z) => Math.hypot(x, y, z) - R,
    { min: [-side, -side, -side], max: [side, side, side] },
    1,
    quietContext(),
  )
  const camera: Camera = {
    widthPx: 640,
    heightPx: 480,
    focalPx: f,
    principalPx: [320, 240],
    distortion: STRAIGHT,
    motion: Float64Array.of(1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, d, 0, 0, 0, 1),
  }
  const contour = new ContourFinder(ball).find(camera)
  expect(contour.count).toBeGreaterThan(300)
  const shown = new Float64Array(3)
  const radii: number[] = []
  const along: number[] = []
  for (let i = 0; i < contour.count; i++) {
    project(camera, contour.at[i * 3], contour.at[i * 3 + 1], contour.at[i * 3 + 2], shown)
    const [u, v] = [shown[0] - 320, shown[1] - 240]
    radii.push(Math.hypot(u, v) - (f * R) / Math.sqrt(d * d - R * R))
    along.push((u * contour.outward[i * 2] + v * contour.outward[i * 2 + 1]) / Math.hypot(u, v))
    expect(contour.outer[i]).toBe(1)
  }
  radii.sort((a, b) => a - b)
  along.sort((a, b) => a - b)
  // Here and there an edge runs across.
  expect(along[Math.floor(along.length / 20)]).toBeGreaterThan(0.9)
  expect(along[0]).toBeGreaterThan(0)
  expect(Math.abs(radii[radii.length >> 1])).toBeLessThan(0.3)
  // Its faces are 3.5 pixels large.
  expect(Math.max(-radii[0], radii.at(-1)!)).toBeLessThan(2)
})
