import { readFile } from 'node:fs/promises'
import { expect, test, type Page } from '@playwright/test'
import { choose, stages, stageShows, watchConsole } from './helpers'

const route = (page: Page, station: string) =>
  page.getByRole('navigation', { name: 'Route' }).getByRole('button', { name: new RegExp(`^${station}`) })
const finding = (page: Page) => page.getByTestId('finding')
const WAIT = { timeout: 240_000 }
/** Pages of a PDF as it says itself: width and height, mm. */
const pagesOf = (pdf: string): [number, number][] =>
  [...pdf.matchAll(/\/MediaBox \[0 0 ([\d.]+) ([\d.]+)\]/g)].map((m) => [
    (Number(m[1]) * 25.4) / 72,
    (Number(m[2]) * 25.4) / 72,
  ])

test('a brief for the stove tile, the slide seen before anything is scanned, the proposed take taken, the slide gone; undo, reload, run sheet', async ({
  page,
}) => {
  const errors = watchConsole(page)
  await page.goto('/')
  await page.getByRole('link', { name: 'Stove tile' }).click()
  await route(page, 'Brief').click()
  for (const [label, value] of [
    ['Length', '140'],
    ['Width', '140'],
    ['Height', '18'],
    ['Smallest detail to hold', '1,2'],
    ['Mass', '620'],
  ] as const)
    await page.getByLabel(label, { exact: true }).fill(value)
  await expect(finding(page)).toContainText('0.40 mm apart, 0.60 mm at most')
  // The trap appears beside as one types.
  await expect(page.getByTestId('trap').filter({ hasText: 'Slide through the thickness' })).toContainText(
    '18 mm thick on 140 mm',
  )
  await page.getByRole('button', { name: 'a slab or plate' }).click()
  await choose(page.getByLabel('Finish of zone 1'), 'satin')
  await page.getByRole('radiogroup', { name: 'Turn it over' }).getByRole('radio', { name: 'yes' }).click()
  await page.getByRole('button', { name: 'Add a distance' }).click()
  await page.getByLabel('Name of distance 1').fill('edge to edge')
  await expect(page.getByTestId('saved')).toHaveText('Saved')
  await page.getByRole('button', { name: 'Go on to Plan' }).click()

  const stage = stages(page).first()
  await stageShows(stage, /plan upright/)
  await expect(finding(page)).toContainText('share too plain a surface: they can slide up and down', WAIT)
  await expect(finding(page)).toContainText('No tolerance can be promised while the takes can slide')
  // Marks below as well, so that the underside can be told by its shape.
  await page.getByText('Stand-in: a box or slab').click()
  await page.getByLabel('Relief or marks below too').check()
  await expect(page.getByTestId('proposal')).toContainText('takes the slide away', WAIT)
  await page.getByRole('button', { name: /^Add keystone take:/ }).click()
  await expect(page.getByTestId('planned')).toHaveCount(3)
  await expect(finding(page)).toContainText('The takes hold together within 0.0', WAIT)
  await expect(finding(page)).not.toContainText('slide')
  await expect(route(page, 'Plan')).toHaveAttribute('aria-label', /^Plan, (sound|doubtful), \d+ % seen$/, WAIT)

  // A change of one take is painted at once; what was saved survives a reload.
  const shares = page.getByTestId('shares')
  const before = await shares.innerText()
  await page.getByTestId('planned').first().click()
  await page.getByRole('slider', { name: 'Elevation, slider' }).focus()
  for (let i = 0; i < 12; i++) await page.keyboard.press('ArrowRight')
  await expect(page.getByLabel('Elevation', { exact: true })).toHaveValue('47')
  await expect(shares).not.toHaveText(before)
  await expect(page.getByTestId('working')).toHaveText('', WAIT)
  await expect
    .poll(
      async () =>
        (
          (await (await page.request.get(page.url().replace(/pieces\/(\d+).*/, 'api/pieces/$1'))).json()) as {
            plan: { content: { takes: { elevationDeg: number }[] } }
          }
        ).plan.content.takes[0].elevationDeg,
    )
    .toBe(47)
  await page.reload()
  await expect(page.getByTestId('planned')).toHaveCount(3)
  await expect(page.getByTestId('planned').first()).toContainText('47°')
  await route(page, 'Brief').click()
  await expect(page.getByLabel('Smallest detail to hold')).toHaveValue('1.2')
  await expect(page.getByLabel('Name of distance 1')).toHaveValue('edge to edge')

  // On paper.
  await route(page, 'Plan').click()
  const [sheet] = await Promise.all([
    page.context().waitForEvent('page'),
    page.getByRole('button', { name: 'Open the run sheet' }).click(),
  ])
  const steps = sheet.getByTestId('run-step')
  await expect(steps.first()).toBeVisible(WAIT)
  await expect(steps.filter({ hasText: 'Take “' })).toHaveCount(3)
  await expect(steps.filter({ hasText: 'Take “upright”' }).first()).toContainText('Elevation 47°')
  await expect(steps.filter({ hasText: 'Turn the piece' }).first()).toContainText('padded surface')
  await expect(sheet.getByRole('img', { name: 'Pose of take upright', exact: true })).toBeVisible()
  await expect(steps.filter({ hasText: 'edge to edge' })).toHaveCount(1)
  const [download] = await Promise.all([
    sheet.waitForEvent('download'),
    sheet.getByRole('button', { name: 'Save as PDF' }).click(),
  ])
  const pdf = (await readFile(await download.path())).toString('latin1')
  expect(pdf.startsWith('%PDF-')).toBe(true)
  for (const [w, h] of pagesOf(pdf)) expect([Math.round(w), Math.round(h)]).toEqual([210, 297])
  expect(pagesOf(pdf).length).toBeGreaterThanOrEqual(2)
  expect(errors).toEqual([])
})

