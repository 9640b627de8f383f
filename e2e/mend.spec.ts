import { expect, test, type Locator, type Page } from '@playwright/test'
import { OIL_LAMP, polygonise, quietContext, rotationMotion, transformPoints, writeShape } from '@holosoma/core'
import { choose, EXAMPLE, openExample, stages, stageShows, watchConsole } from './helpers'

const WAIT = { timeout: 240_000 }
const route = (page: Page): Locator => page.getByRole('navigation', { name: 'Route' })

/** Draws with the real pointer: along places given in parts of the stage. */
async function draw(page: Page, on: Locator, path: readonly (readonly [number, number])[]): Promise<void> {
  const box = (await on.boundingBox())!
  const at = ([x, y]: readonly [number, number]): [number, number] => [box.x + box.width * x, box.y + box.height * y]
  await page.mouse.move(...at(path[0]))
  await page.mouse.down()
  for (const p of path.slice(1)) await page.mouse.move(...at(p), { steps: 4 })
  await page.mouse.up()
}
const ring = (x: number, y: number, r: number): (readonly [number, number])[] =>
  Array.from({ length: 25 }, (_, i) => [
    x + r * Math.cos((i * Math.PI) / 12),
    y + 1.4 * r * Math.sin((i * Math.PI) / 12),
  ])

test('a part drawn round or painted is shown, cut out, and closed by its rim; a result is hidden and shown again', async ({
  page,
}) => {
  const errors = watchConsole(page)
  await openExample(page, 'Mend')
  const stage = stages(page).first()
  await stageShows(stage, /^mesh/)
  const skin = (await stage.getAttribute('data-layers'))!
  await page.getByText('A part of it', { exact: true }).click()
  const tools = page.getByRole('group', { name: 'Point at it with' })
  await tools.getByRole('button', { name: 'Lasso' }).click()
  await draw(page, page.getByTestId('chooser'), ring(0.5, 0.6, 0.05))
  const told = page.getByRole('status').filter({ hasText: 'of the surface' })
  const area = async (): Promise<number> => {
    const [, n, unit] = /About ([\d.]+) (mm²|cm²)/.exec((await told.textContent()) ?? '') ?? []
    return Number(n) * (unit === 'cm²' ? 100 : 1)
  }
  await expect(told).toBeVisible(WAIT)
  const front = await area()
  expect(front).toBeGreaterThan(5)
  // All through takes the back as well, and more.
  await choose(page.getByLabel('It reaches'), 'all through')
  await draw(page, page.getByTestId('chooser'), ring(0.5, 0.6, 0.05))
  await expect.poll(area, WAIT).toBeGreaterThan(1.5 * front)
  await page.getByRole('button', { name: 'Forget it' }).click()
  await expect(told).toHaveCount(0)

  await tools.getByRole('button', { name: 'Brush' }).click()
  await page.getByLabel('Radius of the brush').fill('2.5')
  await draw(page, page.getByTestId('chooser'), [
    [0.48, 0.6],
    [0.52, 0.62],
  ])
  await expect(told).toBeVisible(WAIT)
  await page.getByRole('button', { name: 'Cut it out' }).click()
  await expect(page.getByTestId('finding').first()).toContainText(/hole/, WAIT)
  await expect(stage).not.toHaveAttribute('data-layers', skin)
  await expect(page.getByTestId('chooser')).toHaveCount(0)
  await page.getByRole('button', { name: /^Close (the hole|all)/ }).click()
  await expect(page.getByTestId('finding').first()).toContainText('closed and clean', WAIT)
  await page.getByRole('tab', { name: /Ledger/ }).click()
  await expect(
    page
      .getByRole('list', { name: 'Ledger' })
      .getByText(/^Cut a part of/)
      .first(),
  ).toBeVisible()
  await page.getByRole('tab', { name: 'Mend' }).click()
  for (let n = 0; n < 2; n++) await page.getByRole('button', { name: 'Undo', exact: true }).click()
  await stageShows(stage, skin)

  // Another result beside it is hidden, folded up at the end of the sheet, and shown again.
  const results = page.getByTestId('result')
  await expect(results).toHaveCount(1)
  const more = results.first().getByRole('button', { name: /^More of/ })
  await more.click()
  await expect(page.getByRole('menuitem', { name: 'Hide' })).toHaveAttribute('data-disabled', '')
  await page.getByRole('menuitem', { name: 'Begin another from it' }).click()
  await expect(results).toHaveCount(2)
  await more.click()
  await page.getByRole('menuitem', { name: 'Hide' }).click()
  await expect(results).toHaveCount(1)
  await page.getByRole('button', { name: '1 hidden' }).click()
  await page.getByRole('menuitem', { name: /again$/ }).click()
  await expect(results).toHaveCount(2)
  await page.getByRole('button', { name: 'Undo', exact: true }).click()
  await expect(results).toHaveCount(1)
  expect(errors).toEqual([])
})

