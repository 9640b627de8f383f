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
import { choose, drag, newPiece, stages, stageShows, watchConsole } from './helpers'

const POINTS = 20_000
/** A hollow ball of 40 mm about (0, 0, 20), as text. */
function ball(): Buffer {
  const random = seededRandom(5)
  return Buffer.from(
    Array.from({ length: POINTS }, () => {
      const [x, y, z] = [random.gaussian(), random.gaussian(), random.gaussian()]
      const l = Math.hypot(x, y, z) / 20
      return `${(x / l).toFixed(4)} ${(y / l).toFixed(4)} ${(z / l + 20).toFixed(4)}`
    }).join('\n'),
  )
}

/** How many points the preview says would go. */
async function chosen(page: Page): Promise<number> {
  const text = await page.getByTestId('preview').textContent()
  return Number(/([\d,]+) of 20,000 points/.exec(text!)![1].replaceAll(',', ''))
}

test('points chosen by hand on a hollow ball: front only and through, lasso, brush, grow, take out, turn round; cut and undone; by keyboard alone too', async ({
  page,
}) => {
  const errors = watchConsole(page)
  await newPiece(page, 'Hollow ball')
  await page.getByTestId('files').setInputFiles({ name: 'ball.xyz', mimeType: 'text/plain', buffer: ball() })
  await expect(page.getByTestId('take')).toContainText('20 k points', { timeout: 60_000 })
  await page.getByRole('navigation', { name: 'Route' }).getByRole('button', { name: /^Tidy/ }).click()
  await stageShows(stages(page).first(), /take/)
  const whole: readonly (readonly [number, number])[] = [
    [0.02, 0.04],
    [0.5, 0.5],
    [0.98, 0.96],
  ]
  // A frame round everything: through takes all, the front only the half that shows.
  await page.getByRole('button', { name: 'Frame', exact: true }).click()
  await choose(page.getByLabel('reaches'), 'through')
  await drag(page, whole)
  await expect(page.getByTestId('preview')).toContainText('20,000 of 20,000 points')
  await page.getByRole('button', { name: 'Leave them' }).click()
  await choose(page.getByLabel('reaches'), 'the front only')
  await drag(page, whole)
  await expect(page.getByTestId('preview')).toBeVisible()
  const front = await chosen(page)
  expect(front / POINTS).toBeGreaterThan(0.42)
  expect(front / POINTS).toBeLessThan(0.58)
  // Turned round, the two make the whole.
  await page.getByRole('button', { name: 'Turn round' }).click()
  await expect(page.getByTestId('preview')).toContainText(`${(POINTS - front).toLocaleString('en')} of 20,000 points`)
  await page.getByRole('button', { name: 'Leave them' }).click()
  // A polygon, corner by corner: Backspace takes one back, Enter closes it; a double click does too.
  await page.getByRole('button', { name: 'Polygon' }).click()
  const board = (await page.getByTestId('chooser').boundingBox())!
  const corner = (x: number, y: number): Promise<void> =>
    page.mouse.click(board.x + x * board.width, board.y + y * board.height)
  for (const [x, y] of [
    [0.45, 0.42],
    [0.9, 0.9],
    [0.55, 0.42],
  ] as const)
    await corner(x, y)
  await page.keyboard.press('Backspace')
  await page.keyboard.press('Backspace')
  for (const [x, y] of [
    [0.55, 0.42],
    [0.56, 0.55],
    [0.44, 0.55],
  ] as const)
    await corner(x, y)
  await page.keyboard.press('Enter')
  await expect(page.getByTestId('preview')).toBeVisible()
  await expect(page.getByTestId('preview')).toContainText(/about [\d.]+ cm²/)
  const cornered = await chosen(page)
  await page.getByRole('button', { name: 'Leave them' }).click()
  // A lasso in the middle, grown, and a brush that takes out again.
  await page.getByRole('button', { name: 'Lasso' }).click()
  await drag(page, [
    [0.45, 0.42],
    [0.55, 0.42],
    [0.56, 0.55],
    [0.44, 0.55],
  ])
  await expect(page.getByTestId('preview')).toBeVisible()
  const lasso = await chosen(page)
  expect(lasso).toBeGreaterThan(20)
  // The same four corners.
  expect(Math.abs(cornered / lasso - 1)).toBeLessThan(0.05)
  expect(lasso).toBeLessThan(front / 2)
  await page.getByRole('button', { name: 'Grow' }).click()
  await expect.poll(() => chosen(page)).toBeGreaterThan(lasso)
  const grown = await chosen(page)
  await choose(page.getByLabel('The hand'), 'takes out')
  await page.getByRole('button', { name: 'Brush' }).click()
  await drag(page, [
    [0.47, 0.48],
    [0.53, 0.49],
  ])
  await expect.poll(() => chosen(page)).toBeLessThan(grown)
  // What is painted is what goes; undo brings it back.
  await page.waitForTimeout(500)
  const cut = await chosen(page)
  await page.getByRole('button', { name: `Cut ${cut.toLocaleString('en')} points` }).click()
  await expect(page.getByTestId('finding')).toContainText(`${cut.toLocaleString('en')} points were cut by hand`, {
    timeout: 60_000,
  })
  await expect(page.getByTestId('chooser')).toHaveCount(0)
  await page.keyboard.press('Control+z')
  await expect(page.getByTestId('take')).toContainText('20 k points')
  await expect(page.getByText('“ball” is as it was taken: 20,000 points.')).toBeVisible()
  // By keyboard: everything below a height.
  await choose(page.getByLabel('The hand'), 'adds')
  await page.getByLabel('Height').focus()
  await page.keyboard.type('20')
  await page.keyboard.press('Tab')
  await page.keyboard.press('Enter')
  await expect(page.getByTestId('preview')).toBeVisible()
  const below = await chosen(page)
  expect(Math.abs(below / POINTS - 0.5)).toBeLessThan(0.02)
  await page.getByRole('button', { name: `Cut ${below.toLocaleString('en')} points` }).focus()
  await page.keyboard.press('Enter')
  await expect(page.getByTestId('finding')).toContainText('points were cut by hand', { timeout: 60_000 })
  // Refusals: nothing under the pointer, a height that is none, values the take does not have.
  const alert = page.getByLabel('Card').getByRole('alert')
  await page.getByRole('button', { name: 'Part', exact: true }).click()
  await drag(page, [
    [0.03, 0.05],
    [0.03, 0.05],
  ])
  await expect(alert).toContainText('There is no point under the pointer')
  await page.getByLabel('Height').fill('low')
  await page.getByRole('button', { name: 'Choose' }).first().click()
  await expect(alert).toContainText('Give the height as a number.')
  await page.getByRole('button', { name: 'Choose' }).last().click()
  await expect(alert).toContainText('does not say how sure its points are')
  await page.keyboard.press('Escape')
  await expect(page.getByTestId('chooser')).toHaveCount(0)
  expect(errors).toEqual([])
})