test('undo and redo at Plan; dots laid out, counted and printed at true size; a take left out', async ({ page }) => {
  await page.goto('/')
  await page.getByRole('link', { name: 'Net bobbin' }).click()
  await route(page, 'Plan').click()
  await expect(finding(page)).toContainText('look alike at every angle', WAIT)
  await page.getByText('Takes against each other').click()
  await expect(page.getByTestId('pairs-table')).toContainText('fits at every angle too')
  await page.getByText(/^Dots: none/).click()
  await choose(page.getByLabel('Where'), 'on a mat')
  await expect(page.getByTestId('dots')).toContainText('no two neighbourhoods alike', WAIT)
  const [svg] = await Promise.all([
    page.waitForEvent('download'),
    page.getByRole('button', { name: 'SVG to print' }).click(),
  ])
  const drawing = await readFile(await svg.path(), 'utf8')
  expect(drawing).toMatch(/width="210mm" height="297mm" viewBox="0 0 210 297"/)
  const [pdf] = await Promise.all([
    page.waitForEvent('download'),
    page.getByRole('button', { name: 'PDF to print' }).click(),
  ])
  const [[w, h]] = pagesOf((await readFile(await pdf.path())).toString('latin1')) as [[number, number]]
  expect([w, h].map((v) => Math.round(v * 10) / 10)).toEqual([210, 297])

  await page.getByRole('button', { name: 'Add a take', exact: true }).click()
  await expect(page.getByTestId('planned')).toHaveCount(3)
  await expect(page.getByRole('button', { name: /Leave “.+” out: it adds nothing/ })).toBeVisible(WAIT)
  await page.getByRole('button', { name: /Leave “.+” out: it adds nothing/ }).click()
  await expect(page.getByTestId('planned')).toHaveCount(2)
  // Undone edit by edit, and done again.
  await expect.poll(async () => page.getByRole('tab', { name: /Ledger/ }).innerText()).toMatch(/Ledger \d+/)
  await page.waitForTimeout(1500)
  await page.getByRole('button', { name: 'Undo' }).click()
  await expect(page.getByTestId('planned')).toHaveCount(3)
  await expect(async () => {
    await page.getByRole('button', { name: 'Undo' }).click()
    await expect(page.getByText(/^Dots: none/)).toBeVisible({ timeout: 1500 })
  }).toPass(WAIT)
  await page.getByRole('button', { name: 'Redo' }).click()
  await expect(page.getByText(/^Dots: on a mat/)).toBeVisible(WAIT)
})

test(
  'an earlier scan stands in for the piece: points are closed to a rough mesh',
  { tag: '@night' },
  async ({ page }) => {
    await page.goto('/')
    await page.getByRole('link', { name: 'Lamp, a worked example' }).click()
    await route(page, 'Plan').click()
    await expect(page.getByTestId('shares')).toBeVisible(WAIT)
    const before = await page.getByTestId('shares').innerText()
    await page.getByText(/^Stand-in:/).click()
    await choose(page.getByLabel('Form'), 'an earlier mesh or scan')
    await choose(page.getByLabel('Which'), 'take “upright”')
    await expect(page.getByText('Stand-in: an earlier mesh or scan')).toBeVisible()
    await expect(page.getByTestId('shares')).not.toHaveText(before, WAIT)
    await expect(page.getByLabel('Stage').getByRole('alert')).toBeHidden()
    await page.getByRole('button', { name: 'Undo' }).click()
  },
)

