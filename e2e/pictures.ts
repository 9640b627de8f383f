/**
 * Takes the pictures of docs/screenshots from a running Holosoma with its demo: npx tsx e2e/pictures.ts [address] [folder]
 */
import { chromium } from '@playwright/test'
import config from '../playwright.config'
import { pickPairs, stages, stageShows } from './helpers'

const address = process.argv[2] ?? 'http://127.0.0.1:3000'
const folder = process.argv[3] ?? 'docs/screenshots'
const browser = await chromium.launch(config.use!.launchOptions!)
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
await page.getByRole('link', { name: 'Lamp, a worked example' }).click()
const at = (station: string) => page.getByRole('navigation', { name: 'Route' }).getByRole('button', { name: new RegExp(`^${station}`) }).click()
for (const station of ['Take', 'Tidy', 'Join', 'Skin', 'Mend', 'Size', 'Release']) {
  await at(station)
  await stageShows(stages(page).first(), /take|mesh/)
  if (station === 'Tidy') {
    await page.getByRole('button', { name: 'Undo' }).waitFor()
  }
  if (station === 'Skin') await page.getByRole('button', { name: 'Evidence' }).click()
  await shot(station.toLowerCase())
  if (station === 'Join') {
    await page.getByRole('button', { name: 'Residual' }).click()
    await page.waitForTimeout(2500)
    await shot('join-residual')
    await page.getByRole('button', { name: 'Takes', exact: true }).click()
    await page.getByRole('button', { name: 'Picks' }).click()
    await pickPairs(page, 3)
    await shot('join-picks')
    await page.getByRole('button', { name: 'Back to the join as it is' }).click()
  }
}
await page.getByRole('tab', { name: /Ledger/ }).click()
await shot('ledger')
await page.goto(page.url().replace(/\?.*/, '/report'))
await shot('report')
await browser.close()