test('what was mended on one piece is done on the next of its kind, where its shape says it lies', async ({ page }) => {
  const errors = watchConsole(page)
  await openExample(page, 'Mend')
  await stageShows(stages(page).first(), /^mesh/)
  const skin = (await stages(page).first().getAttribute('data-layers'))!
  await page.getByText('Cut along a plane', { exact: true }).click()
  await page.getByLabel('How deep').fill('2')
  await page.getByRole('button', { name: 'Cut here' }).click()
  await page.getByRole('tab', { name: /Ledger/ }).click()
  const cut = page.getByRole('list', { name: 'Ledger' }).getByText(/^Cut along a plane/)
  await expect(cut.first()).toBeVisible(WAIT)

  // The next piece: the lamp's true surface from a file, lying elsewhere, with nothing done to it yet.
  const next = await page.context().newPage()
  await next.goto('/')
  await next
    .getByTestId('files')
    .setInputFiles([{ name: 'next lamp.stl', mimeType: 'model/stl', buffer: lampElsewhere() }])
  await expect(next.getByTestId('take')).toHaveCount(1, WAIT)
  await next.getByRole('button', { name: 'Use the mesh “next lamp” as the skin' }).first().click(WAIT)
  await expect(next.getByTestId('result')).toHaveCount(1, WAIT)
  await route(next).getByRole('button', { name: /^Mend/ }).click()
  await next.getByText('As on another piece', { exact: true }).click()
  await next.getByRole('button', { name: 'Choose a piece of the same kind' }).click()
  await choose(next.getByLabel('The other piece'), EXAMPLE)
  const list = next.getByRole('list', { name: 'Done there' })
  // Readings of size stay with the piece they were taken on.
  await expect(list.getByRole('checkbox')).toHaveCount(1, WAIT)
  await expect(list).toContainText('Cut along a plane')
  await next.getByRole('button', { name: 'Do this here, too' }).click()
  await expect(next.getByTestId('finding').filter({ hasText: 'Laid over the other piece by its shape' })).toBeVisible(
    WAIT,
  )
  await next.getByRole('tab', { name: /Ledger/ }).click()
  await expect(next.getByText('Did 1 of 1 acts of another piece here, too').first()).toBeVisible()
  await next.close()

  // The example as it was: others look at it, too.
  await page.getByRole('tab', { name: 'Mend' }).click()
  await page.getByRole('button', { name: 'Undo', exact: true }).click()
  await stageShows(stages(page).first(), skin)
  expect(errors).toEqual([])
})

/** A binary STL of the lamp, turned and shifted, in mm. */
function lampElsewhere(): Buffer {
  const motion = rotationMotion([1, 2, 0.5], 1.3, [120, -40, 60])
  const mesh = polygonise(OIL_LAMP.field, OIL_LAMP.bounds, 1.2, quietContext())
  return Buffer.concat([...writeShape({ ...mesh, positions: transformPoints(motion, mesh.positions) }, 'stl')])
}
