import { readFileSync } from 'node:fs'
import { createRequire } from 'node:module'
import { dirname, join } from 'node:path'
import sharp from 'sharp'
import { describe, expect, test } from 'vitest'
import { LAMP_TAKES, TABLETOP_DEVICE } from '@holosoma/core'
import { PHONE } from '@holosoma/core/plan'
import { storeBlob } from '../blobs/blobs'
import { computeJob } from '../jobs/compute'
import type { Database } from '../store/database'
import { cancelJob, claimJob, completeJob, heartbeat, holdJob, submitJob, type JobRequest } from '../jobs/jobs'
import { redo, undo } from '../ledger/history'
import { photoPicture } from './photo-store'
import { readPhoto } from '../foreign/photo'
import { PHONE_MODEL, type PhotoJob } from './photos'
import { createTake } from '../pieces/takes'
import { pieceState } from '../pieces/state'
import { onTestPiece } from '../testing/test-piece'

let db: Database
let piece: number
onTestPiece({ name: 'Lamp', number: 'T3', benchPiece: 'lamp' }, (given) => {
  ;({ db, piece } = given)
})

const idle = { progress: () => undefined, cancelled: () => false }
async function run(request: JobRequest): Promise<void> {
  await submitJob(db, piece, 'photos', 'test', request)
  const job = (await claimJob(db, 'test'))!
  await completeJob(db, job, { ...(await computeJob(db, job, idle)), track: 'photos', durationMs: 1 })
}
const photos = async () => (await pieceState(db, piece))!.photos
const phoneJob = (over: Partial<PhotoJob>, phone: Partial<PhotoJob['phone']> = {}): PhotoJob => ({
  kind: 'photos',
  piece: 'lamp',
  take: LAMP_TAKES[0],
  takeId: null,
  device: TABLETOP_DEVICE,
  distanceMm: 190,
  wanted: [0, 1, 2, 3],
  here: [],
  seed: 1,
  at: Date.UTC(2026, 10, 25, 9, 30),
  phone: { camera: PHONE, perTurn: 4, intervalSeconds: 50, elevationDeg: 30, stops: 0, keptAwake: false, ...phone },
  ...over,
})

// The photo and the tags its makers expect come from the registry package exif-parser (test/starfish.jpg,
// test/expected-exif-tags.json).
const sample = join(dirname(createRequire(import.meta.url).resolve('exif-parser/package.json')), 'test')

describe('photos as files', () => {
  test('a real phone’s JPEG: size, model, aperture, exposure and time as its package states them', async () => {
    const tags = JSON.parse(readFileSync(join(sample, 'expected-exif-tags.json'), 'utf8')) as {
      ifdSection: number
      tagType: number
      value: unknown
    }[]
    const stated = (section: number, tag: number): unknown =>
      tags.find((t) => t.ifdSection === section && t.tagType === tag)!.value
    const ratio = (section: number, tag: number): number => {
      const [[a, b]] = stated(section, tag) as [[number, number]]
      return a / b
    }
    const read = await readPhoto(readFileSync(join(sample, 'starfish.jpg')), 'starfish.jpg')
    expect(read.camera).toMatchObject({ model: stated(1, 272), fNumber: ratio(5, 33437), pose: null })
    expect(read.camera.exposureSeconds).toBeCloseTo(ratio(5, 33434), 9)
    expect(read.camera.takenAt).toMatch(/^2013-05-10T/)
    expect(read.width).toBeGreaterThan(100)
  })
  test('PNG without a word about its camera is taken too', async () => {
    const png = await sharp({ create: { width: 20, height: 10, channels: 3, background: 'teal' } })
      .png()
      .toBuffer()
    expect(await readPhoto(png, 'a.png')).toMatchObject({
      width: 20,
      height: 10,
      camera: { model: null, focalMm: null, takenAt: null },
    })
  })
  test.each([
    ['no photo', async () => new TextEncoder().encode('solid x\n'), /“p.jpg” is no photo/],
    [
      'another kind',
      async () =>
        sharp({ create: { width: 8, height: 8, channels: 3, background: 'red' } })
          .webp()
          .toBuffer(),
      /another kind \(webp\)/,
    ],
    [
      'one that breaks off',
      async () => readFileSync(join(sample, 'starfish.jpg')).subarray(0, 200_000),
      /breaks off before its end/,
    ],
    ['nothing', async () => new Uint8Array(0), /“p.jpg” is empty \(0 bytes\)/],
  ])('%s is refused by name', async (_name, bytes, wanted) => {
    await expect(readPhoto(await bytes(), 'p.jpg')).rejects.toThrow(wanted)
  })
  test('several at once are one step; what is no photo is named and the others are kept', async () => {
    const good = await storeBlob(db, [readFileSync(join(sample, 'starfish.jpg'))], 'image/jpeg'),
      bad = await storeBlob(db, [new TextEncoder().encode('no photo')], 'x')
    const take = await createTake(db, piece, 'upright', 'upright')
    await run({
      kind: 'photoImport',
      files: [
        { name: 'starfish.jpg', upload: good.sha256 },
        { name: 'notes.jpg', upload: bad.sha256 },
      ],
      takeId: take.id,
      pose: 'upright',
    })
    const state = (await pieceState(db, piece))!
    expect(state.photos).toMatchObject([{ name: 'starfish.jpg', pose: 'upright', takeId: take.id, nth: null }])
    expect(state.steps.at(-1)!.findings.map((f) => f.text)).toEqual([
      expect.stringMatching(/^1 photo is here; 1 do not say with what lens/),
      expect.stringMatching(/“notes.jpg” is no photo/),
    ])
    await undo(db, piece)
    expect(await photos()).toEqual([])
    await redo(db, piece)
    expect(await photos()).toHaveLength(1)
  })
})

