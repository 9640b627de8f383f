import { expect, test } from '@playwright/test'
import type { TriangleMesh } from '@holosoma/core'
import { cube, torus, withoutFaces } from '@holosoma/core/testing/solids'
import { merged, shifted } from '@holosoma/core/testing/altered'
import { asSkin, stages, stageShows, watchConsole } from './helpers'

const WAIT = { timeout: 240_000 }

const ring = torus(30, 9, 120, 60)
/** The ring without faces whose first corner lies where a test says so. */
const ringWithout = (is: (x: number, y: number, z: number) => boolean): TriangleMesh =>
  withoutFaces(
    ring,
    Array.from({ length: ring.indices.length / 3 }, (_, f) => f).filter((f) => {
      const v = ring.indices[f * 3] * 3
      return is(ring.positions[v], ring.positions[v + 1], ring.positions[v + 2])
    }),
  )

test('faults are listed by their places; the line among the rims is dragged; all that is safe is cured by one press', async ({
  page,
}) => {
  const errors = watchConsole(page)
  const holes: [number, number, number][] = [
    [30, 0, 4],
    [0, 30, 2],
    [-30, 0, 6],
    [0, -30, 1.2],
    [21, 21, 1.5],
  ]
  const bitten = ringWithout((x, y, z) => holes.some(([a, b, r]) => Math.hypot(x - a, y - b, z - 9) < r))
  await asSkin(page, merged(bitten, shifted(torus(8, 2, 40, 20), 38, 10, 3), shifted(cube(0.5), 50, 0, 0)))
  const finding = page.getByTestId('finding').first()
  await expect(finding).toContainText(/5 holes.*places where faces cross/, WAIT)
  const faults = page.getByRole('list', { name: 'Faults' })
  await expect(faults.getByRole('button', { name: /^Go to fault \d+: faces cross/ }).first()).toBeVisible()
  await expect(faults.getByText('a part by itself')).toHaveCount(2)

  const stage = stages(page).first()
  const zoom = (): Promise<number> =>
    stage.evaluate((c) => (c as HTMLCanvasElement & { stage: { pose(): { zoom: number } } }).stage.pose().zoom)
  expect(await zoom()).toBe(1)
  await faults
    .getByRole('button', { name: /^Go to fault/ })
    .first()
    .click()
  expect(await zoom()).toBeGreaterThan(1.5)

  await page.getByText('Holes up to a rim', { exact: true }).click()
  const chart = page.getByTestId('rim-chart')
  await expect(page.getByRole('button', { name: 'Close 5 of 5' })).toBeVisible()
  await chart.scrollIntoViewIfNeeded()
  const box = (await chart.boundingBox())!
  await page.mouse.move(box.x + box.width - 8, box.y + 30)
  await page.mouse.down()
  await page.mouse.move(box.x + box.width * 0.52, box.y + 30, { steps: 6 })
  await page.mouse.up()
  await expect(page.getByRole('button', { name: 'Close 3 of 5' })).toBeVisible()
  // The same by the keyboard: one step of the bar at a time, and to its end.
  await page.getByRole('slider', { name: 'Longest rim to close' }).press('End')
  await expect(page.getByRole('button', { name: 'Close 5 of 5' })).toBeVisible()
  await page.getByRole('slider', { name: 'Longest rim to close' }).press('Home')
  await expect(page.getByRole('button', { name: 'Close 0 of 5' })).toBeVisible()
  await page.getByLabel('Longest rim to close').last().fill('20')
  await page.getByRole('button', { name: 'Close 3 of 5' }).click()
  await expect(finding).toContainText('2 holes', WAIT)

  await page.getByRole('button', { name: 'Cure what is safe' }).first().click()
  await expect(finding).toContainText(/closed and clean: .* one part/, WAIT)
  await expect(faults).toHaveCount(0)
  await page.getByRole('tab', { name: /Ledger/ }).click()
  await expect(
    page
      .getByRole('list', { name: 'Ledger' })
      .getByText(/^Cured what is safe: 1 crumb taken away; 2 holes closed; 2 bodies .* made one/),
  ).toBeVisible()
  await page.keyboard.press('Control+z')
  await page.getByRole('tab', { name: 'Mend', exact: true }).click()
  await expect(finding).toContainText('2 holes', WAIT)
  expect(errors).toEqual([])
})

