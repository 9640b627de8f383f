import { expect, test, type Page } from '@playwright/test'
import {
  captureTake,
  LAMP_TAKES,
  OIL_LAMP,
  quietContext,
  seededRandom,
  TABLETOP_DEVICE,
  writeShape,
} from '@holosoma/core'
import { choose, drag, newPiece, openExample, stages, stageShows, watchConsole } from './helpers'

/** Points as text. */
const xyz = (p: readonly number[]): Buffer =>
  Buffer.from(
    Array.from(
      { length: p.length / 3 },
      (_, i) => `${p[i * 3].toFixed(4)} ${p[i * 3 + 1].toFixed(4)} ${p[i * 3 + 2].toFixed(4)}`,
    ).join('\n'),
  )
/** A tube of 30 mm about the upright axis, and a rod along its middle that nobody sees from beside. */
function hollow(): { tube: number[]; rod: number[] } {
  const random = seededRandom(8)
  const tube: number[] = [],
    rod: number[] = []
  for (let i = 0; i < 24_000; i++) {
    const a = 2 * Math.PI * random.next()
    tube.push(30 * Math.cos(a), 30 * Math.sin(a), 60 * random.next())
  }
  for (let i = 0; i < 6000; i++) {
    const a = 2 * Math.PI * random.next()
    rod.push(6 * Math.cos(a), 6 * Math.sin(a), 60 * random.next())
  }
  return { tube, rod }
}
const takes = (page: Page) => page.getByTestId('take')
/** What the card says would go on each take. */
async function goingByTake(page: Page): Promise<number[]> {
  const items = await page.getByRole('list', { name: 'By take' }).getByRole('listitem').allTextContents()
  return items.map((t) => Number(/([\d,]+) \(/.exec(t)![1].replaceAll(',', '')))
}
const hashes = async (page: Page): Promise<string[]> => {
  const id = /pieces\/(\d+)/.exec(page.url())![1]
  const state = (await (await page.request.get(`/api/pieces/${id}`)).json()) as { takes: { shape: { hash: string } }[] }
  return state.takes.map((t) => t.shape.hash)
}

test('a lasso over two takes at once: through takes both, the front only what nothing hides; locked takes keep their points; kept and chosen again', async ({
  page,
}) => {
  const errors = watchConsole(page)
  await newPiece(page, 'Tube and rod')
  const { tube, rod } = hollow()
  await page.getByTestId('files').setInputFiles([
    { name: 'tube.xyz', mimeType: 'text/plain', buffer: xyz(tube) },
    { name: 'rod.xyz', mimeType: 'text/plain', buffer: xyz(rod) },
  ])
  await expect(takes(page)).toHaveCount(2, { timeout: 60_000 })
  await expect(takes(page).nth(1)).toContainText(/6,000 points|24 k points/, { timeout: 60_000 })
  await page.getByRole('navigation', { name: 'Route' }).getByRole('button', { name: /^Tidy/ }).click()
  await choose(page.getByLabel('It works on'), 'all takes that show')
  await stageShows(stages(page).first(), /take.*take/)
  // From beside: the rod stands wholly behind the tube's wall.
  await stages(page)
    .first()
    .evaluate((c) => {
      const s = (
        c as HTMLCanvasElement & {
          stage: { orbit(dx: number, dy: number): void; pose(): { direction: readonly number[] } }
        }
      ).stage
      const height = (): number => Math.abs(s.pose().direction[2])
      for (const step of [0.02, -0.02])
        for (let before = Infinity; height() < before && height() > 0.02;) {
          before = height()
          s.orbit(0, step)
        }
    })
  const round: readonly (readonly [number, number])[] = [
    [0.02, 0.03],
    [0.98, 0.03],
    [0.98, 0.97],
    [0.02, 0.97],
  ]
  await page.getByRole('button', { name: 'Lasso' }).click()
  await choose(page.getByLabel('reaches'), 'through')
  await drag(page, round)
  const all = (await takes(page).first().textContent())!.includes('tube') ? [24_000, 6000] : [6000, 24_000]
  await expect.poll(() => goingByTake(page)).toEqual(all)
  await page.getByRole('button', { name: 'Leave them' }).click()
  await choose(page.getByLabel('reaches'), 'the front only')
  await drag(page, round)
  await expect(page.getByTestId('preview')).toBeVisible()
  const text = await page.getByTestId('preview').textContent()
  const count = Number(/([\d,]+) of 30,000 points/.exec(text!)![1].replaceAll(',', ''))
  // The half of the tube that faces, and next to nothing of the rod.
  expect(count / 24_000).toBeGreaterThan(0.42)
  expect(count / 24_000).toBeLessThan(0.58)
  const rodLine = (
    await page.getByRole('list', { name: 'By take' }).getByRole('listitem').filter({ hasText: 'rod' }).allTextContents()
  )[0]
  expect(rodLine === undefined ? 0 : Number(/([\d,]+) \(/.exec(rodLine)![1].replaceAll(',', ''))).toBeLessThan(120)
  // Kept under a name, let go, chosen again: the very same points.
  await page.getByLabel('Name of the choice').fill('the front')
  await page.getByRole('button', { name: 'Keep', exact: true }).click()
  await expect(page.getByRole('list', { name: 'Kept choices' })).toContainText('the front')
  await page.getByRole('button', { name: 'Leave them' }).click()
  await page.getByRole('button', { name: 'Choose “the front” again' }).first().click()
  await expect(page.getByTestId('preview')).toBeVisible()
  // A locked take keeps its points.
  await page.getByRole('button', { name: 'Leave them' }).click()
  await takes(page).filter({ hasText: 'tube' }).getByRole('button', { name: /^Lock/ }).click()
  await expect(page.getByRole('button', { name: 'Unlock' })).toHaveCount(1)
  await choose(page.getByLabel('reaches'), 'through')
  await drag(page, round)
  await expect(page.getByTestId('preview')).toContainText('6,000 of 6,000 points')
  await expect(page.getByTestId('preview')).toContainText('Nothing of “rod” would be left')
  await expect(page.getByRole('button', { name: 'Cut 6,000 points' })).toBeDisabled()
  await page.getByRole('button', { name: 'Leave them' }).click()
  await takes(page).filter({ hasText: 'rod' }).getByRole('button', { name: /^Lock/ }).click()
  await expect(page.getByRole('button', { name: 'Unlock' })).toHaveCount(2)
  await drag(page, round)
  await expect(page.getByLabel('Card').getByRole('alert')).toContainText('All takes that show are locked')
  expect(errors).toEqual([])
})

test(
  'twenty acts, undone one by one and done again: each time the very bytes that were there; the recipe gives the same on another take; all by keyboard',
  { tag: '@night' },
  async ({ page }) => {
    await newPiece(page, 'Twenty acts')
    const { tube } = hollow()
    await page.getByTestId('files').setInputFiles([{ name: 'a.xyz', mimeType: 'text/plain', buffer: xyz(tube) }])
    await expect(takes(page)).toContainText('24 k points', { timeout: 60_000 })
    await page.getByRole('navigation', { name: 'Route' }).getByRole('button', { name: /^Tidy/ }).focus()
    await page.keyboard.press('Enter')
    await stageShows(stages(page).first(), /take/)
    await page.getByText('This take', { exact: true }).click()
    await page.getByRole('button', { name: 'Double it' }).focus()
    await page.keyboard.press('Enter')
    await expect(takes(page)).toHaveCount(2)
    await page.getByText('Cut plane', { exact: true }).click()
    const chain = [(await hashes(page))[0]]
    expect((await hashes(page))[1]).toBe(chain[0])
    for (let i = 1; i <= 20; i++) {
      await page.getByLabel('Place of the plane').fill(String(i))
      await page.getByLabel('Place of the plane').focus()
      await page.keyboard.press('Tab')
      await page.keyboard.press('Enter')
      const cut = page.getByRole('button', { name: /^Cut [\d,]+ points$/ })
      await expect(cut).toBeEnabled()
      await cut.focus()
      await page.keyboard.press('Enter')
      await expect.poll(async () => (await hashes(page))[0], { timeout: 60_000 }).not.toBe(chain.at(-1))
      chain.push((await hashes(page))[0])
      await expect(
        page.getByRole('button', { name: 'Go on to Join' }).or(page.getByRole('button', { name: /^Tidy/ }).last()),
      ).toBeVisible()
    }
    expect(new Set(chain).size).toBe(21)
    await page.getByTestId('stage').first().focus()
    for (const before of chain.slice(0, -1).reverse()) {
      await page.keyboard.press('Control+z')
      await expect.poll(async () => (await hashes(page))[0]).toBe(before)
    }
    for (const after of chain.slice(1)) {
      await page.keyboard.press('Control+Shift+z')
      await expect.poll(async () => (await hashes(page))[0]).toBe(after)
    }
    await page.getByText('Do the same to other takes', { exact: true }).click()
    await expect(page.getByRole('list', { name: 'Recipe' }).getByRole('listitem')).toHaveCount(20)
    await page.getByRole('button', { name: 'Do them to “a again”' }).focus()
    await page.keyboard.press('Enter')
    await expect.poll(async () => (await hashes(page))[1], { timeout: 120_000 }).toBe(chain.at(-1))
  },
)

test('a flat patch grows and shrinks with its limits, by the slide and by keys', async ({ page }) => {
  await newPiece(page, 'Box')
  // The upper faces of a box, bevelled by 45° on one side.
  const p: number[] = []
  for (let x = 0; x < 100; x++)
    for (let y = 0; y < 100; y++) p.push(0.4 * x, 0.4 * y, x > 70 ? 20 - 0.4 * (x - 70) : 20)
  await page.getByTestId('files').setInputFiles([{ name: 'box.xyz', mimeType: 'text/plain', buffer: xyz(p) }])
  await expect(takes(page)).toContainText('10 k points', { timeout: 60_000 })
  await page.getByRole('navigation', { name: 'Route' }).getByRole('button', { name: /^Tidy/ }).click()
  await stageShows(stages(page).first(), /take/)
  await page.getByRole('button', { name: 'Flat patch' }).click()
  const canvas = (await stages(page).first().boundingBox())!
  const { x, y } = await stages(page)
    .first()
    .evaluate((c) =>
      (c as HTMLCanvasElement & { stage: { screen(at: readonly number[]): { x: number; y: number } } }).stage.screen([
        12, 20, 20,
      ]),
    )
  await page.mouse.click(canvas.x + x, canvas.y + y)
  const preview = page.getByTestId('preview')
  const count = async (): Promise<number> =>
    Number(/([\d,]+) of 10,000 points/.exec((await preview.textContent())!)![1].replaceAll(',', ''))
  await expect(preview).toBeVisible()
  const flat = await count()
  // The level part, to its edge.
  expect(Math.abs(flat / 7100 - 1)).toBeLessThan(0.05)
  const off = page.getByRole('slider', { name: 'Off the plane by up to, slider' })
  await off.focus()
  await page.keyboard.press('End')
  await expect.poll(count).toBeGreaterThan(flat + 400)
  await page.keyboard.press('Home')
  await expect.poll(count).toBeLessThanOrEqual(flat)
})

test('a cut plane through three points, moved by its handle with the pointer; a take alone, renamed, recoloured, the empty bench', async ({
  page,
}) => {
  await newPiece(page, 'Plane')
  const { tube, rod } = hollow()
  await page.getByTestId('files').setInputFiles([
    { name: 'tube.xyz', mimeType: 'text/plain', buffer: xyz(tube) },
    { name: 'rod.xyz', mimeType: 'text/plain', buffer: xyz(rod) },
  ])
  await expect(takes(page)).toHaveCount(2, { timeout: 60_000 })
  await page.getByRole('navigation', { name: 'Route' }).getByRole('button', { name: /^Tidy/ }).click()
  await takes(page)
    .filter({ hasText: 'tube' })
    .getByRole('button', { name: /^Take / })
    .click()
  await stageShows(stages(page).first(), /take/)
  await page.getByText('Cut plane', { exact: true }).click()
  await page.getByRole('button', { name: 'Through three points…' }).click()
  const stage = stages(page).first()
  const canvas = (await stage.boundingBox())!
  const spot = (at: readonly number[]): Promise<{ x: number; y: number }> =>
    stage.evaluate(
      (c, p) =>
        (c as HTMLCanvasElement & { stage: { screen(at: readonly number[]): { x: number; y: number } } }).stage.screen(
          p,
        ),
      at,
    )
  // Two on the near side, one on the far wall, seen over the rim: a level plane at 45 of 60 mm.
  for (const at of [
    [27.2, -12.7, 45],
    [-2.6, -29.9, 45],
    [-15, 26, 45],
  ]) {
    const { x, y } = await spot(at)
    await page.mouse.click(canvas.x + x, canvas.y + y)
    await page.waitForTimeout(150)
  }
  const preview = page.getByTestId('preview')
  await expect(preview).toContainText('Below the plane, through three points.', { timeout: 30_000 })
  const share = async (): Promise<number> =>
    Number(/([\d,]+) of 24,000 points/.exec((await preview.textContent())!)![1].replaceAll(',', '')) / 24_000
  // What lies on the side away from the piece's middle goes: the upper quarter.
  expect(Math.abs((await share()) - 0.25)).toBeLessThan(0.05)
  // The arrow of the handle points to the side that stays, here down; drawn back up, less goes; the arrow's tail does
  // it too.
  const before = await share()
  const [from, to] = [await spot([0, 0, 45]), await spot([0, 0, 65])]
  const length = Math.hypot(to.x - from.x, to.y - from.y)
  const along = { x: (to.x - from.x) / length, y: (to.y - from.y) / length }
  await page.mouse.move(canvas.x + from.x + 75 * along.x, canvas.y + from.y + 75 * along.y)
  await page.waitForTimeout(300)
  await page.mouse.down()
  await page.mouse.move(canvas.x + from.x + 120 * along.x, canvas.y + from.y + 120 * along.y, { steps: 8 })
  await page.mouse.up()
  await expect(preview).toContainText('by its handle')
  await expect.poll(share).toBeLessThan(before - 0.05)
  await page.getByRole('button', { name: /^Cut [\d,]+ points$/ }).click()
  await expect(page.getByTestId('finding')).toContainText('lay below the plane', { timeout: 60_000 })
  // As a whole: alone, another name and colour, and the rod as the empty bench.
  await page.getByText('This take', { exact: true }).click()
  await page.getByRole('button', { name: 'Show it alone' }).click()
  await expect(takes(page).filter({ hasText: 'tube' })).toContainText('alone on the stage')
  await page.getByRole('button', { name: 'Show the others again' }).click()
  await page.getByLabel('Name of the take').fill('pipe')
  await page.getByRole('button', { name: 'Rename' }).click()
  await expect(takes(page).filter({ hasText: 'pipe' })).toBeVisible()
  await page.getByRole('radio', { name: 'moss' }).click()
  await expect(page.getByRole('radio', { name: 'moss' })).toHaveAttribute('aria-checked', 'true')
  const rodTake = takes(page).filter({ hasText: 'rod' })
  await rodTake.getByRole('button', { name: /^Take / }).click()
  if (await page.getByRole('button', { name: 'It shows the empty bench' }).isHidden())
    await page.getByText('This take', { exact: true }).click()
  const toBench = page.getByRole('button', { name: 'It shows the empty bench' })
  if (await toBench.isDisabled()) {
    await takes(page).filter({ hasText: 'pipe' }).getByRole('button', { name: 'Make this the fixed take' }).click()
    await expect(toBench).toBeEnabled()
  }
  await toBench.click()
  await expect(takes(page)).toHaveCount(1)
  await expect(page.getByText('“rod” shows the empty bench.')).toBeVisible()
  await page.getByRole('button', { name: 'Show: Empty bench' }).click()
  await expect(preview).toContainText(/lies on the empty bench|lie within/, { timeout: 60_000 })
  await page.getByRole('button', { name: 'Leave them' }).click()
  await page.getByRole('button', { name: 'Back among the takes' }).click()
  await expect(takes(page)).toHaveCount(2)
})

test('a base that helps joining stays when the take is tidied by itself, and goes with the table when it need not stay', async ({
  page,
}) => {
  await newPiece(page, 'Base kept')
  const { cloud } = captureTake(OIL_LAMP, LAMP_TAKES[0], TABLETOP_DEVICE, 4, quietContext(), {
    spacingMm: 0.9,
    pitchMm: 1.4,
  })
  await page.getByTestId('files').setInputFiles({
    name: 'lamp.glb',
    mimeType: 'model/gltf-binary',
    buffer: Buffer.concat([...writeShape(cloud, 'glb')]),
  })
  await page.getByRole('navigation', { name: 'Route' }).getByRole('button', { name: /^Tidy/ }).click()
  await expect(page.getByText('“lamp” is as it was taken')).toBeVisible({ timeout: 60_000 })
  await page.getByText('This take', { exact: true }).click()
  const base = page.getByLabel(/Base and piece move together/)
  await base.click()
  await expect(base).toBeChecked()
  await expect(
    page.getByRole('list', { name: 'Acts' }).getByRole('listitem').filter({ hasText: 'Table' }),
  ).not.toContainText('proposed')
  await page.getByRole('button', { name: 'Tidy “lamp”' }).click()
  await expect(page.getByRole('button', { name: 'Go on to Skin' })).toBeVisible({ timeout: 60_000 })
  const points = async (): Promise<number> => {
    const id = /pieces\/(\d+)/.exec(page.url())![1]
    return ((await (await page.request.get(`/api/pieces/${id}`)).json()) as { takes: { shape: { points: number } }[] })
      .takes[0].shape.points
  }
  const whole = cloud.positions.length / 3
  // Strays are gone, the table is not.
  expect(await points()).toBeGreaterThan(0.97 * whole)
  await base.click()
  await expect(base).not.toBeChecked()
  await page.getByRole('button', { name: 'Show: Table' }).click()
  await page.getByRole('button', { name: /^Cut [\d,]+ points$/ }).click({ timeout: 60_000 })
  await expect.poll(points, { timeout: 60_000 }).toBeLessThan(0.6 * whole)
})

test('a choice that holds surface no other joined take has is warned of before it is cut', async ({ page }) => {
  await openExample(page, 'Tidy')
  await stageShows(stages(page).first(), /take/)
  await page.getByLabel('Height', { exact: true }).fill('14')
  await page.getByRole('button', { name: 'Choose', exact: true }).first().click()
  await expect(page.getByTestId('preview')).toBeVisible()
  await expect(page.getByTestId('warning')).toContainText(
    /About [\d.]+ [cm]m² of this \(\d+ % of what is well seen in it\) no other take has/,
    { timeout: 60_000 },
  )
  await page.getByRole('button', { name: 'Leave them' }).click()
  await expect(page.getByTestId('warning')).toHaveCount(0)
})

test('recipes, kept choices and doubles that make no sense are refused in one sentence', async ({ page }) => {
  await newPiece(page, 'Refusals')
  const { rod } = hollow()
  await page.getByTestId('files').setInputFiles([{ name: 'rod.xyz', mimeType: 'text/plain', buffer: xyz(rod) }])
  await expect(takes(page)).toContainText('6,000 points', { timeout: 60_000 })
  const id = /pieces\/(\d+)/.exec(page.url())![1]
  const state = (await (await page.request.get(`/api/pieces/${id}`)).json()) as {
    takes: { id: number; shape: { hash: string } }[]
  }
  const take = state.takes[0]
  const asks: [string, object, number, RegExp][] = [
    [`/api/pieces/${id}/recipes`, { takeIds: [999_999] }, 404, /One of the takes is not here/],
    [`/api/pieces/${id}/recipes`, { takeIds: [] }, 400, /must contain at least 1/],
    [
      `/api/pieces/${id}/recipes`,
      { takeIds: [take.id], steps: [{ operation: 'tidy.cut', params: {} }] },
      400,
      /none of them by hand/,
    ],
    [
      `/api/pieces/${id}/recipes`,
      { takeIds: [take.id], steps: [{ operation: 'tidy.thin', params: { spacingMm: -1 } }] },
      422,
      /Spacing must be a positive number/,
    ],
    [
      `/api/pieces/${id}/recipes`,
      { takeIds: [take.id], steps: [{ operation: 'tidy.polish', params: {} }] },
      422,
      /There is no operation called "tidy.polish"/,
    ],
    [
      `/api/pieces/${id}/jobs`,
      { operation: 'tidy.subtractBench', params: {}, takeId: take.id },
      409,
      /The empty bench is not known/,
    ],
    [
      `/api/pieces/${id}/selections/kept`,
      { takeId: take.id, name: ' ', selection: 'a'.repeat(64), chosen: 1 },
      400,
      /name is not allowed to be empty/i,
    ],
    [
      `/api/pieces/${id}/selections/kept`,
      { takeId: take.id, name: 'rod', selection: take.shape.hash, chosen: 1 },
      404,
      /What was chosen did not arrive/,
    ],
    ['/api/takes/999999/copy', { pieceId: Number(id) }, 404, /That take is not here/],
  ]
  for (const [url, data, status, words] of asks) {
    const answer = await page.request.post(url, { data })
    const { error } = (await answer.json()) as { error: string }
    expect([answer.status(), error], url).toEqual([status, expect.stringMatching(words)])
    expect(error).not.toMatch(/\n|Error:|at \w+ \(/)
  }
  expect((await page.request.delete(`/api/pieces/${id}/selections/kept?id=7777777`)).status()).toBe(404)
  // Nothing of it was kept, and the take is as it was.
  expect(await hashes(page)).toEqual([take.shape.hash])
})
