import { expect, test } from '@playwright/test'
import { writeShape } from '@holosoma/core'
import { angleBeam, scanOf } from '@holosoma/core/testing/solids'
import { stages, stageShows, watchConsole } from './helpers'

const WAIT = { timeout: 240_000 }

test('edges are looked for, seen on the skin, taken, and undone; the next skin keeps them', async ({ page }) => {
  const errors = watchConsole(page)
  const beam = Buffer.concat([...writeShape(scanOf(angleBeam(20, 8, 24), 30_000, 0.03), 'ply')])
  await page.goto('/')
  await page
    .getByTestId('files')
    .setInputFiles([{ name: 'beam.ply', mimeType: 'application/octet-stream', buffer: beam }])
  await expect(page.getByTestId('take')).toHaveCount(1, WAIT)
  const route = page.getByRole('navigation', { name: 'Route' })
  await route.getByRole('button', { name: /^Skin/ }).click()
  await page.getByLabel('Spacing').fill('0.8')
  await page.getByRole('button', { name: 'Make the skin' }).click()
  const stage = stages(page).first()
  await stageShows(stage, /^mesh/)
  const round = await stage.getAttribute('data-layers')

  await page.getByText('Edges of made things', { exact: true }).click()
  await page.getByRole('button', { name: 'Look for edges' }).click()
  const seen = page.getByTestId('edges-seen')
  // A beam of 24 mm with an L of 20 and 8 mm: six edges along it, one of them inwards, and two outlines of 80 mm.
  await expect(seen).toContainText(/^(29|30)\d mm of edges, (2[2-6]) mm of them inwards, 1[0-2] corners/, WAIT)
  await page.getByRole('button', { name: 'Leave them' }).click()
  await expect(seen).toHaveCount(0)
  expect(await stage.getAttribute('data-layers')).toBe(round)
  await page.getByRole('button', { name: 'Look for edges' }).click()
  await page.getByRole('button', { name: 'Make them sharp' }).click(WAIT)
  await expect(stage).not.toHaveAttribute('data-layers', round!, WAIT)
  await page.getByRole('tab', { name: /Ledger/ }).click()
  await expect(page.getByRole('list', { name: 'Ledger' }).getByText(/Made (29|30)\d mm of edges sharp/)).toBeVisible()

  await page.keyboard.press('Control+z')
  await expect(stage).toHaveAttribute('data-layers', round!, WAIT)
  await page.keyboard.press('Control+Shift+z')
  await expect(stage).not.toHaveAttribute('data-layers', round!, WAIT)
  // What was put in stands as the choice for the next skin.
  await page.getByRole('tab', { name: 'Skin', exact: true }).click()
  await expect(page.getByRole('combobox', { name: 'Edges', exact: true })).toContainText('Kept where points are sure')
  expect(errors).toEqual([])
})

test('a take that faces into the piece makes no skin until it is turned over', async ({ page }) => {
  const errors = watchConsole(page)
  const scan = scanOf(angleBeam(20, 8, 24), 20_000, 0.03)
  const inward = { ...scan, normals: scan.normals!.map((v) => -v) }
  await page.goto('/')
  await page.getByTestId('files').setInputFiles({
    name: 'beam.ply',
    mimeType: 'application/octet-stream',
    buffer: Buffer.concat([...writeShape(inward, 'ply')]),
  })
  await expect(page.getByTestId('take')).toHaveCount(1, WAIT)
  await page.getByRole('navigation', { name: 'Route' }).getByRole('button', { name: /^Skin/ }).click()
  await page.getByLabel('Spacing').fill('1')
  await page.getByRole('button', { name: 'Make the skin' }).click()
  await expect(page.getByText('“beam” faces into the piece, not out of it').first()).toBeVisible(WAIT)
  await expect(page.getByTestId('result')).toHaveCount(0)
  await page.getByLabel('Turn over takes that face into the piece').check()
  await page.getByRole('button', { name: 'Make the skin' }).click()
  await stageShows(stages(page).first(), /^mesh/)
  await expect(page.getByText('“beam” came facing into the piece, and was turned over for this skin.')).toBeVisible(
    WAIT,
  )
  expect(errors).toEqual([])
})
