import { expect, test } from '@playwright/test'
import { mkdirSync, mkdtempSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { strToU8, zipSync } from 'fflate'
import sharp from 'sharp'
import { DEVICE_CLASSES, firstPlan } from '@holosoma/core/plan'
import {
  captureTake,
  LAMP_TAKES,
  OIL_LAMP,
  quietContext,
  readGlb,
  TABLETOP_DEVICE,
  writeShape,
  type PointCloud,
  type Shape,
} from '@holosoma/core'
import { choose, newPiece, stages, stageShows } from './helpers'

const bytesOf = (shape: Shape, format: 'ply' | 'xyz'): Buffer => Buffer.concat([...writeShape(shape, format)])

test('a session on the banded jug: meters tell what is wrong and it is put right, two exposures, rules of the bench, a retake kept in the ledger', async ({
  page,
}) => {
  await page.goto('/')
  await page.getByRole('link', { name: 'Banded jug' }).click()
  await page.getByRole('navigation', { name: 'Route' }).getByRole('button', { name: /^Take/ }).click()
  const bench = page.getByTestId('bench')
  const meters = page.getByTestId('meters')
  // One exposure cannot hold pale and dark glaze, and the jug stands too near.
  await expect(meters).toContainText(/\d+ mm too near.*move back \d+ mm/, { timeout: 60_000 })
  await expect(meters).toContainText('too dark on “dark bands”')
  // Quick clicks add up, whatever the meters above or below say meanwhile.
  const distance = bench.getByRole('group', { name: 'Distance' })
  const before = parseFloat((await distance.getByText(/^\d+ mm$/).textContent())!)
  const farther = page.getByRole('button', { name: '5 mm farther' })
  for (let i = 1; i <= 7; i++) await farther.click()
  await expect(distance).toContainText(`${before + 35} mm`)
  await expect(meters).not.toContainText('too near', { timeout: 30_000 })
  // The brighter exposure has the dark bands and loses the pale glaze.
  await choose(bench.getByLabel('Exposure'), /^2 of/)
  await expect(meters).toContainText(/clipped on “pale glaze”/, { timeout: 30_000 })
  // The rules: an empty bench is known until device or table are moved; a turned piece does not matter.
  await page.getByText(/^Session: /).click()
  await expect(page.getByText(/due for calibration: it has not been calibrated/)).toBeVisible()
  await page.getByRole('button', { name: 'Calibrate, near' }).click()
  await expect(page.getByRole('status').getByText(/Board seen 15 times in near mode/)).toBeVisible()
  await expect(page.getByText(/due for calibration/)).toHaveCount(0)
  await page.getByRole('button', { name: 'Take the empty bench', exact: true }).click()
  await expect(page.getByTestId('session-log')).toContainText('empty bench taken')
  await page.getByRole('button', { name: 'Piece turned' }).click()
  await expect(page.getByTestId('session-log')).toContainText('piece turned')
  await expect(page.getByText(/The empty bench must be taken again/)).toHaveCount(0)
  await page.getByRole('button', { name: 'Table moved' }).click()
  await expect(page.getByText('The empty bench must be taken again: the table was moved.')).toBeVisible()
  await page.getByRole('button', { name: 'Take the empty bench', exact: true }).click()
  await expect(page.getByText(/The empty bench must be taken again/)).toHaveCount(0)
  // A take in two exposures, then once more: the old one stays in the ledger.
  await bench.getByRole('button', { name: 'Take “upright”' }).click()
  await expect(page.getByText(/“upright”: [\d,]+ points from 12 frames, table taken away\./)).toBeVisible({
    timeout: 120_000,
  })
  await stageShows(stages(page).first(), /take/)
  await page.getByText(/^Frames of “upright”: 12/).click()
  const frames = page.getByTestId('frames')
  await expect(frames.locator('tbody tr')).toHaveCount(12)
  // Put in order by a column: the most first, then the fewest, then as they came.
  const points = async (): Promise<number[]> =>
    (await frames.locator('tbody tr td:nth-child(2)').allInnerTexts()).map((t) => Number(t.replaceAll(',', '')))
  const asTaken = await points()
  const column = frames.getByRole('columnheader', { name: 'on the piece' })
  for (const [order, expected] of [
    ['descending', asTaken.toSorted((a, b) => b - a)],
    ['ascending', asTaken.toSorted((a, b) => a - b)],
  ] as const) {
    await column.getByRole('button').click()
    await expect(column).toHaveAttribute('aria-sort', order)
    expect(await points()).toEqual(expected)
  }
  await column.getByRole('button').click()
  expect(await points()).toEqual(asTaken)
  await bench.getByRole('button', { name: 'Take “upright” again' }).click()
  await expect(page.getByTestId('session-log').getByText(/“upright”/)).toHaveCount(2, { timeout: 30_000 })
  await page.getByRole('tab', { name: /Ledger/ }).click()
  await expect(page.getByText(/Took “upright” at the simulated bench/)).toHaveCount(2, { timeout: 120_000 })
  await expect(page.getByTestId('take')).toHaveCount(1)
  // The log outlives a reload.
  await page.reload()
  await page.getByText(/^Session: /).click()
  await expect(page.getByTestId('session-log')).toContainText('calibrated near')
})

test(
  'the camera phone sleeps: missing photos are told with their angles, and only they are taken again; a take waits, goes on, and ends with what it has',
  { tag: '@night' },
  async ({ page }) => {
    await page.goto('/')
    await page.getByRole('link', { name: 'Banded jug' }).click()
    await page.getByRole('navigation', { name: 'Route' }).getByRole('button', { name: /^Take/ }).click()
    await choose(page.getByTestId('bench').getByRole('combobox').first(), /^2 /)
    await page.getByText(/^Photos of “upside down”: 0/).click()
    const photos = page.getByTestId('photos')
    await choose(photos.getByLabel('One every'), '20°')
    await choose(photos.getByLabel('each'), '12 s')
    await expect(photos).toContainText('18 photos in 3:36; left alone the phone sleeps after 2:00.')
    await photos.getByRole('button', { name: 'Take 18 photos' }).click()
    await expect(page.getByText(/^Photos of “upside down”: 10 of 18/)).toBeVisible({ timeout: 120_000 })
    await expect(photos).toContainText('8 of 18 photos are missing: 200° to 340°.')
    await expect(page.getByTestId('finding')).toContainText(
      '8 of 18 photos of “upside down” are missing, from 200° to 340°: the phone went to sleep.',
    )
    await photos.getByLabel('phone kept awake').click()
    await expect(photos.getByLabel('phone kept awake')).toBeChecked()
    await expect(photos).not.toContainText('left alone')
    await photos.getByRole('button', { name: 'Take the missing 8' }).click()
    await expect(photos).toContainText('All 18 photos of “upside down” are there.', { timeout: 120_000 })
    await expect(photos.getByRole('listitem')).toHaveCount(18)
    await photos.getByRole('button', { name: 'Photo upside down-010.jpg' }).click()
    const large = page.getByRole('dialog')
    await expect(large).toContainText(/640 × 477, \d+ KiB; Holosoma bench phone, 6.9 mm/)
    await expect.poll(() => large.getByRole('img').evaluate((i) => (i as HTMLImageElement).naturalWidth)).toBe(640)
    await page.keyboard.press('Escape')
    await expect(large).toHaveCount(0)
    // Photos as files: one that is none is named, the other is kept.
    await page.getByTestId('files').setInputFiles([
      {
        name: 'own.png',
        mimeType: 'image/png',
        buffer: Buffer.from(
          'iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNk+M9QDwADhgGAWjR9awAAAABJRU5ErkJggg==',
          'base64',
        ),
      },
      { name: 'none.jpg', mimeType: 'image/jpeg', buffer: Buffer.from('no photo') },
    ])
    await expect(page.getByTestId('finding')).toContainText(
      '“none.jpg” is no photo that can be read; JPEG and PNG are.',
      { timeout: 60_000 },
    )
    // A take that waits while somebody looks, then ends with the frames it has.
    await page
      .getByTestId('bench')
      .getByRole('button', { name: /^Take “upside down”/ })
      .click()
    await page.getByRole('button', { name: 'Pause the take' }).click()
    await expect(page.getByTestId('busy')).toContainText('Paused:', { timeout: 30_000 })
    await page.getByRole('button', { name: 'Go on with the take' }).click()
    await page.getByRole('button', { name: 'End the take with the frames it has' }).click()
    await expect(page.getByTestId('busy')).toHaveCount(0, { timeout: 120_000 })
    await expect(page.getByTestId('take').filter({ hasText: 'upside do' })).toContainText('points')
  },
)

test(
  'frames that slipped on a hasty table are found, matched, and the take is one surface again; two takes become one and part again',
  { tag: '@night' },
  async ({ page }) => {
    await page.goto('/')
    await page.getByRole('link', { name: 'Gull figurehead' }).click()
    await page.waitForURL(/\/pieces\/\d+/)
    const plan = firstPlan(DEVICE_CLASSES[1], { kind: 'ellipsoid' })
    const hasty = { ...plan.takes[0], distanceMm: 400, secondsPerTurn: 3 }
    const content = { ...plan, takes: [hasty, { ...hasty, name: 'low', elevationDeg: 12, secondsPerTurn: 90 }] }
    expect(
      (
        await page.request.put(`/api/pieces/${/\/pieces\/(\d+)/.exec(page.url())![1]}/plan`, { data: { content } })
      ).ok(),
    ).toBe(true)
    await page.reload()
    await page.getByRole('navigation', { name: 'Route' }).getByRole('button', { name: /^Take/ }).click()
    await page.getByTestId('bench').getByRole('button', { name: 'Take “upright”' }).click()
    const finding = page.getByTestId('finding')
    await expect(finding).toContainText('The table turned too fast: frames slipped against each other', {
      timeout: 120_000,
    })
    await expect(finding).toContainText(/Surfaces stand double on \d+ % of what is taken/)
    await page.getByText(/^Frames of “upright”: 24/).click()
    const tools = page.getByTestId('frame-tools')
    await tools.getByRole('button', { name: 'Match the frames of “upright”' }).click()
    await expect(tools).toContainText('The frames lie on one surface.', { timeout: 120_000 })
    await choose(page.getByTestId('bench').getByRole('combobox').first(), /^2 /)
    await page.getByTestId('bench').getByRole('button', { name: 'Take “low”' }).click()
    await expect(page.getByTestId('take')).toHaveCount(2, { timeout: 60_000 })
    await expect(page.getByTestId('take').nth(1)).toContainText('points', { timeout: 120_000 })
    await tools.getByRole('button', { name: 'Make “upright” and “low” one take' }).click()
    await expect(page.getByTestId('take')).toHaveCount(1, { timeout: 120_000 })
    await expect(tools).toContainText(/“upright” goes on with “low”: \d+ % of what it saw was known/)
    await page.keyboard.press('Control+z')
    await expect(page.getByTestId('take')).toHaveCount(2)
  },
)

test('have I got everything? One take of the bobbin is not enough; the proposed next one makes it sound', async ({
  page,
}) => {
  await page.goto('/')
  await page.getByRole('link', { name: 'Net bobbin' }).click()
  await page.waitForURL(/\/pieces\/\d+/)
  // Its plan as it came, whatever was tried on it before.
  const content = firstPlan(DEVICE_CLASSES[1], { kind: 'cylinder' })
  expect(
    (await page.request.put(`/api/pieces/${/\/pieces\/(\d+)/.exec(page.url())![1]}/plan`, { data: { content } })).ok(),
  ).toBe(true)
  await page.reload()
  await page.getByRole('navigation', { name: 'Route' }).getByRole('button', { name: /^Take/ }).click()
  await page.getByTestId('bench').getByRole('button', { name: 'Take “upright”' }).click()
  await expect(page.getByText(/“upright”: [\d,]+ points/)).toBeVisible({ timeout: 120_000 })
  await page.getByRole('button', { name: 'Look for what is missing' }).click()
  const finding = page.getByTestId('finding')
  await expect(finding).toContainText(/Not yet: about \d+ % of what can be seen is missing/, { timeout: 120_000 })
  await expect(finding).toContainText('unsound')
  await expect(finding).toContainText(/on the underside, [\d.]+ cm²: to be seen/)
  await stageShows(stages(page).first(), /missing/)
  await expect(page.getByLabel('Key', { exact: true })).toContainText('could be seen')
  await page.getByRole('button', { name: 'Take “upside down” at the simulated bench' }).click()
  await expect(page.getByTestId('take')).toHaveCount(2, { timeout: 60_000 })
  await expect(page.getByText('Takes have changed since; look again.')).toBeVisible({ timeout: 120_000 })
  await page.getByRole('button', { name: 'Look again for what is missing' }).click()
  await expect(page.getByText(/You have everything that matters/)).toBeVisible({ timeout: 120_000 })
  await expect(finding).toContainText('sound')
  await expect(page.getByRole('navigation', { name: 'Route' }).getByRole('button', { name: /^Take/ })).toContainText(
    /2 takes, \d+ %/,
  )
})

test('a folder of frames with its poses is one take; an archive is several; the same file twice is known; what can’t be read is refused by name', async ({
  page,
}) => {
  const full = captureTake(OIL_LAMP, LAMP_TAKES[0], TABLETOP_DEVICE, 1, quietContext(), {
    spacingMm: 1.2,
    pitchMm: 1.6,
  }).cloud
  const half = (k: number): PointCloud => {
    const keep = Array.from({ length: full.positions.length / 3 }, (_, i) => i).filter((i) => i % 2 === k)
    return {
      kind: 'cloud',
      positions: Float32Array.from(keep.flatMap((i) => Array.from(full.positions.subarray(i * 3, i * 3 + 3)))),
    }
  }
  const folder = join(mkdtempSync(join(tmpdir(), 'frames-')), 'ring')
  mkdirSync(folder)
  writeFileSync(join(folder, 'one.ply'), bytesOf(half(0), 'ply'))
  writeFileSync(join(folder, 'two.xyz'), bytesOf(half(1), 'xyz'))
  writeFileSync(
    join(folder, 'poses.txt'),
    '# frame, motion to the take\none.ply 1 0 0 0 0 1 0 0 0 0 1 0\ntwo.xyz 1 0 0 0 0 1 0 0 0 0 1 0\n',
  )
  writeFileSync(join(folder, 'notes.docx'), 'of no use here')
  await newPiece(page, 'Imported in parts')
  await page.getByTestId('folder').setInputFiles(folder)
  await expect(page.getByTestId('take')).toHaveCount(1, { timeout: 60_000 })
  await expect(page.getByTestId('take').first()).toContainText('ring')
  await page.getByRole('tab', { name: /Ledger/ }).click()
  await expect(
    page.getByText(`Imported 2 frames from ring: ${(full.positions.length / 3).toLocaleString('en')} points`),
  ).toBeVisible({ timeout: 60_000 })
  await page.getByRole('tab', { name: 'Take' }).click()
  const zip = Buffer.from(
    zipSync({
      'set/a.ply': new Uint8Array(bytesOf(half(0), 'ply')),
      'set/b.xyz': new Uint8Array(bytesOf(half(1), 'xyz')),
      'set/readme.md': strToU8('hello'),
    }),
  )
  await page.getByTestId('files').setInputFiles({ name: 'set.zip', mimeType: 'application/zip', buffer: zip })
  await expect(page.getByTestId('take')).toHaveCount(3, { timeout: 60_000 })
  await expect(page.getByText('arriving…')).toHaveCount(0, { timeout: 60_000 })
  const alert = page.locator('[role=alert]').filter({ hasText: '“' })
  await page
    .getByTestId('files')
    .setInputFiles({ name: 'again.ply', mimeType: 'application/octet-stream', buffer: bytesOf(half(0), 'ply') })
  await expect(alert).toContainText('“again.ply” is here already, as “a”; nothing was added.')
  await page.getByTestId('files').setInputFiles({
    name: 'bomb.zip',
    mimeType: 'application/zip',
    buffer: Buffer.from(zipSync({ 'x.ply': new Uint8Array(30_000_000) })),
  })
  await expect(alert).toContainText('such archives are not opened')
  await page
    .getByTestId('files')
    .setInputFiles({ name: 'photo.heic', mimeType: 'image/heic', buffer: Buffer.from('x') })
  await expect(alert).toContainText('“photo.heic” is of no kind that can be read')
  await expect(page.getByTestId('take')).toHaveCount(3)
  // A model with its materials and its picture, dropped together: one take, in colour, and no photo.
  const png = await sharp({ create: { width: 8, height: 8, channels: 3, background: '#b5651d' } })
    .png()
    .toBuffer()
  const of = (name: string, buffer: Buffer) => ({ name, mimeType: 'application/octet-stream', buffer })
  const box = 'v 0 0 0\nv 40 0 0\nv 0 40 0\nv 0 0 40\nvt 0.5 0.5\nusemtl clay\n'
  const faces = 'f 1/1 3/1 2/1\nf 1/1 2/1 4/1\nf 2/1 3/1 4/1\nf 1/1 4/1 3/1\n'
  await page
    .getByTestId('files')
    .setInputFiles([
      of('wedge.obj', Buffer.from(`mtllib wedge.mtl\n${box}${faces}`)),
      of('wedge.mtl', Buffer.from('newmtl clay\nmap_Kd clay.png\n')),
      of('clay.png', png),
    ])
  await expect(page.getByTestId('take')).toHaveCount(4, { timeout: 60_000 })
  await expect(page.getByText('arriving…')).toHaveCount(0, { timeout: 60_000 })
  const id = Number(/\d+/.exec(new URL(page.url()).pathname)![0])
  const state = (await (await page.request.get(`/api/pieces/${id}`)).json()) as {
    takes: { name: string; shape: { hash: string } | null }[]
    photos: unknown[]
  }
  const { shape } = state.takes.find((t) => t.name === 'wedge')!
  const mesh = readGlb(new Uint8Array(await (await page.request.get(`/api/shapes/${shape!.hash}`)).body()))
  expect([...mesh.colours!.subarray(0, 3)]).toEqual([0xb5, 0x65, 0x1d])
  expect(state.photos).toHaveLength(0)
})

test('a device is tested on balls and a flat; heat shows, and the tests make a trend that stays', async ({ page }) => {
  await page.goto('/devices')
  await page.getByRole('button', { name: /^Macro/ }).click()
  const section = page.getByRole('region', { name: 'Acceptance' })
  await section.getByRole('button', { name: 'Test the simulated device' }).click()
  await expect(section.getByTestId('acceptance')).toContainText('Tests kept1')
  await expect(section).toContainText('sound')
  await section.getByLabel('Warmer than at its calibration by').fill('12')
  await section.getByRole('button', { name: 'Test the simulated device' }).click()
  await expect(section).toContainText('unsound')
  await section.getByLabel('Warmer than at its calibration by').fill('warm')
  await section.getByRole('button', { name: 'Test the simulated device' }).click()
  await expect(section.getByRole('alert')).toContainText('in kelvin, as a number')
  await page.reload()
  await page.getByRole('button', { name: /^Macro/ }).click()
  await expect(section.getByTestId('acceptance')).toContainText('Tests kept2')
  await expect(section.getByRole('img', { name: 'Trend of 2 tests, each error as a share of its limit' })).toBeVisible()
})
