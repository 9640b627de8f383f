import { expect, test } from '@playwright/test'
import { EXAMPLE, newPiece, openExample, stages, stageShows, watchConsole } from './helpers'

const STATIONS = ['Brief', 'Plan', 'Take', 'Tidy', 'Join', 'Skin', 'Mend', 'Size', 'Release']

for (const { tag, ...size } of [
  { width: 1280, height: 800, tag: [] },
  { width: 1920, height: 1080, tag: ['@night'] },
]) {
  test(
    `every station of the worked example at ${size.width} × ${size.height}: nothing cut off, no scroll of the page, names for all buttons, no console errors`,
    { tag },
    async ({ page }) => {
      const errors = watchConsole(page)
      await page.setViewportSize(size)
      await openExample(page)
      for (const station of STATIONS) {
        await page
          .getByRole('navigation', { name: 'Route' })
          .getByRole('button', { name: new RegExp(`^${station}`) })
          .click()
        if (station !== 'Brief') await stageShows(stages(page).first(), /take|mesh|plan/)
        await expect(page.getByRole('tab', { name: station })).toHaveAttribute('aria-selected', 'true')
        const spill = await page.evaluate(() => ({
          x: document.documentElement.scrollWidth - innerWidth,
          y: document.documentElement.scrollHeight - innerHeight,
        }))
        expect(spill).toEqual({ x: 0, y: 0 })
        const nameless = await page.evaluate(() =>
          [...document.querySelectorAll('button, a, input:not([hidden], [aria-hidden=true]), canvas[tabindex]')]
            .filter((e) => {
              const name =
                e.getAttribute('aria-label') ??
                (e.textContent?.trim() ||
                  [...((e as HTMLInputElement).labels ?? [])].map((l) => l.textContent).join(''))
              return !name
            })
            .map((e) => e.outerHTML.slice(0, 120)),
        )
        expect(nameless).toEqual([])
        const small = await page.evaluate(
          () =>
            [...document.querySelectorAll('main button, footer button, header button')]
              // A tick is clicked on its words as well.
              .map((b) => (b.closest('label') ?? b).getBoundingClientRect())
              .filter((r) => r.width > 0 && Math.min(r.width, r.height) < 31.5).length,
        )
        expect(small).toBe(0)
      }
      expect(errors).toEqual([])
    },
  )
}

test('by keyboard alone: stations, view, key sheet, command palette, focus that can be seen', async ({ page }) => {
  await page.goto('/')
  await page.getByRole('link', { name: EXAMPLE }).focus()
  await page.keyboard.press('Enter')
  await page.getByRole('navigation', { name: 'Route' }).waitFor()
  await page.keyboard.press('6')
  await expect(page.getByRole('tab', { name: 'Skin' })).toHaveAttribute('aria-selected', 'true')
  const stage = stages(page).first()
  await stageShows(stage, /mesh/)
  type StageCanvas = HTMLCanvasElement & { stage: { pose(): { direction: number[]; zoom: number; offset: number[] } } }
  const pose = () => stage.evaluate((c) => (c as StageCanvas).stage.pose())
  const start = await pose()
  await stage.focus()
  await page.keyboard.press('ArrowRight')
  expect((await pose()).direction).not.toEqual(start.direction)
  await page.keyboard.press('Shift+ArrowUp')
  expect((await pose()).offset).not.toEqual(start.offset)
  const bar = page.getByTestId('scale-bar')
  const perPixel = async () => Number(await bar.getAttribute('data-mm')) / Number(await bar.getAttribute('data-px'))
  const before = await perPixel()
  await page.keyboard.press('+')
  await page.keyboard.press('+')
  expect((await pose()).zoom).toBeGreaterThan(start.zoom)
  // The scale bar tells the truth: twice nearer by 1.15² means as many fewer millimetres a pixel.
  await expect.poll(perPixel).toBeCloseTo(before / 1.15 ** 2, 6)
  // The next station that shows the skin shows it from where it was looked at.
  const turned = await pose()
  await page.keyboard.press(']')
  await expect(page.getByRole('tab', { name: 'Mend' })).toHaveAttribute('aria-selected', 'true')
  await stageShows(stage, /mesh/)
  expect(await pose()).toEqual(turned)
  await page.keyboard.press('[')
  await expect(page.getByRole('tab', { name: 'Skin' })).toHaveAttribute('aria-selected', 'true')
  await page.keyboard.press('f')
  expect((await pose()).zoom).toBe(1)

  await page.keyboard.press('?')
  await expect(page.getByRole('dialog', { name: 'Keys' })).toContainText('Arrows')
  await page.keyboard.press('Escape')
  await expect(page.getByRole('dialog')).toBeHidden()
  await page.keyboard.press('Control+k')
  await page.getByPlaceholder('What do you want to do?').fill('mend')
  await page.keyboard.press('Enter')
  await expect(page.getByRole('tab', { name: 'Mend' })).toHaveAttribute('aria-selected', 'true')
  // A word of the trade finds ours, wherever it is done; the group it stands in opens and has the focus.
  await page.keyboard.press('1')
  await page.keyboard.press('Control+k')
  await page.getByPlaceholder('What do you want to do?').fill('decimate')
  const found = page.getByRole('option')
  await expect(found.filter({ hasText: 'Fewer triangles' })).toContainText('Mend')
  await found.filter({ hasText: 'Fewer triangles' }).click()
  await expect(page.getByRole('button', { name: 'Fewer triangles' })).toBeFocused()
  await expect(page.getByLabel('Triangles to keep')).toBeVisible()
  await page.keyboard.press('Tab')
  const outline = await page.evaluate(() => getComputedStyle(document.activeElement!).outlineWidth)
  expect(outline).toBe('2px')
  const undo = page.getByRole('button', { name: 'Undo' })
  await undo.hover()
  await expect(page.getByRole('tooltip')).toContainText('Undo')
})

