import { expect, test, type Locator, type Page } from '@playwright/test'
import { ballMesh } from '@holosoma/core/testing/altered'
import { asSkin, inLedger, leaveAsFound, openExample, stages, stageShows, standing, watchConsole } from './helpers'

const WAIT = { timeout: 240_000 }
const told = (page: Page): Locator => page.getByRole('status').filter({ hasText: /stroke/ })
const movedMm = async (page: Page): Promise<number> =>
  Number(/moved by ([\d.]+) mm/.exec((await told(page).textContent()) ?? '')?.[1])

/** A stroke of a pen, pressed alike all along, as the browser tells of one. */
async function penStroke(page: Page, pressure: number): Promise<void> {
  await page.getByTestId('chooser').evaluate((over, pressure) => {
    const box = over.getBoundingClientRect()
    // No pen is there to be held on to.
    ;(over as HTMLElement).setPointerCapture = () => undefined
    const tell = (kind: string, k: number): void => {
      over.dispatchEvent(
        new PointerEvent(kind, {
          pointerType: 'pen',
          pointerId: 7,
          pressure,
          bubbles: true,
          clientX: box.left + box.width * (0.46 + 0.004 * k),
          clientY: box.top + box.height * 0.6,
        }),
      )
    }
    tell('pointerdown', 0)
    for (let k = 1; k <= 20; k++) tell('pointermove', k)
    tell('pointerup', 20)
  }, pressure)
}

test('brushes: a pen’s pressure drives them, the cap holds them, a reason leaves it aside; kept as one act and undone', async ({
  page,
}) => {
  const errors = watchConsole(page)
  await openExample(page, 'Mend')
  const stage = stages(page).first()
  await stageShows(stage, /^mesh/)
  const skin = (await stage.getAttribute('data-layers'))!
  await page.getByText('Brushes', { exact: true }).click()
  await page.getByRole('group', { name: 'Brush' }).getByRole('button', { name: 'Flatten' }).click()
  await expect(page.getByTestId('chooser')).toBeVisible(WAIT)
  await page.getByRole('button', { name: 'Flatten' }).scrollIntoViewIfNeeded()

  await penStroke(page, 0.15)
  await expect(told(page)).toBeVisible(WAIT)
  const soft = await movedMm(page)
  await page.getByRole('button', { name: 'Take the last back' }).click()
  await expect(told(page)).toHaveCount(0)
  await penStroke(page, 0.9)
  await expect(told(page)).toBeVisible(WAIT)
  expect(await movedMm(page)).toBeGreaterThan(2 * soft)

  // A cap much nearer than that holds it, told at once, and the key takes the stroke back as the button does.
  await page.getByLabel('Never farther from the takes than').fill('0.05')
  await page.getByLabel('Never farther from the takes than').blur()
  await expect(told(page)).toContainText('the cap holds', WAIT)
  await page.getByText('Leave the cap aside, with a reason').click()
  await expect(told(page)).not.toContainText('the cap holds', WAIT)
  await page.getByRole('button', { name: 'Keep what was brushed' }).click()
  await expect(page.getByText('Say why the cap is left aside.')).toBeVisible()
  await page.getByLabel('Why', { exact: true }).fill('a lump of putty')
  await page.getByRole('button', { name: 'Keep what was brushed' }).click()
  await expect(page.getByTestId('finding').filter({ hasText: 'left aside by hand: a lump of putty' })).toBeVisible(WAIT)
  await expect(stage).not.toHaveAttribute('data-layers', skin)
  await page.getByRole('tab', { name: /Ledger/ }).click()
  await expect(
    page
      .getByRole('list', { name: 'Ledger' })
      .getByText(/^By hand: flattened, 1 stroke/)
      .first(),
  ).toBeVisible()
  await page.getByRole('tab', { name: 'Mend' }).click()

  // How far it lies from the takes is painted, now and after the undo, with what it was before.
  await page
    .getByRole('group', { name: 'What the stage shows' })
    .getByRole('button', { name: 'From the takes' })
    .click()
  const key = page.getByLabel('Key of the difference')
  await expect(key).toContainText('no points of the takes near', WAIT)
  await page.getByRole('button', { name: 'Undo', exact: true }).click()
  await expect(stage).toHaveAttribute('data-layers', skin, WAIT)
  await expect(key).toContainText('before: mean', WAIT)
  expect(errors).toEqual([])
})

