import { readFile } from 'node:fs/promises'
import { expect, test } from '@playwright/test'
import { bytesSource, EVIDENCE, readShape, type TriangleMesh } from '@holosoma/core'
import { inLedger, newPiece, openExample, stages, stageShows, watchConsole } from './helpers'

test('each station says what the brief asks of it, and whether it is so', async ({ page }) => {
  await openExample(page, 'Skin')
  const checks = page.getByTestId('brief-checks')
  await expect(checks).toContainText('Skin at 0.80 mm or finer')
  await expect(checks).toContainText('sound: 0.80 mm')
  await page.getByRole('navigation', { name: 'Route' }).getByRole('button', { name: /^Mend/ }).click()
  await expect(checks).toContainText('Closed, for the printer')
  await expect(checks).toContainText('sound: closed')
})

test(
  'the contact sheet: hide and show, lock and unlock, another fixed take and back',
  { tag: '@night' },
  async ({ page }) => {
    const errors = watchConsole(page)
    await openExample(page, 'Join')
    const stage = stages(page).first()
    await stageShows(stage, /take 1 take 2|take \d+ take \d+/)
    const sheet = page.getByRole('contentinfo', { name: 'Contact sheet' })
    const second = sheet.getByTestId('take').nth(1)

    await second.getByRole('button', { name: 'Hide' }).click()
    await expect(stage).toHaveAttribute('data-layers', /^take \d+$/)
    await second.getByRole('button', { name: 'Show' }).click()
    await expect(stage).toHaveAttribute('data-layers', /^take \d+ take \d+$/)

    await expect(sheet.getByTestId('take').first()).toContainText('fixed')
    await second.getByRole('button', { name: 'Make this the fixed take' }).click()
    await expect(second).toContainText('fixed')
    await page.getByRole('button', { name: 'Match again', exact: true }).click()
    await expect(page.getByText(/fixed take: side/)).toBeVisible()
    await expect(page.getByRole('button', { name: /Go on to Skin/ })).toBeVisible({ timeout: 240_000 })
    // Which take is fixed says where the rest lies, not how well it fits.
    const motions = async (): Promise<Record<string, number[][]>> =>
      (
        (await (await page.request.get(page.url().replace(/\?.*/, '').replace('/pieces/', '/api/pieces/'))).json()) as {
          join: { motions: Record<string, number[][]> }
        }
      ).join.motions
    await expect.poll(async () => (await motions()).side[0]).toEqual([1, 0, 0, 0])
    expect((await motions()).upright[0]).not.toEqual([1, 0, 0, 0])
    await expect(page.getByTestId('finding')).toContainText('“upright” and “side” share 53 %')
    // Everything back as it was.
    await page.getByRole('button', { name: 'Undo' }).click()
    await expect.poll(async () => (await motions()).upright[0]).toEqual([1, 0, 0, 0])
    await sheet.getByTestId('take').first().getByRole('button', { name: 'Make this the fixed take' }).click()
    await expect(sheet.getByTestId('take').first()).toContainText('fixed')
    expect(errors).toEqual([])
  },
)

test('what one page does, the other sees: undo and redo arrive by themselves', async ({ page, context }) => {
  await openExample(page, 'Size')
  const other = await context.newPage()
  await openExample(other, 'Size')
  await expect(other.getByTestId('finding')).toContainText('Scale 0.998')
  await page.getByRole('button', { name: 'Undo' }).click()
  await expect(other.getByText('As scanned, the piece is')).toBeVisible()
  await expect(other.getByRole('button', { name: 'Redo' })).toBeEnabled()
  await other.getByRole('tab', { name: /Ledger/ }).click()
  await expect(await inLedger(other, /^Scaled by/)).toHaveAttribute('data-active', 'false')
  await other.keyboard.press('Control+Shift+z')
  await expect(page.getByTestId('finding')).toContainText('Scale 0.998')
  await other.close()
})