test('the scale bar measures the piece: what it calls its length is that many millimetres on the stage', async ({
  page,
}) => {
  await openExample(page)
  await page.keyboard.press('7')
  const stage = stages(page).first()
  await stageShows(stage, /mesh/)
  const bar = page.getByTestId('scale-bar')
  const mm = Number(await bar.getAttribute('data-mm')),
    px = Number(await bar.getAttribute('data-px'))
  type StageCanvas = HTMLCanvasElement & {
    stage: { screen(at: number[]): { x: number; y: number }; pose(): { direction: number[] } }
  }
  // A step of that many millimetres square to the view, on the screen.
  const seen = await stage.evaluate((c, length) => {
    const s = (c as StageCanvas).stage
    const [x, y] = s.pose().direction as [number, number]
    const l = Math.hypot(x, y)
    const a = s.screen([0, 0, 10]),
      b = s.screen([(-y / l) * length, (x / l) * length, 10])
    return Math.hypot(a.x - b.x, a.y - b.y)
  }, mm)
  expect(Math.abs(seen / px - 1)).toBeLessThan(0.005)
})

test('a job shows progress and time, survives a reload, and can be cancelled; nothing is changed by it', async ({
  page,
}) => {
  await openExample(page)
  await page.keyboard.press('6')
  await stageShows(stages(page).first(), /mesh/)
  const steps = await page.getByRole('tab', { name: /Ledger/ }).innerText()
  await page.getByLabel('Spacing').fill('0.2')
  await page.getByRole('button', { name: 'Make the skin again' }).click()
  const busy = page.getByTestId('busy')
  await expect(busy).toContainText(/left/, { timeout: 120_000 })
  await page.reload()
  await expect(busy).toBeVisible({ timeout: 120_000 })
  await expect(page.getByRole('button', { name: 'Make the skin again' })).toBeDisabled()
  await expect(busy.getByRole('progressbar', { name: /skin/i })).toBeVisible()
  // What has run for three seconds is asked about before it is thrown away.
  await expect(busy).toContainText(/0:(0[4-9]|[1-5]\d)/)
  // What is open is what Esc closes: the key sheet, the question, never the work behind them.
  await page.keyboard.press('?')
  await expect(page.getByRole('dialog', { name: 'Keys' })).toBeVisible()
  await page.keyboard.press('Escape')
  await expect(page.getByRole('dialog')).toHaveCount(0)
  await expect(page.getByRole('alertdialog')).toHaveCount(0)
  await page.keyboard.press('Escape')
  const question = page.getByRole('alertdialog', { name: /Cancel/ })
  await expect(question).toContainText('the piece stays as it was')
  await page.keyboard.press('Escape')
  await expect(question).toBeHidden()
  await expect(busy).toBeVisible()
  await busy.getByRole('button', { name: 'Cancel' }).click()
  await question.getByRole('button', { name: 'Cancel it' }).click()
  await expect(busy).toBeHidden({ timeout: 120_000 })
  await expect(page.getByTestId('notice')).toContainText(/^Cancelled: .*Nothing was changed/)
  expect(await page.getByRole('tab', { name: /Ledger/ }).innerText()).toBe(steps)
})

