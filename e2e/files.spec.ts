import { readFile } from 'node:fs/promises'
import { expect, test } from '@playwright/test'
import {
  bytesSource,
  captureTake,
  checkHealth,
  LAMP_TAKES,
  OIL_LAMP,
  quietContext,
  readShape,
  TABLETOP_DEVICE,
  writeShape,
  type Shape,
  type TriangleMesh,
} from '@holosoma/core'
import { clickPoint, commonSpots, dropFiles, newPiece, stages, stageShows, watchConsole } from './helpers'

const bytesOf = (shape: Shape, format: 'ply' | 'stl') => Buffer.concat([...writeShape(shape, format)])

test('two files dropped on the shelf become a piece and go the whole road', { tag: '@night' }, async ({ page }) => {
  const errors = watchConsole(page)
  // Coarser than the demo, from a scanner that knows no frames: bare points and normals.
  const files = LAMP_TAKES.map((plan) => {
    const { positions, normals } = captureTake(OIL_LAMP, plan, TABLETOP_DEVICE, 1, quietContext(), {
      spacingMm: 0.6,
      pitchMm: 0.72,
    }).cloud
    return { name: `${plan.name}.ply`, bytes: bytesOf({ kind: 'cloud', positions, normals: normals! }, 'ply') }
  })
  await page.goto('/')
  await dropFiles(page, page.getByRole('button', { name: /Drop scan files here/ }), files)
  await page.waitForURL(/\/pieces\/\d+/)
  await expect(page.getByTestId('take')).toHaveCount(2)
  await expect(page.getByTestId('came')).toContainText('a usual size in millimetres', { timeout: 240_000 })
  await expect(page.getByTestId('not-looked')).toContainText('Nobody has looked yet whether anything is missing')
  await page.getByRole('button', { name: 'Go on to Tidy' }).click({ timeout: 240_000 })
  await page.getByRole('button', { name: 'Tidy both takes' }).click()
  await page.getByRole('button', { name: 'Go on to Join' }).click({ timeout: 240_000 })

  const [left, right] = [stages(page).nth(0), stages(page).nth(1)]
  await stageShows(left, /take/)
  await stageShows(right, /take/)
  // Zoom is shared between the two views.
  const bar = page.getByTestId('scale-bar')
  const before = await bar.nth(1).getAttribute('data-mm')
  await left.focus()
  for (let i = 0; i < 12; i++) await left.press('-')
  await expect(bar.nth(1)).not.toHaveAttribute('data-mm', before!)
  for (let i = 0; i < 12; i++) await left.press('+')
  const spots = await commonSpots(left, right, 4)
  for (const spot of spots.slice(0, 3)) {
    await clickPoint(page, left, spot.a)
    await clickPoint(page, right, spot.b)
  }
  await expect(page.getByText(/Your pairs agree within/)).toBeVisible()
  // A pin taken away and another set.
  await page.getByRole('button', { name: 'Remove pair 2' }).click()
  await expect(page.getByRole('button', { name: 'Match the takes' })).toBeDisabled()
  await clickPoint(page, left, spots[3].a)
  await clickPoint(page, right, spots[3].b)
  await page.getByRole('button', { name: 'Match the takes' }).click()
  await page.getByRole('button', { name: 'Go on to Skin' }).click({ timeout: 240_000 })
  await page.getByLabel('Spacing').fill('1')
  await page.getByRole('button', { name: 'Make the skin' }).click()
  await page.getByRole('button', { name: 'Go on to Mend' }).click({ timeout: 240_000 })
  await page.getByRole('button', { name: 'Check its health' }).click()
  await expect(page.getByTestId('finding')).toContainText('closed and clean', { timeout: 240_000 })
  await page
    .getByRole('navigation', { name: 'Route' })
    .getByRole('button', { name: /^Release/ })
    .click()
  await page.getByLabel('cm').check()
  const [download] = await Promise.all([
    page.waitForEvent('download'),
    page.getByRole('link', { name: 'Download STL' }).click(),
  ])
  const mesh = (await readShape(bytesSource(await readFile(await download.path())), 'x.stl')) as TriangleMesh
  expect(checkHealth(mesh, quietContext())).toMatchObject({
    closed: true,
    manifold: true,
    crossings: 0,
    genus: OIL_LAMP.genus,
  })
  let low = Infinity,
    high = -Infinity
  for (let i = 0; i < mesh.positions.length; i += 3) {
    low = Math.min(low, mesh.positions[i])
    high = Math.max(high, mesh.positions[i])
  }
  expect(Math.abs((high - low) / (OIL_LAMP.lengthMm / 10) - 1)).toBeLessThan(0.006)
  expect(errors).toEqual([])
})