describe('the bench’s camera phone', () => {
  test('sleeps, which is told with angles; only what is missing is taken again; JPEG with EXIF that another package reads', async () => {
    await run(phoneJob({}))
    let step = (await pieceState(db, piece))!.steps.at(-1)!
    expect(step.figures).toMatchObject({ planned: 4, taken: 3, missing: 1 })
    expect(step.findings[0]).toMatchObject({
      verdict: 'unsound',
      text: '1 of 4 photos of “upright” are missing, at 270°: the phone went to sleep. Keep it awake and take only those again.',
    })
    await run(phoneJob({ wanted: [3], here: [0, 1, 2] }))
    step = (await pieceState(db, piece))!.steps.at(-1)!
    expect(step.findings[0]).toMatchObject({ verdict: 'sound', text: 'All 4 photos of “upright” are there.' })
    const list = await photos()
    expect(list.map((p) => p.tableDeg)).toEqual([0, 90, 180, 270])
    const picture = (await photoPicture(db, list[1].id, null))!
    expect(picture.mediaType).toBe('image/jpeg')
    const { default: parser } = await import('exif-parser')
    const exif = parser.create(Buffer.from(picture.bytes)).parse()
    expect(exif.tags).toMatchObject({ Model: PHONE_MODEL, FNumber: 1.8 })
    expect(exif.tags.FocalLength).toBeCloseTo(6.9, 6)
    // 9:30 and one interval of fifty seconds.
    expect(exif.tags.DateTimeOriginal).toBe(Date.UTC(2026, 10, 25, 9, 30, 50) / 1000)
    expect(exif.getImageSize()).toEqual({ width: 640, height: 477 })
    expect(await readPhoto(picture.bytes, 'x.jpg')).toMatchObject({ camera: { model: PHONE_MODEL, focal35Mm: 25 } })
    const small = (await photoPicture(db, list[0].id, 64))!
    expect((await sharp(small.bytes).metadata()).width).toBe(64)
    expect(await photoPicture(db, 99_999, null)).toBeNull()
  })
})