test('a take of the lamp: glancing points and flat places are shown before they go, noise is taken off under its cap, all of it undone', async ({
  page,
}) => {
  await newPiece(page, 'Tidied in steps')
  const { cloud } = captureTake(OIL_LAMP, LAMP_TAKES[0], TABLETOP_DEVICE, 3, quietContext(), {
    spacingMm: 0.8,
    pitchMm: 1.2,
    reference: true,
  })
  await page.getByTestId('files').setInputFiles({
    name: 'lamp.glb',
    mimeType: 'model/gltf-binary',
    buffer: Buffer.concat([...writeShape(cloud, 'glb')]),
  })
  const count = (cloud.positions.length / 3).toLocaleString('en')
  await page.getByRole('navigation', { name: 'Route' }).getByRole('button', { name: /^Tidy/ }).click()
  await expect(page.getByText(`“lamp” is as it was taken: ${count} points.`)).toBeVisible({ timeout: 60_000 })
  await page.getByText('Noise and thinning', { exact: true }).click()
  await page.getByLabel('Seen flatter than').fill('steep')
  await page.getByRole('button', { name: 'Show the glancing points' }).click()
  await expect(page.getByLabel('Card').getByRole('alert')).toContainText('Give the angle as a number from 30 to 90.')
  await page.getByLabel('Seen flatter than').fill('65')
  await page.getByRole('button', { name: 'Show the glancing points' }).click()
  await expect(page.getByTestId('preview')).toContainText(/points \([\d.]+ %\) were seen flatter than 65°/, {
    timeout: 60_000,
  })
  await page.getByRole('button', { name: /^Remove [\d,]+ points$/ }).click()
  await expect(page.getByTestId('finding')).toContainText('were seen flatter than 65°', { timeout: 60_000 })
  await page.getByLabel('No point moves more than').fill('0.2')
  await page.getByRole('button', { name: 'Take the noise off “lamp”' }).click()
  await expect(page.getByTestId('finding')).toContainText(
    /Noise was taken off: points moved by 0\.\d+ mm on the whole, none by more than 0\.\d+ mm/,
    { timeout: 60_000 },
  )
  await page.getByLabel('The surface may lose').fill('0.2')
  await page.getByRole('button', { name: 'Show what would be thinned' }).click()
  await expect(page.getByTestId('preview')).toContainText(/points say the same within 0\.\d+ mm/, { timeout: 60_000 })
  await page.getByRole('button', { name: /^Remove [\d,]+ points$/ }).click()
  await expect(page.getByTestId('finding')).toContainText('edges and relief keep theirs', { timeout: 60_000 })
  for (let i = 0; i < 3; i++) {
    await page.keyboard.press('Control+z')
    await page.waitForTimeout(400)
  }
  await expect(page.getByText(`“lamp” is as it was taken: ${count} points.`)).toBeVisible()
})
