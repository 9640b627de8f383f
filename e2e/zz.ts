import { chromium } from '@playwright/test'
const browser = await chromium.launch({
  executablePath: '/usr/bin/chromium',
  args: ['--no-sandbox', '--use-angle=swiftshader', '--enable-unsafe-swiftshader', '--disable-gpu'],
})
const page = await browser.newPage({ viewport: { width: 1280, height: 800 } })
page.on('console', (m) => m.type() === 'error' && console.log('console:', m.text().slice(0, 600)))
page.on('pageerror', (e) => console.log('pageerror:', e.message, e.stack?.slice(0, 800)))
await page.goto('http://127.0.0.1:3100/')
await page.waitForTimeout(1500)
await page.screenshot({ path: '/tmp/w/z-shelf.png' })
await page.getByRole('link', { name: /worked example/ }).click()
await page.waitForTimeout(3000)
await page.getByRole('navigation', { name: 'Route' }).getByRole('button', { name: /^Mend/ }).click()
await page.waitForTimeout(3000)
await browser.close()