describe('a take that waits or ends early', () => {
  const simulate: JobRequest = {
    kind: 'operation',
    operation: 'take.simulate',
    params: { piece: 'lamp', take: LAMP_TAKES[0], seed: 1, spacingMm: 1.5 },
    inputs: {},
  }
  test('what is asked of it reaches its worker; other jobs know no half', async () => {
    const take = await createTake(db, piece, 'upright', 'upright')
    const id = await submitJob(db, piece, `take:${take.id}`, 'Taking', simulate)
    const job = (await claimJob(db, 'w'))!
    expect(await heartbeat(db, job, 0.1, '', null)).toBe('none')
    expect(await holdJob(db, id, 'pause')).toBe(true)
    expect(await heartbeat(db, job, 0.1, '', null)).toBe('pause')
    await holdJob(db, id, 'stop')
    expect(await heartbeat(db, job, 0.1, '', null)).toBe('stop')
    await cancelJob(db, id)
    expect(await heartbeat(db, job, 0.1, '', null)).toBe('cancel')
    const other = await submitJob(db, piece, 'result:1', 'Skin', {
      kind: 'operation',
      operation: 'skin.make',
      params: {},
      inputs: {},
    })
    await expect(holdJob(db, other, 'pause')).rejects.toThrow('Only a take can wait or end early')
    expect(await holdJob(db, 99_999, 'pause')).toBe(false)
  })
  test('ended early it keeps its frames and says how many there were to be', async () => {
    const take = await createTake(db, piece, 'upright', 'upright')
    await submitJob(db, piece, `take:${take.id}`, 'Taking', simulate)
    const job = (await claimJob(db, 'w'))!
    let asked = 0
    const step = await computeJob(db, job, { ...idle, endEarly: () => ++asked > 4 })
    await completeJob(db, job, { ...step, track: `take:${take.id}`, durationMs: 1 })
    expect(step.figures.frames).toBe(5)
    expect(step.findings.find((f) => f.id === 'take.stopped')!.text).toMatch(/^Ended after 5 of 12 frames/)
    expect((await pieceState(db, piece))!.takes[0].shape!.points).toBeGreaterThan(100)
  })
})

test('a take to which nothing came is begun again under its name; one that stands is not', async () => {
  const first = await createTake(db, piece, 'upright', 'upright')
  const id = await submitJob(db, piece, `take:${first.id}`, 'Taking', {
    kind: 'operation',
    operation: 'take.simulate',
    params: { piece: 'lamp', take: LAMP_TAKES[0], seed: 1, spacingMm: 2 },
    inputs: {},
  })
  // While it is on its way the name is taken.
  expect((await createTake(db, piece, 'upright', 'upright')).name).toBe('upright 2')
  await cancelJob(db, id)
  expect(await createTake(db, piece, 'upright', 'upright')).toEqual(first)
  await submitJob(db, piece, `take:${first.id}`, 'Taking', {
    kind: 'operation',
    operation: 'take.simulate',
    params: { piece: 'lamp', take: LAMP_TAKES[0], seed: 1, spacingMm: 2 },
    inputs: {},
  })
  const job = (await claimJob(db, 'w'))!
  await completeJob(db, job, { ...(await computeJob(db, job, idle)), track: `take:${first.id}`, durationMs: 1 })
  expect((await createTake(db, piece, 'upright', 'upright')).name).toBe('upright 3')
})

test('a take that went on with another holds it: the other comes back when that is undone', async () => {
  const make = async (name: string, index: 0 | 1): Promise<number> => {
    const take = await createTake(db, piece, name, name)
    await submitJob(db, piece, `take:${take.id}`, 'Taking', {
      kind: 'operation',
      operation: 'take.simulate',
      params: { piece: 'lamp', take: LAMP_TAKES[index], seed: 1 + index, spacingMm: 1 },
      inputs: {},
    })
    const job = (await claimJob(db, 'w'))!
    await completeJob(db, job, { ...(await computeJob(db, job, idle)), track: `take:${take.id}`, durationMs: 1 })
    return take.id
  }
  const first = await make('upright', 0)
  await make('side', 1)
  const before = (await pieceState(db, piece))!
  await submitJob(db, piece, `take:${first}`, 'Going on', {
    kind: 'operation',
    operation: 'take.goOn',
    params: { names: ['upright', 'side'], planned: [...LAMP_TAKES] },
    inputs: { takes: before.takes.map((t) => t.shape!.hash) },
  })
  const job = (await claimJob(db, 'w'))!
  await completeJob(db, job, { ...(await computeJob(db, job, idle)), track: `take:${first}`, durationMs: 1 })
  const after = (await pieceState(db, piece))!
  expect(after.takes.map((t) => t.name)).toEqual(['upright'])
  expect(after.takes[0].shape!.points).toBeGreaterThan(before.takes[0].shape!.points)
  await undo(db, piece)
  expect((await pieceState(db, piece))!.takes.map((t) => t.shape!.hash)).toEqual(before.takes.map((t) => t.shape!.hash))
}, 60_000)