test('bad files are refused in words where they were dropped, and nothing is lost', async ({ page }) => {
  await newPiece(page, 'Refusals')
  const put = (name: string, content: string | Buffer) =>
    page
      .getByTestId('files')
      .setInputFiles({ name, mimeType: 'application/octet-stream', buffer: Buffer.from(content as string) })
  const alert = page.getByLabel('Card').getByRole('alert')
  await put('empty.ply', '')
  await expect(alert).toContainText('“empty.ply” is empty (0 bytes)')
  await put('notes.docx', 'x')
  await expect(alert).toContainText('“notes.docx” is of no kind that can be read')
  await put('letter.ply', 'dear reader\n')
  await expect(alert).toContainText('its first line is not "ply"', { timeout: 120_000 })
  await put(
    'cut.stl',
    bytesOf(
      { kind: 'mesh', positions: Float32Array.of(0, 0, 0, 1, 0, 0, 0, 1, 0), indices: Uint32Array.of(0, 1, 2) },
      'stl',
    ).subarray(0, 120),
  )
  await expect(alert).toContainText('claims 1 triangles', { timeout: 120_000 })
  await page.getByRole('button', { name: 'Close this message' }).click()
  await expect(alert).toBeHidden()
  await expect(page.getByTestId('take')).toHaveCount(0)
  await put('good.xyz', '0 0 0\n0.118 0 0\n0 0.06 0\n')
  await expect(page.getByTestId('take')).toHaveCount(1, { timeout: 120_000 })
  await expect(page.getByTestId('finding')).toContainText('would be a crumb')
})

test('an imported mesh: taken as the skin, its hole closed, undone, closed again, a wrong unit put right', async ({
  page,
}) => {
  await newPiece(page, 'Import')
  const open = {
    kind: 'mesh' as const,
    positions: Float32Array.from([0, 0, 0, 2, 0, 0, 2, 2, 0, 0, 2, 0, 0, 0, 2, 2, 0, 2, 2, 2, 2, 0, 2, 2]),
    indices: Uint32Array.of(4, 5, 6, 4, 6, 7, 0, 1, 5, 0, 5, 4, 1, 2, 6, 1, 6, 5, 2, 3, 7, 2, 7, 6, 3, 0, 4, 3, 4, 7),
  }
  await page
    .getByTestId('files')
    .setInputFiles({ name: 'box.stl', mimeType: 'model/stl', buffer: bytesOf(open, 'stl') })
  await page.getByRole('button', { name: 'Use the mesh “box” as the skin' }).click({ timeout: 120_000 })
  const finding = page.getByTestId('finding')
  await expect(finding).toContainText('1 hole, the largest with a rim of 8 mm', { timeout: 120_000 })
  await page.getByRole('button', { name: 'Close the hole' }).click()
  await expect(finding).toContainText('closed and clean', { timeout: 120_000 })
  await page.keyboard.press('Control+z')
  await expect(finding).toContainText('1 hole')
  await page.keyboard.press('Control+Shift+z')
  await expect(finding).toContainText('closed and clean')
  await page.getByRole('button', { name: 'Go on to Size' }).click()
  await page.getByText('A wrong unit').click()
  await page.getByRole('button', { name: 'in → mm' }).click()
  await expect(page.getByText('now 50.80 × 50.80 × 50.80 mm')).toBeVisible({ timeout: 120_000 })
  const release = await page.request.get(
    `${page.url().split('?')[0].replace('/pieces/', '/api/pieces/')}/release?format=obj&unit=in`,
  )
  const back = await readShape(bytesSource(await release.body()), 'x.obj')
  expect(Math.max(...back.positions)).toBeCloseTo(2, 5)
})
