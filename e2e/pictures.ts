/**
 * Takes the pictures of docs/screenshots from a running Holosoma with its demo: npx tsx e2e/pictures.ts [address]
 * [folder]
 */
import { chromium } from '@playwright/test'
import config from '../playwright.config'
import { choose, pickPairs, stages, stageShows } from './helpers'

const address = process.argv[2] ?? 'http://127.0.0.1:3000'
const folder = process.argv[3] ?? 'docs/screenshots'
const browser = await chromium.launch(config.use!.launchOptions)
const page = await browser.newPage({ viewport: { width: 1280, height: 800 } })
page.on('console', (m) => {
  if (m.type() === 'error') process.stderr.write(`console: ${m.text()}\n`)
})
const shot = async (name: string): Promise<void> => {
  await page.waitForTimeout(900)
  await page.screenshot({ path: `${folder}/${name}.png` })
}
await page.goto(address)
await page.getByTestId('piece').first().waitFor()
await shot('shelf')
await page.goto(`${address}/devices`)
await page.getByRole('button', { name: /^Tabletop/ }).click()
await shot('devices')
const at = (station: string) =>
  page
    .getByRole('navigation', { name: 'Route' })
    .getByRole('button', { name: new RegExp(`^${station}`) })
    .click()
// The stove tile: its slide, and the take that cures it.
await page.goto(address)
await page.getByRole('link', { name: 'Stove tile' }).click()
await at('Brief')
for (const [label, value] of [
  ['Length', '140'],
  ['Width', '140'],
  ['Height', '18'],
  ['Smallest detail to hold', '1.2'],
  ['Mass', '620'],
] as const)
  await page.getByLabel(label, { exact: true }).fill(value)
await page.getByLabel('Name of zone 1').fill('relief and rim')
await page.getByLabel('Material of zone 1').fill('glazed earthenware')
await choose(page.getByLabel('Finish of zone 1'), 'satin')
await shot('brief')
await at('Plan')
await page.getByTestId('proposal').waitFor({ timeout: 120_000 })
await shot('plan')
await page.goto(address)
await page.getByRole('link', { name: 'Net bobbin' }).click()
await at('Plan')
await page.getByText(/^Dots: none/).click()
await choose(page.getByLabel('Where'), 'on a mat')
await page.getByTestId('dots').waitFor({ timeout: 120_000 })
await page.getByTestId('dots').scrollIntoViewIfNeeded()
await page.goto(page.url().replace(/\?.*/, '/run-sheet'))
await page.getByTestId('run-step').first().waitFor({ timeout: 120_000 })
await page.getByText('Take “upright”').scrollIntoViewIfNeeded()
await page.evaluate(() => scrollBy(0, 260))
await shot('run-sheet')
// A mesh of another, with its holes waiting.
await page.goto(address)
await page.getByRole('link', { name: 'Bobbin, a mesh to mend' }).click()
await at('Mend')
await stageShows(stages(page).first(), /mesh/)
await shot('mend')
// The bench before a shot, and what is missing after one.
await page.goto(address)
await page.getByRole('link', { name: 'Banded jug' }).click()
await at('Take')
await page.getByTestId('depth-strip').waitFor({ timeout: 120_000 })
await page.getByTestId('bench').scrollIntoViewIfNeeded()
await shot('take-bench')
await page.getByText(/^Photos of/).click()
await page.getByRole('button', { name: 'Take 24 photos' }).click()
await page
  .getByText(/^9 of 24 photos are missing/)
  .last()
  .waitFor({ timeout: 120_000 })