test('a gap is bridged from rim to rim; a feature is taken off by the brush; triangles are laid evenly', async ({
  page,
}) => {
  const errors = watchConsole(page)
  await asSkin(
    page,
    ringWithout((x, y) => x > 0 && Math.abs(y) < 3),
  )
  const finding = page.getByTestId('finding').first()
  await expect(finding).toContainText('2 holes', WAIT)
  await page.getByRole('button', { name: 'Bridge hole 1 to another' }).click()
  await page.getByRole('button', { name: 'Bridge hole 1 to 2' }).click()
  await expect(finding).toContainText('closed and clean', WAIT)
  // One band makes the ring again: it has its handle.
  await expect(page.getByRole('row', { name: /^Parts, handles/ })).toContainText('1, 1')

  // Its loops are told by the check; closed along the shorter one it is a bent rod, and undone a ring again.
  await page.getByText('Cure and check again', { exact: true }).click()
  await page.getByRole('button', { name: 'Check its health again' }).click()
  await page.getByText('Handles and tunnels: 2 loops', { exact: true }).click(WAIT)
  await expect(page.getByRole('list', { name: 'Handles' }).getByRole('listitem')).toHaveCount(2, WAIT)
  await page.getByRole('button', { name: 'Close along loop 1' }).click()
  await expect(page.getByRole('row', { name: /^Parts, handles/ })).toContainText('1, 0', WAIT)
  await page.getByRole('button', { name: 'Undo', exact: true }).click()
  await expect(page.getByRole('row', { name: /^Parts, handles/ })).toContainText('1, 1', WAIT)

  const stage = stages(page).first()
  await stageShows(stage, /^mesh/)
  const bridged = (await stage.getAttribute('data-layers'))!
  await page.getByText('A part of it', { exact: true }).click()
  await page.getByRole('group', { name: 'Point at it with' }).getByRole('button', { name: 'Brush' }).click()
  await page.getByLabel('Radius of the brush').fill('3')
  const at = await stage.evaluate((c) =>
    (c as HTMLCanvasElement & { stage: { screen(p: number[]): { x: number; y: number } } }).stage.screen([0, -30, 9]),
  )
  const area = (await stage.boundingBox())!
  await page.mouse.move(area.x + at.x - 6, area.y + at.y)
  await page.mouse.down()
  await page.mouse.move(area.x + at.x + 6, area.y + at.y, { steps: 4 })
  await page.mouse.up()
  await expect(page.getByRole('status').filter({ hasText: 'of the surface' })).toBeVisible(WAIT)
  await page.getByRole('button', { name: 'Take it off, and close as the surface goes' }).click()
  await expect(stage).not.toHaveAttribute('data-layers', bridged, WAIT)
  await expect(finding).toContainText('closed and clean', WAIT)

  await page.getByText('Noise of the whole', { exact: true }).click()
  await page.getByRole('button', { name: 'Take noise off' }).click()
  await expect(page.getByText('Say how far the surface may move at most.')).toBeVisible()
  await page.getByLabel('No point moves farther than').fill('0.05')
  await page.getByRole('button', { name: 'Take noise off' }).click()
  await page.getByText('Other triangles', { exact: true }).click()
  await page.getByLabel('Edges of about').fill('2')
  await page.getByRole('button', { name: 'Lay even triangles' }).click()
  await page.getByRole('tab', { name: /Ledger/ }).click()
  const ledger = page.getByRole('list', { name: 'Ledger' })
  await expect(ledger.getByText(/^Laid even triangles with edges of 2\.00 mm/)).toBeVisible(WAIT)
  await expect(ledger.getByText(/^Took a feature of .* off, and closed what it left/)).toBeVisible()
  await expect(ledger.getByText(/^Took noise off, edges kept: .* moved by .* at most/)).toBeVisible()
  await expect(ledger.getByText(/^Bridged two holes/)).toBeVisible()
  expect(errors).toEqual([])
})