test('refusals at the place they belong', async ({ page }) => {
  await openExample(page)
  const alert = page.getByLabel('Card').getByRole('alert')
  await page.keyboard.press('6')
  await page.getByLabel('Spacing').fill('0')
  await page.getByRole('button', { name: 'Make the skin again' }).click()
  await expect(alert).toContainText('The spacing must be a number larger than 0 mm')
  await page.getByLabel('Spacing').fill('0.002')
  // What no machine has the memory for is not offered.
  await expect(alert.filter({ hasText: 'has not the memory for so fine a skin' })).toBeVisible({ timeout: 120_000 })
  await expect(page.getByRole('button', { name: 'Make the skin again' })).toBeDisabled()
  // A locked take can't be changed, from the page or around it.
  await page.getByRole('navigation', { name: 'Route' }).getByRole('button', { name: /^Tidy/ }).click()
  await page.getByRole('button', { name: /^Lock/ }).first().click()
  await expect(page.getByText('is locked; nothing can change it')).toBeVisible()
  const pieceId = /pieces\/(\d+)/.exec(page.url())![1]
  const state = (await (await page.request.get(`/api/pieces/${pieceId}`)).json()) as { takes: { id: number }[] }
  const refused = await page.request.post(`/api/pieces/${pieceId}/jobs`, {
    data: { operation: 'tidy.thin', params: { spacingMm: 1 }, takeId: state.takes[0].id },
  })
  expect([refused.status(), await refused.json()]).toEqual([
    409,
    { error: '“upright” is locked; unlock it on the contact sheet first.' },
  ])
  await page.getByRole('button', { name: 'Unlock' }).click()
  await expect(page.getByText('is locked; nothing can change it')).toBeHidden()
})

test('the server refuses what makes no sense, in one sentence and without a trace', async ({ page, request }) => {
  const address = await newPiece(page, 'Nonsense')
  const id = /pieces\/(\d+)/.exec(address)![1]
  for (const [method, url, data, status, sentence] of [
    ['post', `/api/pieces/${id}/jobs`, { operation: 'skin.peel' }, 422, 'There is no operation called "skin.peel"'],
    ['post', `/api/pieces/${id}/jobs`, { operation: 'skin.make', params: { spacingMm: 1 } }, 409, 'no take yet'],
    ['post', `/api/pieces/${id}/jobs`, { operation: 'join.match' }, 409, 'Joining needs two takes'],
    ['post', `/api/pieces/${id}/jobs`, { operation: 'size.scale', params: { factor: 2 } }, 409, 'There is no skin yet'],
    ['post', `/api/pieces/${id}/jobs`, 'not json', 415, 'takes application/json'],
    ['post', `/api/pieces/999999/jobs`, { operation: 'join.match' }, 404, 'no such piece'],
    ['post', `/api/pieces/${id}/history`, { move: 'sideways' }, 400, 'must be one of'],
    ['post', '/api/pieces', { name: '' }, 400, 'not allowed to be empty'],
    ['get', `/api/pieces/${id}/release?format=doc`, undefined, 400, 'must be one of'],
    ['get', `/api/pieces/${id}/release`, undefined, 409, 'no skin yet to release'],
    ['get', '/api/shapes/zzz', undefined, 404, 'no such shape'],
    ['get', `/api/shapes/${'0'.repeat(64)}`, undefined, 404, 'no such shape'],
    ['get', '/api/pieces/abc/events', undefined, 404, 'nothing here'],
  ] as const) {
    const r = await request[method](url, data === undefined ? {} : { data })
    const body = await r.text()
    expect(r.status(), url).toBe(status)
    expect((JSON.parse(body) as { error: string }).error).toContain(sentence)
    expect(body).not.toMatch(/\n\s+at |node_modules/)
  }
  expect((await page.goto('/pieces/999999'))!.status()).toBe(404)
  await expect(page.getByText('There is nothing here.')).toBeVisible()
})