test('a PLY leaves with its evidence, a GLB in metres, an OBJ in centimetres; the report adds up', async ({ page }) => {
  await openExample(page, 'Release')
  const read = async (label: string, name: string): Promise<TriangleMesh> => {
    const [download] = await Promise.all([
      page.waitForEvent('download'),
      page.getByRole('link', { name: `Download ${label}` }).click(),
    ])
    expect(download.suggestedFilename()).toBe(name)
    return (await readShape(bytesSource(await readFile(await download.path())), name)) as TriangleMesh
  }
  const length = (m: TriangleMesh): number => {
    let low = Infinity,
      high = -Infinity
    for (let i = 0; i < m.positions.length; i += 3) {
      low = Math.min(low, m.positions[i])
      high = Math.max(high, m.positions[i])
    }
    return high - low
  }
  await page.getByLabel('PLY').check()
  const ply = await read('PLY', 'HQ-014-b-mm.ply')
  const invented = ply.evidence!.filter((e) => e === EVIDENCE.invented).length / ply.evidence!.length
  expect(invented).toBeGreaterThan(0.005)
  expect(invented).toBeLessThan(0.1)
  await page.getByLabel('OBJ').check()
  await page.getByLabel('cm').check()
  expect(length(await read('OBJ', 'HQ-014-b-cm.obj'))).toBeCloseTo(length(ply) / 10, 3)
  await page.getByLabel('GLB').check()
  await expect(page.getByLabel('cm')).toBeHidden()
  // Held in millimetres behind a node that makes metres of them.
  expect(length(await read('GLB', 'HQ-014-b-m.glb'))).toBeCloseTo(length(ply), 3)

  await page.goto(page.url().replace(/\?.*/, '/report'))
  await expect(page.getByRole('heading', { name: /Lamp, a worked example/ })).toBeVisible()
  await expect(page.getByText('Sample data: an invented piece')).toBeVisible()
  await expect(page.getByText('A reconstruction must not pass as a record.')).toBeVisible()
  await expect(page.locator('main > ol > li')).toHaveCount(14)
  // The same verdicts as on the route, what the brief asked, and what was done besides.
  for (const station of ['take', 'tidy', 'join', 'skin', 'mend', 'size', 'release'])
    await expect(page.getByTestId(`station-${station}`)).toContainText('sound')
  await expect(page.getByRole('region', { name: 'Asked by the brief' })).toContainText('sound: 118.00 mm on the mesh')
  await expect(page.getByRole('region', { name: 'What else was done' })).toContainText('Released as PLY in mm')
  await expect(page.getByText(/SHA-256 [0-9a-f]{64}/)).toBeVisible()
  await page.emulateMedia({ media: 'print' })
  await expect(page.getByRole('button', { name: 'Print' })).toBeHidden()
})

test('the tidy preview is hatched on the piece, dropped by Esc, and nothing is cut by looking', async ({ page }) => {
  await openExample(page, 'Tidy')
  await stageShows(stages(page).first(), /take/)
  const steps = await page.getByRole('tab', { name: /Ledger/ }).innerText()
  await page.getByText('How they look for it').click()
  await page.getByLabel('Apart by more than').fill('0.25')
  await page.getByRole('button', { name: 'Show: Floating patches' }).click()
  await expect(page.getByTestId('preview')).toContainText('would go, hatched in blue', { timeout: 120_000 })
  await page.keyboard.press('Escape')
  await expect(page.getByTestId('preview')).toBeHidden()
  await page.getByLabel('Apart by more than').fill('a hand')
  await page.getByRole('button', { name: 'Show: Floating patches' }).click()
  await expect(page.getByLabel('Card').getByRole('alert')).toContainText('Give the figure in mm, as a number')
  // No table is left in a take that was cut: it says so and offers nothing to cut.
  await page.getByRole('button', { name: 'Show: Table' }).click()
  await expect(page.getByTestId('preview')).toContainText(/Nothing was cut|no table/i, { timeout: 120_000 })
  await expect(page.getByRole('button', { name: 'Cut 0 points' })).toBeDisabled()
  await page.getByRole('button', { name: 'Leave them' }).click()
  expect(await page.getByRole('tab', { name: /Ledger/ }).innerText()).toBe(steps)
})

