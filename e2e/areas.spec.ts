import { expect, test, type Locator, type Page } from '@playwright/test'
import { openExample, stages, stageShows, watchConsole } from './helpers'

const WAIT = { timeout: 120_000 }
const route = (page: Page): Locator => page.getByRole('navigation', { name: 'Route' })

test('areas of the brief lie on the skin, are painted by hand, stay through a reload, and are undone', async ({
  page,
}) => {
  const errors = watchConsole(page)
  await openExample(page)
  await route(page).getByRole('button', { name: /^Mend/ }).click()
  const stage = stages(page).first()
  await stageShows(stage, /mesh/)
  await page.getByRole('button', { name: 'Areas of the brief' }).click()
  const areas = page.getByRole('list', { name: 'Areas of the brief' })
  await expect(areas).toContainText('inside of the well nice to have')
  await page.getByRole('button', { name: 'Lay them on the skin' }).click()
  await expect(page.getByText('Sides, heights and hollows are read off the skin itself.')).toBeVisible(WAIT)
  const size = async (): Promise<number> => Number(/([\d.]+) cm²/.exec((await areas.textContent()) ?? '')?.[1] ?? NaN)
  await expect.poll(size, WAIT).toBeGreaterThan(5)
  const before = await size()

  // A touch of the brush on the outside of the lamp, with the real pointer.
  await page.getByRole('button', { name: 'inside of the well', exact: true }).click()
  await page.getByLabel('Brush').fill('6')
  const box = (await stage.boundingBox())!
  await page.mouse.click(box.x + box.width * 0.5, box.y + box.height * 0.7)
  await expect.poll(size, WAIT).toBeGreaterThan(before + 0.5)
  const painted = await size()
  expect(painted - before).toBeLessThan(1.5)
  await page.getByRole('tab', { name: /Ledger/ }).click()
  await expect(page.getByText('Painted areas on the piece, 1 stroke', { exact: true }).first()).toBeVisible()
  await page.getByRole('tab', { name: 'Mend' }).click()

  // Nothing but the page changes when they are hidden; a reload has them still.
  await page.reload()
  await stageShows(stages(page).first(), /mesh/)
  await page.getByRole('button', { name: 'Areas of the brief' }).click()
  await expect.poll(size, WAIT).toBe(painted)
  for (let n = 0; n < 2; n++) await page.getByRole('button', { name: 'Undo', exact: true }).click()
  await expect(page.getByRole('button', { name: 'Lay them on the skin' })).toBeVisible()
  expect(errors).toEqual([])
})

test('the brief’s calliper list is the list at Size, and what it hands over is chosen and checked at Release', async ({
  page,
}) => {
  await openExample(page)
  await route(page).getByRole('button', { name: /^Size/ }).click()
  const list = page.getByRole('list', { name: 'Calliper list of the brief' })
  const stage = stages(page).first()
  await stageShows(stage, /mesh/)
  await list.getByRole('button', { name: /^length/ }).click()
  await expect(list).toContainText('click point 1')
  const box = (await stage.boundingBox())!
  await page.mouse.click(box.x + box.width * 0.5, box.y + box.height * 0.7)
  await expect(list).toContainText('click point 2')
  await page.mouse.click(box.x + box.width * 0.62, box.y + box.height * 0.62)
  await expect(page.getByText('length, on the mesh')).toBeVisible()
  await expect(page.getByLabel('Calliper reading')).toHaveValue('118')
  await page.getByRole('button', { name: 'Add this reading' }).click()
  await expect(page.getByRole('list', { name: 'Readings' })).toContainText('length')
  await expect(list.getByRole('button', { name: /^length/ })).toContainText('picked')
  // It was taken at the wrong places on purpose: nothing is scaled before a person says so.
  await expect(page.getByTestId('slip')).toBeVisible()
  await page.getByRole('button', { name: 'Remove reading 1' }).click()

  await route(page)
    .getByRole('button', { name: /^Release/ })
    .click()
  const asked = page.getByRole('list', { name: 'What the brief asks for' })
  await expect(asked).toContainText('A closed STL at true size')
  await expect(asked).toContainText('sound: closed, size checked')
  await expect(page.getByRole('link', { name: 'Download STL' })).toBeVisible()
})

type StageCanvas = HTMLCanvasElement & { stage: { pose(): { zoom: number; offset: readonly number[] } } }

test('keys, the hand on the view and the dark page are chosen once and stay', async ({ page }) => {
  const errors = watchConsole(page)
  await openExample(page)
  await route(page).getByRole('button', { name: /^Mend/ }).click()
  const stage = stages(page).first()
  await stageShows(stage, /mesh/)
  const pose = (): Promise<{ zoom: number; offset: readonly number[] }> =>
    stage.evaluate((c) => (c as StageCanvas).stage.pose())
  await page.keyboard.press('?')
  const sheet = page.getByRole('dialog', { name: 'Keys and settings' })
  const fit = sheet.getByRole('button', { name: /^Key for: Fit everything in/ })
  await fit.click()
  await page.keyboard.press('x')
  await expect(sheet.getByRole('alert')).toContainText('“X” is taken')
  await page.keyboard.press('g')
  await expect(fit).toHaveText('G')
  await sheet.getByRole('radio', { name: /^Trackpad/ }).click()
  await sheet.getByRole('checkbox', { name: /^Dark/ }).click()
  await expect(page.locator('html')).toHaveAttribute('data-night', '')
  await page.keyboard.press('Escape')

  // Two fingers move the view; a pinch, which comes as a wheel with Ctrl, zooms it.
  const box = (await stage.boundingBox())!
  await page.mouse.move(box.x + box.width / 2, box.y + box.height / 2)
  const start = await pose()
  await page.mouse.wheel(60, 30)
  await expect.poll(async () => (await pose()).offset).not.toEqual(start.offset)
  expect((await pose()).zoom).toBe(start.zoom)
  await page.keyboard.down('Control')
  await page.mouse.wheel(0, -240)
  await page.keyboard.up('Control')
  await expect.poll(async () => (await pose()).zoom).toBeGreaterThan(start.zoom)
  await stage.focus()
  await page.keyboard.press('f')
  expect((await pose()).zoom).toBeGreaterThan(start.zoom)
  await page.keyboard.press('g')
  await expect.poll(async () => (await pose()).zoom).toBe(1)

  await page.reload()
  // It comes dark from the server, and the rest is taken up.
  await expect(page.locator('html')).toHaveAttribute('data-night', '')
  // A key pressed before the page listens reaches nobody: what the stage shows tells that it listens.
  await stageShows(stage, /mesh/)
  await page.keyboard.press('?')
  await expect(sheet.getByRole('radio', { name: /^Trackpad/ })).toBeChecked()
  await sheet.getByRole('button', { name: 'The usual keys' }).click()
  await sheet.getByRole('checkbox', { name: /^Dark/ }).click()
  await expect(page.locator('html')).not.toHaveAttribute('data-night')
  expect(errors).toEqual([])
})
