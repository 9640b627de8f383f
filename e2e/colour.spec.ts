import { readFile } from 'node:fs/promises'
import { expect, test } from '@playwright/test'
import { bytesSource, readShape, type TriangleMesh } from '@holosoma/core'
import sharp from 'sharp'
import { choose, inLedger, openExample, stages, stageShows, watchConsole } from './helpers'

const WAIT = { timeout: 240_000 }

test('photos of a turn become a picture on the skin: what none shows is marked, one turn is told as a doubt; it leaves as GLB, and is undone', async ({
  page,
}) => {
  const errors = watchConsole(page)
  await openExample(page, 'Colour')
  await expect(page.getByText('There are none yet that can be laid on it.')).toBeVisible()
  await expect(page.getByRole('button', { name: 'Colour it from 0 photos' })).toBeDisabled()
  await page.getByText(/^Photos: 0 of 0/).click()
  await page.getByRole('button', { name: 'Take photos at Take' }).click()
  const photos = page.getByTestId('photos')
  await page.getByText(/^Photos of “/).click()
  const awake = photos.getByLabel('phone kept awake')
  if (!(await awake.isChecked())) await awake.click()
  await choose(photos.getByLabel('One every'), '30°')
  await photos.getByRole('button', { name: 'Take 12 photos' }).click()
  await expect(photos).toContainText('All 12 photos of “upright” are there.', WAIT)

  await page
    .getByRole('navigation', { name: 'Route' })
    .getByRole('button', { name: /^Colour/ })
    .click()
  const stage = stages(page).first()
  await stageShows(stage, /^mesh/)
  await page.getByText('How fine', { exact: true }).click()
  await choose(page.getByLabel('Texels', { exact: false }).first(), '150 an inch')
  await page.getByRole('button', { name: 'Colour it from 12 photos' }).click()
  const findings = page.getByTestId('finding')
  await expect(findings.filter({ hasText: 'light that falls from above cannot be told' })).toBeVisible(WAIT)
  await expect(findings.filter({ hasText: /^.*No photo shows [\d.]+ % of the surface/ })).toBeVisible()
  await expect(page.getByRole('row', { name: /a texel/ })).toContainText('0.17 mm')
  await expect(page.getByRole('row', { name: /photos used/ })).toContainText('of 12')
  // The colour is what is looked at then; what nobody saw can be shown on it.
  await stageShows(stage, /^coloured/)
  await page.getByRole('button', { name: 'Colour seen' }).click()
  await stageShows(stage, /^coloured/)
  await page.getByRole('button', { name: 'Surface' }).click()
  await stageShows(stage, /^mesh/)
  await page.getByRole('tab', { name: /Ledger/ }).click()
  const line = await inLedger(page, /^Coloured from 12 photos: a picture of/)

  await page
    .getByRole('navigation', { name: 'Route' })
    .getByRole('button', { name: /^Release/ })
    .click()
  await page.getByRole('tab', { name: 'Release', exact: true }).click()
  await page.getByLabel('GLB').check()
  const [download] = await Promise.all([
    page.waitForEvent('download'),
    page.getByRole('link', { name: 'Download GLB' }).click(),
  ])
  const glb = (await readShape(bytesSource(await readFile(await download.path())), 'lamp.glb')) as TriangleMesh
  expect(glb.pictures).toHaveLength(1)
  expect(glb.uvs).toHaveLength(glb.indices.length * 2)
  const { width, height, channels } = await sharp(glb.pictures![0].bytes).metadata()
  expect([width, channels]).toEqual([height, 3])
  // Red clay: over the whole picture, red is the strongest and blue the weakest.
  const [r, g, b] = (await sharp(glb.pictures![0].bytes).stats()).channels.map((c) => c.mean)
  expect(r).toBeGreaterThan(g + 10)
  expect(g).toBeGreaterThan(b)

  await page.getByLabel('OBJ').check()
  await expect(page.getByText('With its materials and its picture, as one archive.')).toBeVisible()
  const [archive] = await Promise.all([
    page.waitForEvent('download'),
    page.getByRole('link', { name: 'Download OBJ' }).click(),
  ])
  expect(archive.suggestedFilename()).toBe('HQ-014-b-mm.zip')
  const bytes = await readFile(await archive.path())
  for (const name of ['HQ-014-b-mm.obj', 'HQ-014-b-mm.mtl', 'HQ-014-b-mm-1.png'])
    expect(bytes.includes(name)).toBe(true)

  await page.getByRole('tab', { name: /Ledger/ }).click()
  await page.keyboard.press('Control+z')
  await expect(line).toHaveAttribute('data-active', 'false', WAIT)
  const taken = await inLedger(page, /^Took 12 of 12 photos/)
  await page.keyboard.press('Control+z')
  await expect(taken).toHaveAttribute('data-active', 'false', WAIT)
  expect(errors).toEqual([])
})