await page.getByTestId('photos').scrollIntoViewIfNeeded()
await page.waitForFunction(
  () =>
    [...document.querySelectorAll<HTMLImageElement>('[data-testid=photos] img')].filter(
      (i) => i.complete && i.naturalWidth > 0,
    ).length >= 9,
)
await shot('take-photos')
await page.goto(address)
await page.getByRole('link', { name: 'Gull figurehead' }).click()
await at('Take')
await page.getByTestId('bench').getByRole('button', { name: 'Take “upright”' }).click()
await page.getByText(/“upright”: [\d,]+ points/).waitFor({ timeout: 120_000 })
await page.getByRole('button', { name: 'Look for what is missing' }).click()
await page.getByText(/Not yet: about/).waitFor({ timeout: 120_000 })
await stageShows(stages(page).first(), /missing/)
await shot('take-missing')
await page.goto(address)
await page.getByRole('link', { name: 'Lamp, a worked example' }).click()
for (const station of ['Tidy', 'Join', 'Skin', 'Size', 'Release']) {
  await at(station)
  await stageShows(stages(page).first(), /take|mesh/)
  if (station === 'Tidy') {
    await choose(page.getByLabel('It works on'), 'all takes that show')
    await stageShows(stages(page).first(), /take.*take/)
    await page.getByRole('button', { name: 'Lasso' }).click()
    const box = (await page.getByTestId('chooser').boundingBox())!
    const drawn = [
      [0.3, 0.62],
      [0.4, 0.5],
      [0.56, 0.56],
      [0.74, 0.6],
      [0.85, 0.75],
      [0.6, 0.86],
      [0.36, 0.82],
    ].map(([x, y]) => [box.x + x * box.width, box.y + y * box.height] as const)
    await page.mouse.move(...drawn[0])
    await page.mouse.down()
    for (const p of drawn.slice(1)) await page.mouse.move(...p, { steps: 5 })
    await page.mouse.up()
    await page.getByTestId('preview').waitFor()
    await page.waitForTimeout(1500)
  }
  if (station === 'Skin') await page.getByRole('button', { name: 'Evidence' }).click()
  await shot(station.toLowerCase())
  if (station === 'Tidy') await page.getByRole('button', { name: 'Leave them' }).click()
  if (station === 'Join') {
    await page.getByRole('button', { name: 'Picks' }).click()
    await pickPairs(page, 3)
    await page.getByText('Matched here at once').waitFor({ timeout: 120_000 })
    await page.getByLabel('lay the right take on the left one').check()
    await page.waitForTimeout(2500)
    await shot('join-picks')
    await page.getByRole('button', { name: 'Back to the join as it is' }).click()
  }
}
// Photos of both poses, and the skin in its colours.
for (const take of ['upright', 'side']) {
  await page.evaluate(
    (body) =>
      fetch(`${location.pathname.replace('/pieces/', '/api/pieces/')}/photos`, {
        method: 'POST',
        body,
        headers: { 'content-type': 'application/json' },
      }),
    JSON.stringify({ take, perTurn: 24, intervalSeconds: 3 }),
  )
  await page.getByTestId('busy').waitFor({ timeout: 20_000 })
  await page.waitForFunction(() => !document.querySelector('[data-testid=busy]'), undefined, { timeout: 120_000 })
  await page.waitForTimeout(2500)
  await page.waitForFunction(() => !document.querySelector('[data-testid=busy]'), undefined, { timeout: 120_000 })
}
await at('Colour')
await page.getByRole('button', { name: 'Colour it from 48 photos' }).click()
await stageShows(stages(page).first(), /^coloured/)
// Till the notice that it is done has gone.
await page.waitForTimeout(9000)
await shot('colour')
await at('Skin')
await page.getByLabel('Spacing').fill('2.5')
await page.getByRole('button', { name: 'Make another beside it' }).click()
await page.getByTestId('result').nth(1).waitFor({ timeout: 120_000 })
await page
  .getByTestId('result')
  .first()
  .getByRole('button', { name: /^More of/ })
  .click()
await page.getByRole('menuitem', { name: 'Compare…' }).click()
await page.getByText('Difference', { exact: true }).click()
await page.getByTestId('difference').waitFor({ timeout: 120_000 })
await page.mouse.move(300, 60)
// Till the notice that the skin is done has gone from over the legend.
await page.waitForTimeout(9000)
await shot('compare')
await page.keyboard.press('Escape')
await page.getByRole('tab', { name: /Ledger/ }).click()
await shot('ledger')
await page.goto(page.url().replace(/\?.*/, '/report'))
await shot('report')
await browser.close()