test('a patch gives the plane; both sides of a cut are kept; two results are spliced without a step', async ({
  page,
}) => {
  const errors = watchConsole(page)
  await asSkin(page, ballMesh(20, 5))
  const stage = stages(page).first()
  await stageShows(stage, /^mesh/)
  const skin = (await stage.getAttribute('data-layers'))!
  const results = page.getByTestId('result')
  const before = await results.count()

  await page.getByText('A part of it', { exact: true }).click()
  await page.getByRole('group', { name: 'Point at it with' }).getByRole('button', { name: 'Flat patch' }).click()
  const box = (await stage.boundingBox())!
  await page.mouse.click(box.x + box.width * 0.5, box.y + box.height * 0.5)
  const area = page.getByRole('status').filter({ hasText: 'of the surface' })
  await expect(area).toBeVisible(WAIT)
  const small = await area.textContent()
  await page.getByRole('slider', { name: 'Faces otherwise by' }).press('PageUp')
  await expect(area).not.toHaveText(small!, WAIT)
  await page.getByRole('button', { name: 'A cutting plane along it' }).click()
  await page.getByText('Cut along a plane', { exact: true }).click()
  await expect(page.getByRole('button', { name: 'Take the plane away' })).toBeVisible(WAIT)

  // Half way up, both sides kept.
  await page.getByLabel('How deep').fill('18')
  await page.getByText('Keep the other side, too, as a result of its own').click()
  await page.getByRole('button', { name: 'Cut here' }).click()
  await expect(results).toHaveCount(before + 1, WAIT)
  await expect(results.filter({ hasText: 'other side' })).toBeVisible()
  await expect(stage).not.toHaveAttribute('data-layers', skin, WAIT)
  await expect(page.getByTestId('finding').first()).toContainText('closed and clean', WAIT)
  await page.getByRole('button', { name: 'Undo', exact: true }).click()
  await expect(stage).toHaveAttribute('data-layers', skin, WAIT)

  // Only half of the other lies there: said, and nothing changed. With a whole one it works.
  await page.getByLabel('How deep').fill('18.5')
  const other = page.getByLabel('Beyond the plane goes on')
  await other.click()
  await page.getByRole('option', { name: /other side/ }).click()
  await page.getByRole('button', { name: 'Splice them there' }).click()
  await expect(page.getByRole('alert').first()).toContainText(/plane|lie on each other/, WAIT)
  await expect(stage).toHaveAttribute('data-layers', skin)
  await results
    .first()
    .getByRole('button', { name: /^More of “/ })
    .click()
  await page.getByRole('menuitem', { name: 'Begin another from it' }).click()
  await expect(results).toHaveCount(before + 2, WAIT)
  await page.getByLabel('How deep').fill('18')
  await other.click()
  await page.getByRole('option').first().click()
  await page.getByRole('button', { name: 'Splice them there' }).click()
  await expect(page.getByTestId('finding').filter({ hasText: 'apart along the cut' })).toBeVisible(WAIT)
  await expect(page.getByTestId('finding').first()).toContainText('closed and clean')
  expect(errors).toEqual([])
})