test('the shelf: a new piece wants a name, shows what it waits for, is called otherwise, binned and removed', async ({
  page,
}) => {
  await page.goto('/')
  const before = await page.getByTestId('piece').count()
  await page.getByRole('button', { name: 'New piece', exact: true }).click()
  const dialog = page.getByRole('dialog', { name: 'New piece' })
  await dialog.getByRole('button', { name: 'Put it on the shelf' }).click()
  await expect(dialog).toBeVisible()
  await dialog.getByLabel('Name').fill('   ')
  await dialog.getByRole('button', { name: 'Put it on the shelf' }).click()
  await expect(dialog.getByRole('alert')).toContainText('The name is not allowed to be empty')
  await dialog.getByLabel('Name').fill('Tide gauge')
  await dialog.getByLabel(/Number in your collection/).fill('HQ-R9')
  await dialog.getByRole('button', { name: 'Put it on the shelf' }).click()
  await page.waitForURL(/\/pieces\/\d+/)
  await expect(page.getByTestId('saved')).toHaveText('Not written yet')
  await page.getByRole('link', { name: 'Shelf' }).click()
  await expect(page.getByTestId('piece')).toHaveCount(before + 1)
  await expect(page.getByTestId('piece').filter({ hasText: 'HQ-R9' })).toContainText('Nothing is known of it yet')

  // Called otherwise, put away, taken out again, and at last removed for good, which is asked about first.
  const gauge = page.getByTestId('piece').filter({ hasText: 'Tide gauge' })
  await gauge.getByRole('button', { name: 'More of “Tide gauge”' }).click()
  await page.getByRole('menuitem', { name: 'Name and number…' }).click()
  await page.getByRole('dialog', { name: 'This piece' }).getByLabel('Name').fill('Tide gauge, brass')
  await page.getByRole('button', { name: 'Write it down' }).click()
  await expect(gauge.getByRole('heading')).toContainText('Tide gauge, brass')
  const bin = async (): Promise<void> => {
    await gauge.getByRole('button', { name: 'More of “Tide gauge, brass”' }).click()
    await page.getByRole('menuitem', { name: 'Put into the bin' }).click()
    await expect(page.getByTestId('piece')).toHaveCount(before)
    await page.getByRole('button', { name: /^Bin: \d/ }).click()
  }
  await bin()
  await page.getByRole('menuitem', { name: 'Take “Tide gauge, brass” out' }).click()
  await expect(page.getByTestId('piece')).toHaveCount(before + 1)
  await bin()
  await page.getByRole('menuitem', { name: 'Remove “Tide gauge, brass” for good…' }).click()
  const question = page.getByRole('alertdialog')
  await expect(question).toContainText('cannot be had back')
  await question.getByRole('button', { name: 'Remove it' }).click()
  await expect(page.getByRole('button', { name: /Bin/ })).toHaveCount(0)
  await expect(page.getByTestId('piece')).toHaveCount(before)
})

test(
  'every command of the palette on a piece of which nothing is known: its station opens, or a sentence says why not',
  { tag: '@night' },
  async ({ page }) => {
    const errors = watchConsole(page)
    await newPiece(page, 'Blank')
    const open = async (): Promise<string[]> => {
      await page.keyboard.press('Control+k')
      await page.getByPlaceholder('What do you want to do?').waitFor()
      return page.getByRole('option').allInnerTexts()
    }
    const stations = new Set(
      await page.getByRole('navigation', { name: 'Route' }).getByRole('button').locator('b').allInnerTexts(),
    )
    const commands = (await open()).map((t) => t.split('\n')).filter(([, where]) => stations.has(where))
    await page.keyboard.press('Escape')
    expect(commands.length).toBeGreaterThan(35)
    for (const [name, where] of commands) {
      await open()
      await page.getByPlaceholder('What do you want to do?').fill(`${name} ${where}`)
      await page.getByRole('option', { name: `${name} ${where}`, exact: true }).click()
      await expect(page.getByRole('tab', { name: where })).toHaveAttribute('aria-selected', 'true')
    }
    // What needs takes or a skin was refused by the server in words; nothing broke.
    expect(errors.filter((e) => !e.includes('status of 409'))).toEqual([])
  },
)

