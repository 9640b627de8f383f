/*
 * The lasso in the real page, over many takes at once: from letting go of the pointer until what was chosen is told and
 * painted, and how long the page's main thread was ever busy in one go while it was reckoned.
 *   npm start          (in another terminal)
 *   npx tsx benchmarks/lasso-page.ts [takes] [points] [address]
 */
import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { chromium } from 'playwright'
import { seededRandom } from '../core/src/linear/random'

const [takes = 12, points = 1_000_000] = process.argv.slice(2, 4).map(Number)
const address = process.argv[4] ?? 'http://127.0.0.1:3000'

async function main(): Promise<void> {
  const folder = join(mkdtempSync(join(tmpdir(), 'takes-')), 'session')
  mkdirSync(folder)
  for (let t = 0; t < takes; t++) {
    const random = seededRandom(t + 1)
    const head = Buffer.from(
      `ply\nformat binary_little_endian 1.0\nelement vertex ` +
        `${points}\n${['x', 'y', 'z', 'nx', 'ny', 'nz'].map((c) => `property float ${c}\n`).join('')}end_header\n`,
    )
    const body = Buffer.alloc(points * 24)
    for (let i = 0; i < points; i++) {
      const a = 2 * Math.PI * random.next(),
        z = random.next() * 1.6 - 0.6,
        s = Math.sqrt(Math.max(0, 1 - z * z)),
        r = 60 + 2 * Math.sin(7 * a) * Math.cos(5 * z)
      ;[r * s * Math.cos(a), r * s * Math.sin(a), r * z + 60, s * Math.cos(a), s * Math.sin(a), z].forEach((v, c) =>
        body.writeFloatLE(v, i * 24 + 4 * c),
      )
    }
    writeFileSync(join(folder, `take-${String(t + 1).padStart(2, '0')}.ply`), Buffer.concat([head, body]))
  }
  const browser = await chromium.launch({
    executablePath: process.env.HOLOSOMA_CHROMIUM ?? '/usr/bin/chromium',
    args: ['--no-sandbox', '--disable-gpu', '--use-angle=swiftshader', '--enable-unsafe-swiftshader'],
  })
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 } })
  const { id } = (await (
    await page.request.post(`${address}/api/pieces`, { data: { name: `Lasso over ${takes}`, number: '' } })
  ).json()) as { id: number }
  await page.goto(`${address}/pieces/${id}?station=take`)
  await page.getByText('Choose scan files').waitFor()
  await page.getByTestId('folder').setInputFiles(folder)
  await page.waitForFunction(
    (n) => {
      const here = [...document.querySelectorAll('[data-testid=take]')]
      return here.length === n && here.every((t) => !t.textContent?.includes('arriving'))
    },
    takes,
    { timeout: 600_000 },
  )
  await page.goto(`${address}/pieces/${id}?station=tidy`)
  await page.getByLabel('It works on').selectOption('all')
  await page.waitForFunction(
    (n) =>
      (document.querySelector('[data-testid=stage]')?.getAttribute('data-layers') ?? '').split('take ').length ===
      n + 1,
    takes,
    { timeout: 300_000 },
  )
  await page.getByRole('button', { name: 'Lasso' }).click()
  await page.waitForTimeout(15_000)
  await page.evaluate(() => {
    const w = window as unknown as { longest: number[] }
    w.longest = []
    new PerformanceObserver((list) => list.getEntries().forEach((e) => w.longest.push(e.duration))).observe({
      entryTypes: ['longtask'],
    })
  })
  const box = (await page.getByTestId('chooser').boundingBox())!
  const corner = (k: number): [number, number] => [
    box.x + box.width * (0.5 + 0.19 * Math.cos(k / 3.2)),
    box.y + box.height * (0.5 + 0.27 * Math.sin(k / 3.2)),
  ]
  for (const reach of ['through', 'front', 'through', 'front'] as const) {
    await page.getByLabel('reaches').selectOption(reach)
    await page.waitForTimeout(1500)
    await page.mouse.move(...corner(0))
    await page.mouse.down()
    // About a second, as a hand takes.
    for (let k = 1; k < 20; k++) {
      await page.mouse.move(...corner(k))
      await page.waitForTimeout(50)
    }
    await page.evaluate(() => {
      const w = window as unknown as { longest: number[]; told: number; let: number }
      w.longest = []
      w.told = 0
      window.addEventListener('pointerup', () => (w.let = performance.now()), { once: true, capture: true })
      new MutationObserver((_, o) => {
        if (!document.querySelector('[data-testid=preview]')) return
        w.told = performance.now()
        o.disconnect()
      }).observe(document.body, { childList: true, subtree: true })
    })
    await page.mouse.up()
    await page.waitForFunction(() => (window as unknown as { told: number }).told > 0, undefined, { timeout: 120_000 })
    await page.waitForTimeout(1000)
    const r = await page.evaluate(() => {
      const w = window as unknown as { longest: number[]; told: number; let: number }
      return { ms: w.told - w.let, longest: Math.max(0, ...w.longest) }
    })
    const text = await page.getByTestId('preview').textContent()
    process.stdout.write(
      `${reach}: ${r.ms.toFixed(0)} ms from letting go until told; the page busy for at most ` +
        `${r.longest.toFixed(0)} ms in one go; ${/[\d,]+ of [\d,]+ points/.exec(text!)![0]}\n`,
    )
    await page.getByRole('button', { name: 'Leave them' }).click()
  }
  // The brush: how often what is painted grows while the hand draws for three seconds.
  for (const across of ['all', 'one'] as const) {
    if (across === 'one') await page.getByLabel('It works on').selectOption('one')
    const tool = page.getByRole('button', { name: 'Brush' })
    if ((await tool.getAttribute('aria-pressed')) !== 'true') await tool.click()
    await page.waitForTimeout(2000)
    await page.evaluate(() => {
      const w = window as unknown as { longest: number[]; painted: number }
      w.longest = []
      w.painted = 0
      let before = ''
      new MutationObserver(() => {
        const now = document.querySelector('[data-testid=preview]')?.textContent ?? ''
        if (now !== before) w.painted++
        before = now
      }).observe(document.body, { childList: true, subtree: true, characterData: true })
    })
    await page.mouse.move(...corner(0))
    await page.mouse.down()
    const began = performance.now()
    for (let k = 0; performance.now() - began < 3000; k++)
      await page.mouse.move(
        box.x + box.width * (0.5 + 0.15 * Math.cos(k / 40)),
        box.y + box.height * (0.5 + 0.2 * Math.sin(k / 40)),
      )
    const seconds = (performance.now() - began) / 1000
    const r = await page.evaluate(() => {
      const w = window as unknown as { longest: number[]; painted: number }
      return { painted: w.painted, longest: Math.max(0, ...w.longest) }
    })
    await page.mouse.up()
    process.stdout.write(
      `brush on ${across === 'all' ? `${takes} takes` : 'one take'}: ` +
        `${(r.painted / seconds).toFixed(1)} times a second; the page busy for at most ` +
        `${r.longest.toFixed(0)} ms in one go\n`,
    )
    await page.waitForTimeout(1500)
    await page.getByRole('button', { name: 'Leave them' }).click()
  }
  await browser.close()
  rmSync(folder, { recursive: true })
}

void main()