test('a brief that makes no sense is said at its field and not saved; what was written stays', async ({ page }) => {
  await page.goto('/')
  await page.getByRole('link', { name: 'Brass cleat' }).click()
  await route(page, 'Brief').click()
  const saved = page.getByTestId('saved')
  await expect(saved).toHaveText('Saved')
  await expect(page.getByTestId('trap').first()).toContainText('No light comes back')
  await page.getByLabel('Length', { exact: true }).fill('0')
  await expect(saved).toContainText('Not saved: length must be a positive number')
  await page.getByLabel('Length', { exact: true }).fill('88')
  await page.getByLabel('Smallest detail to hold').fill('90')
  await expect(saved).toContainText('the smallest detail (90 mm) must be smaller than the piece (88 mm)')
  await page.getByLabel('Smallest detail to hold').fill('0,6')
  await page.getByLabel('Share of zone 1').fill('140')
  await expect(saved).toContainText('the share of the surface can be 100 % at most')
  await page.getByLabel('Share of zone 1').fill('100')
  await expect(saved).toHaveText('Saved')
  // Coating taken away: the trap blocks, and the plan says so instead of failing.
  await page.getByRole('radiogroup', { name: 'Coat it' }).getByRole('radio', { name: 'no', exact: true }).click()
  await expect(page.getByTestId('trap').first()).toContainText('coating is not allowed')
  await route(page, 'Plan').click()
  await expect(finding(page)).toContainText('No zone gives light back', WAIT)
  // A stand-in that can't be is told on the stage.
  await page.getByText(/^Stand-in:/).click()
  await choose(page.getByLabel('Form'), 'turned, by its profile')
  await page.getByLabel('Radius and height, from the base up').fill('10 0\n10 20\n20 10\n5 10')
  await expect(page.getByLabel('Stage').getByRole('alert')).toContainText('The profile crosses itself')
})

test(
  'an area painted on the stand-in; a device profile copied, changed, saved, reloaded, handed on; bad ones refused',
  { tag: '@night' },
  async ({ page }) => {
    const errors = watchConsole(page)
    await page.goto('/devices')
    await page.getByRole('button', { name: /^Tabletop structured light/ }).click()
    await page.getByRole('button', { name: /^Copy “Tabletop/ }).click()
    await expect(page.getByRole('status')).toContainText('Copied')
    await page.getByLabel('Name', { exact: true }).fill('Loft scanner')
    await page.getByLabel('Near end of the depth band').fill('340')
    await page.getByLabel('Window at the stand-off').fill('150')
    await expect(page.getByText('the stand-off (330 mm) must lie inside the depth band (340 to 385 mm)')).toBeVisible()
    await page.getByLabel('Near end of the depth band').fill('280,5')
    await page.getByRole('button', { name: 'Save this profile' }).click()
    await expect(page.getByRole('status')).toContainText('Saved.')
    await page.reload()
    await page.getByRole('button', { name: /^Loft scanner/ }).click()
    await expect(page.getByLabel('Near end of the depth band')).toHaveValue('280.5')
    await expect(page.getByText('own-1 v2')).toBeVisible()
    const [file] = await Promise.all([
      page.waitForEvent('download'),
      page.getByRole('button', { name: 'Save all as a file' }).click(),
    ])
    const written = JSON.parse(await readFile(await file.path(), 'utf8')) as {
      devices: { id: string; windowMm: number }[]
    }
    expect(written.devices.find((d) => d.id === 'own-1')!.windowMm).toBe(150)
    await page
      .getByTestId('device-file')
      .setInputFiles({ name: 'x.json', mimeType: 'application/json', buffer: Buffer.from('{"devices":[{"id":"x"}]}') })
    await expect(page.getByRole('main').getByRole('alert')).toContainText('The device profile:')
    const mine = { ...written.devices.find((d) => d.id === 'own-1')!, id: 'brought-in', name: 'Brought in' }
    await page.getByTestId('device-file').setInputFiles({
      name: 'y.json',
      mimeType: 'application/json',
      buffer: Buffer.from(JSON.stringify({ devices: [mine] })),
    })
    await expect(page.getByRole('button', { name: /^Brought in/ })).toBeVisible()
    await page.getByRole('button', { name: 'Take it away' }).click()
    await page.getByRole('alertdialog').getByRole('button', { name: 'Take it away' }).click()
    await expect(page.getByRole('button', { name: /^Brought in/ })).toBeHidden()

    await page.goto('/')
    await page.getByRole('link', { name: 'Gull figurehead' }).click()
    await route(page, 'Plan').click()
    const stage = stages(page).first()
    await stageShows(stage, /plan upright/)
    await page.getByText(/^Device:/).click()
    await expect(page.getByTestId('device').filter({ hasText: 'Loft scanner' })).toBeVisible()
    await page.getByText(/^Areas, 1/).click()
    await page.getByRole('button', { name: 'Paint a new area that must hold' }).click()
    await expect(page.getByText('Click on the stand-in to paint “area 2”')).toBeVisible()
    await expect(page.getByTestId('shares')).toBeVisible(WAIT)
    const box = (await stage.boundingBox())!
    await page.mouse.click(box.x + box.width / 2, box.y + box.height * 0.45)
    await expect(page.getByText('must hold, 1 strokes')).toBeVisible()
    await page.keyboard.press('Escape')
    await expect(page.getByRole('button', { name: 'Stop painting' })).toBeHidden()
    // What each take sees of each area.
    await page.getByText('Takes against each other').click()
    const areas = page.getByTestId('areas-table')
    await expect(areas.getByRole('row').filter({ hasText: 'head' })).toContainText(/must hold\s*\d+ %/)
    await expect(areas.getByRole('row').filter({ hasText: 'area 2' })).toContainText('%')
    expect(errors).toEqual([])
  },
)