test('noise is seen before it goes; a part is chosen by how it came to be, kept by name, and found after a reload; a file’s size says how few triangles', async ({
  page,
}) => {
  const errors = watchConsole(page)
  await openExample(page, 'Mend')
  const found = await standing(page)
  await stageShows(stages(page).first(), /^mesh/)
  const key = page.getByTestId('difference')
  const told = async (what: 'mean' | 'max'): Promise<number> => Number(await key.getAttribute(`data-${what}`))
  await page.getByText('Noise of the whole', { exact: true }).click()
  await page.getByRole('button', { name: 'Of the takes' }).click()
  await expect(key).toContainText('Noise of the takes’ points about it', WAIT)
  // The bench's device has 0.05 mm of noise at its usual distance.
  expect(await told('mean')).toBeGreaterThan(0.03)
  expect(await told('mean')).toBeLessThan(0.08)
  await page.getByRole('button', { name: 'Of the skin' }).click()
  await expect(key).toContainText('Noise of the skin', WAIT)
  expect(await told('mean')).toBeLessThan(0.03)
  await page.getByLabel('No point moves farther than').fill('0.05')
  await page.getByRole('button', { name: 'Look first' }).click()
  await expect(key).toContainText('nothing is changed yet', WAIT)
  expect(await told('max')).toBeGreaterThan(0.01)
  expect(await told('max')).toBeLessThanOrEqual(0.05 + 1e-5)
  await page.getByRole('button', { name: 'Show the skin plain' }).click()
  await expect(key).toHaveCount(0)

  await page.getByText('A part of it', { exact: true }).click()
  await page.getByRole('button', { name: 'Invented', exact: true }).click()
  await expect(page.getByText(/^About .* of the surface\./)).toBeVisible(WAIT)
  await page.getByLabel('Name of the part').fill('what nobody saw')
  await page.getByRole('button', { name: 'Keep', exact: true }).click()
  const kept = page.getByRole('list', { name: 'Kept parts' })
  await expect(kept).toContainText('what nobody saw', WAIT)
  await page.reload()
  await page.getByRole('navigation', { name: 'Route' }).getByRole('button', { name: /^Mend/ }).click()
  await page.getByText('A part of it', { exact: true }).click()
  await kept.getByRole('button', { name: 'Choose “what nobody saw” again' }).click()
  await expect(page.getByText(/^About .* of the surface\./)).toBeVisible(WAIT)
  await kept.getByRole('button', { name: 'Forget “what nobody saw”' }).click()
  await expect(kept).toHaveCount(0)

  // Cut out, it is a hole where nobody looked: closed again by a membrane that the takes allow.
  await page.getByRole('button', { name: 'Cut it out' }).click()
  const holes = page.getByRole('list', { name: 'Holes' })
  const list = page.getByText(/^Holes, one by one: \d+/)
  await expect(list).toBeVisible(WAIT)
  // Where there are many, the list is folded.
  if ((await holes.count()) === 0) await list.click()
  await holes.getByRole('button', { name: 'Close hole 1 as free space allows' }).click(WAIT)
  await page.getByRole('tab', { name: /Ledger/ }).click()
  const closed = /Closed a hole with a rim of .*, by a membrane that free space allows/
  await expect(page.getByRole('list', { name: 'Ledger' }).getByText(closed)).toBeVisible(WAIT)
  await page.keyboard.press('Control+z')
  await page.keyboard.press('Control+z')
  await page.getByRole('tab', { name: 'Mend', exact: true }).click()
  await expect(holes).toHaveCount(0, WAIT)

  await page.getByText('Fewer triangles', { exact: true }).click()
  await page.getByLabel('or a file of at most').fill('0.5')
  await page.getByRole('button', { name: 'Simplify', exact: true }).click()
  // A triangle of a binary STL takes 50 bytes.
  await expect(page.getByText(/^(9,[5-9]\d\d|10,000) triangles$/)).toBeVisible(WAIT)
  await page.getByRole('tab', { name: /Ledger/ }).click()
  await expect(await inLedger(page, /Simplified from .*; as STL (4[89]\d|500) kB/)).toBeVisible()
  await leaveAsFound(page, found)
  expect(errors).toEqual([])
})