test('results side by side on the contact sheet: another skin beside the first, shown, named, begun from, binned', async ({
  page,
}) => {
  const errors = watchConsole(page)
  await openExample(page, 'Skin')
  const stage = stages(page).first()
  await stageShows(stage, /^mesh/)
  const first = await stage.getAttribute('data-layers')
  const results = page.getByTestId('result')
  await expect(results).toHaveCount(1)
  await expect(results.first()).toContainText(/k triangles.*0\.8 mm, 9\d % measured.*the skin/s)
  await expect(results.first().getByRole('button', { name: 'Result skin, sound, the skin' })).toBeVisible()
  const route = page.getByRole('navigation', { name: 'Route' })
  await expect(route.getByRole('button', { name: /^Size, sound/ })).toBeVisible()

  await page.getByLabel('Spacing').fill('1.6')
  await page.getByRole('button', { name: 'Make another beside it' }).click()
  await expect(results).toHaveCount(2, { timeout: 120_000 })
  // The new one is the skin now: nobody has looked at its size.
  await expect(results.nth(1)).toContainText('1.6 mm')
  await expect(results.nth(1).getByRole('button', { name: /^Result skin \d+, doubtful/ })).toBeVisible()
  await expect(route.getByRole('button', { name: /^Size, not reached/ })).toBeVisible()
  await expect(stage).not.toHaveAttribute('data-layers', first!)

  await results
    .nth(1)
    .getByRole('button', { name: /^More of/ })
    .click()
  await page.getByRole('menuitem', { name: 'Name and note…' }).click()
  await page.getByLabel('Name', { exact: true }).fill('skin')
  await page.getByRole('button', { name: 'Write it down' }).click()
  await expect(page.getByRole('dialog').getByRole('alert')).toContainText('Another result is called “skin” already')
  await page.getByLabel('Name', { exact: true }).fill('coarse')
  await page.getByLabel('What it is for').fill('a first look')
  await page.getByRole('button', { name: 'Write it down' }).click()
  await expect(results.nth(1)).toContainText('coarse')

  await results
    .first()
    .getByRole('button', { name: /^Result skin/ })
    .click()
  await expect(route.getByRole('button', { name: /^Size, sound/ })).toBeVisible()
  await expect(stage).toHaveAttribute('data-layers', first!)
  await expect(results.nth(1)).toContainText('a first look')

  await results.nth(1).getByRole('button', { name: 'More of “coarse”' }).click()
  await page.getByRole('menuitem', { name: 'Begin another from it' }).click()
  await expect(results).toHaveCount(3)
  await expect(results.nth(2)).toContainText(/coarse again.*1\.6 mm.*the skin/s)
  await page.getByRole('button', { name: 'Undo' }).click()
  await expect(results).toHaveCount(2)

  await results.nth(1).getByRole('button', { name: 'More of “coarse”' }).click()
  await page.getByRole('menuitem', { name: 'Put into the bin' }).click()
  await expect(results).toHaveCount(1)
  await page.getByRole('button', { name: 'Bin: 1' }).click()
  await page.getByRole('menuitem', { name: 'Take “coarse” out' }).click()
  await expect(results).toHaveCount(2)
  // Back to one, as the other tests want it.
  await results.nth(1).getByRole('button', { name: 'More of “coarse”' }).click()
  await page.getByRole('menuitem', { name: 'Put into the bin' }).click()
  await expect(results).toHaveCount(1)
  // The name that was refused is all the console may tell of.
  expect(errors.filter((e) => !e.includes('409 (Conflict)'))).toEqual([])
})
