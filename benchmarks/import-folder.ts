import { execSync } from 'node:child_process'
import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { chromium } from 'playwright'
import { seededRandom } from '../core/src/linear/random'

/*
 * Takes of a million points each, dropped as one folder on a running Holosoma: seconds until the last one stands, most
 * memory of the web server, and then frames a second of the stage in software rendering with all joined takes on it.
 *   npm start          (in another terminal)
 *   npx tsx benchmarks/import-folder.ts [takes] [points] [address]
 */
const [takes = 20, points = 1_000_000] = process.argv.slice(2, 4).map(Number)
const address = process.argv[4] ?? 'http://127.0.0.1:3000'

const folder = join(mkdtempSync(join(tmpdir(), 'takes-')), 'session')
mkdirSync(folder)
for (let t = 0; t < takes; t++) {
  const random = seededRandom(t + 1)
  const head = Buffer.from(
    `ply\nformat binary_little_endian 1.0\nelement vertex ${points}\nproperty float x\nproperty ` +
      `float y\nproperty float z\nproperty uchar red\nproperty uchar green\nproperty uchar ` +
      `blue\nend_header\n`,
  )
  const body = Buffer.alloc(points * 15)
  for (let i = 0; i < points; i++) {
    // A bumpy ball, half of it, as a take sees it.
    const a = 2 * Math.PI * random.next(),
      z = random.next() * 1.6 - 0.6,
      s = Math.sqrt(Math.max(0, 1 - z * z)),
      r = 60 + 2 * Math.sin(7 * a) * Math.cos(5 * z)
    body.writeFloatLE(r * s * Math.cos(a), i * 15)
    body.writeFloatLE(r * s * Math.sin(a), i * 15 + 4)
    body.writeFloatLE(r * z + 60, i * 15 + 8)
    body.fill(120 + (i % 100), i * 15 + 12, i * 15 + 15)
  }
  writeFileSync(join(folder, `take-${String(t + 1).padStart(2, '0')}.ply`), Buffer.concat([head, body]))
}

/** Resident memory of the processes whose command line holds a word, MB. */
function memoryOf(word: string): number {
  const lines = execSync('ps -eo rss,args', { encoding: 'utf8' })
    .split('\n')
    .filter((l) => l.includes(word) && !l.includes('ps -eo'))
  return lines.reduce((m, l) => Math.max(m, Number(l.trim().split(/\s+/)[0]) / 1024), 0)
}

const browser = await chromium.launch({
  executablePath: process.env.HOLOSOMA_CHROMIUM ?? '/usr/bin/chromium',
  args: [
    '--no-sandbox',
    '--disable-gpu',
    '--disable-quic',
    '--no-first-run',
    '--disable-background-networking',
    '--use-angle=swiftshader',
    '--enable-unsafe-swiftshader',
  ],
})
const page = await browser.newPage({ viewport: { width: 1280, height: 800 } })
const { id } = (await (
  await page.request.post(`${address}/api/pieces`, { data: { name: `Folder of ${takes}`, number: '' } })
).json()) as { id: number }
await page.goto(`${address}/pieces/${id}?station=take`)
await page.getByText('Choose scan files').waitFor()
let web = 0,
  worker = 0
const timer = setInterval(() => {
  web = Math.max(web, memoryOf('next-server'))
  worker = Math.max(worker, memoryOf('worker.mjs'))
}, 500)
const from = performance.now()
const input = page.getByTestId('folder')
await input.setInputFiles(folder)
let first = 0
for (;;) {
  const state = await page.evaluate(() => ({
    here: document.querySelectorAll('[data-testid=take]').length,
    arriving: [...document.querySelectorAll('[data-testid=take]')].filter((t) => t.textContent?.includes('arriving'))
      .length,
    alert: document.querySelector('[role=alert]')?.textContent ?? '',
  }))
  if (state.alert) throw new Error(state.alert)
  if (first === 0 && state.here - state.arriving > 0) first = performance.now() - from
  if (state.here === takes && state.arriving === 0) break
  await page.waitForTimeout(250)
}
clearInterval(timer)
const seconds = (performance.now() - from) / 1000
process.stdout.write(
  `${takes} takes of ${points} points by folder: ${seconds.toFixed(1)} s, the first stands ` +
    `after ${(first / 1000).toFixed(1)} s; web server at most ${web.toFixed(0)} MB, compute ` +
    `worker ${worker.toFixed(0)} MB\n`,
)

// As many on one stage, side by side, turned for five seconds by the pointer.
const stage = page.getByTestId('stage').first()
await page.waitForFunction(() =>
  document.querySelector('[data-testid=stage]')?.getAttribute('data-layers')?.startsWith('take'),
)
await page.waitForTimeout(2000)
await stage.evaluate((canvas, n) => {
  const held = (
    canvas as unknown as { stage: { built: Map<string, { layer: object }>; setLayers(layers: object[]): void } }
  ).stage
  const { layer } = [...held.built.values()][0]
  held.setLayers(
    Array.from({ length: n }, (_, k) => ({
      ...layer,
      key: `copy ${k}`,
      rows: [
        [1, 0, 0, 130 * (k % 4)],
        [0, 1, 0, 130 * Math.floor(k / 4)],
        [0, 0, 1, 0],
        [0, 0, 0, 1],
      ],
    })),
  )
}, takes)
await page.waitForTimeout(3000)
const box = (await stage.boundingBox())!
const drawn = async (): Promise<number> => Number(await stage.getAttribute('data-drawn'))
await page.mouse.move(box.x + box.width / 2, box.y + box.height / 2)
await page.mouse.down()
const before = await drawn(),
  began = performance.now()
for (let k = 0; performance.now() - began < 5000; k++)
  await page.mouse.move(box.x + box.width / 2 + 150 * Math.sin(k / 20), box.y + box.height / 2 + 60 * Math.cos(k / 27))
const rate = ((await drawn()) - before) / ((performance.now() - began) / 1000)
await page.mouse.up()
process.stdout.write(
  `stage with ${takes} takes, software rendering: ${rate.toFixed(1)} frames a second while turning\n`,
)
await browser.close()
rmSync(folder, { recursive: true })
