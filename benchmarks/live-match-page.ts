/*
 * Picking in the real page, on two takes of a million points: from the third pair's click until the pairs' fit is told,
 * and until the takes are matched finely.
 *   npm start          (in another terminal)
 *   npx tsx benchmarks/live-match-page.ts [points] [address]
 */
import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { chromium } from 'playwright'
import { clickPoint, stages } from '../e2e/helpers'
import { seededRandom } from '../core/src/linear/random'
import { invertRigid, rotateVectors, rotationMotion, transformPoint } from '../core/src/linear/rigid'

const points = Number(process.argv[2] ?? 1_000_000)
const address = process.argv[3] ?? 'http://127.0.0.1:3000'
/** How the second take lies to the first. */
const motion = rotationMotion([0.2, 0.3, 1], 0.5, [12, -7, 4])

function pebble(seed: number, upTo: number): Float32Array {
  const random = seededRandom(seed)
  const out = new Float32Array(points * 3)
  for (let i = 0; i < points; i++) {
    const a = 2 * Math.PI * random.next(),
      z = random.next() * (upTo + 0.6) - 0.6
    out.set(place(a, z, 0.03 * random.gaussian()), i * 3)
  }
  return out
}

function place(a: number, z: number, off = 0): [number, number, number] {
  const s = Math.sqrt(Math.max(0, 1 - z * z)),
    r = 60 + 2 * Math.sin(7 * a) * Math.cos(5 * z) + 7 * Math.exp(-4 * ((a - 2) ** 2 + (z - 0.3) ** 2)) + off
  return [r * s * Math.cos(a), r * s * Math.sin(a), r * z + 60]
}

function ply(p: Float32Array): Buffer {
  const body = Buffer.alloc(p.length * 4)
  p.forEach((v, k) => body.writeFloatLE(v, k * 4))
  return Buffer.concat([
    Buffer.from(
      `ply\nformat binary_little_endian 1.0\nelement vertex ` +
        `${p.length / 3}\n${['x', 'y', 'z'].map((c) => `property float ${c}\n`).join('')}end_header\n`,
    ),
    body,
  ])
}

async function main(): Promise<void> {
  const folder = join(mkdtempSync(join(tmpdir(), 'takes-')), 'session')
  mkdirSync(folder)
  const second = pebble(2, 0.9)
  for (let i = 0; i < second.length; i += 3)
    second.set(transformPoint(motion, second[i], second[i + 1], second[i + 2]), i)
  writeFileSync(join(folder, 'one.ply'), ply(pebble(1, 0.95)))
  writeFileSync(join(folder, 'two.ply'), ply(second))
  const browser = await chromium.launch({
    executablePath: process.env.HOLOSOMA_CHROMIUM ?? '/usr/bin/chromium',
    args: ['--no-sandbox', '--disable-gpu', '--use-angle=swiftshader', '--enable-unsafe-swiftshader'],
  })
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 } })
  const { id } = (await (
    await page.request.post(`${address}/api/pieces`, { data: { name: 'Picks on two', number: '' } })
  ).json()) as { id: number }
  await page.goto(`${address}/pieces/${id}?station=take`)
  await page.getByText('Choose scan files').waitFor()
  await page.getByTestId('folder').setInputFiles(folder)
  await page.waitForFunction(
    () => {
      const here = [...document.querySelectorAll('[data-testid=take]')]
      return here.length === 2 && here.every((t) => !t.textContent?.includes('arriving'))
    },
    undefined,
    { timeout: 600_000 },
  )
  await page.goto(`${address}/pieces/${id}?station=join`)
  const [left, right] = [stages(page).nth(0), stages(page).nth(1)]
  for (const s of [left, right]) await s.waitFor()
  // As long as a hand takes to look for the first places.
  await page.waitForTimeout(15_000)
  const facing = await left.evaluate(
    (c) => (c as HTMLCanvasElement & { stage: { pose(): { direction: readonly number[] } } }).stage.pose().direction,
  )
  // Whichever arrived first stands on the left.
  const swapped = ((await left.getAttribute('aria-label')) ?? '').includes('two')
  const onLeft = (p: [number, number, number]): [number, number, number] =>
      swapped ? transformPoint(motion, ...p) : p,
    onRight = (p: [number, number, number]): [number, number, number] => (swapped ? p : transformPoint(motion, ...p))
  const inPiece = swapped ? rotateVectors(invertRigid(motion), Float32Array.from(facing)) : facing
  const towards = Math.atan2(inPiece[1], inPiece[0])
  const spots = [place(towards - 0.4, 0.05), place(towards + 0.35, 0.25), place(towards, 0.6)]
  for (const [i, spot] of spots.entries()) {
    await clickPoint(page, left, onLeft(spot))
    await page.waitForFunction((n) => document.querySelectorAll('[data-testid=pairs] li').length === n, i + 1)
    if (i === 2)
      await page.evaluate(() => {
        const w = window as unknown as { clicked: number; fit: number; matched: number; longest: number }
        Object.assign(w, { clicked: 0, fit: 0, matched: 0, longest: 0 })
        new PerformanceObserver((list) =>
          list.getEntries().forEach((e) => (w.longest = Math.max(w.longest, e.duration))),
        ).observe({ entryTypes: ['longtask'] })
        window.addEventListener('pointerup', () => (w.clicked ||= performance.now()), { capture: true })
        new MutationObserver(() => {
          const text = document.body.textContent ?? ''
          if (!w.fit && text.includes('Your pairs agree within')) w.fit = performance.now()
          if (!w.matched && text.includes('Matched here at once')) w.matched = performance.now()
        }).observe(document.body, { childList: true, subtree: true, characterData: true })
      })
    await clickPoint(page, right, onRight(spot))
    await page.waitForFunction(
      (n) =>
        [...document.querySelectorAll('[data-testid=pairs] li')].filter((l) => l.textContent?.includes('both sides'))
          .length === n,
      i + 1,
    )
  }
  await page.waitForFunction(() => (window as unknown as { matched: number }).matched > 0, undefined, {
    timeout: 60_000,
  })
  const r = await page.evaluate(() => {
    const w = window as unknown as { clicked: number; fit: number; matched: number; longest: number }
    return {
      fit: w.fit - w.clicked,
      matched: w.matched - w.clicked,
      longest: w.longest,
      text: document.querySelector('[data-testid=live-match]')?.textContent,
    }
  })
  process.stdout.write(
    `two takes of ${points} points: the pairs' fit ${r.fit.toFixed(0)} ms after the third pair's ` +
      `click, the fine match ${r.matched.toFixed(0)} ms; the page busy for at most ` +
      `${r.longest.toFixed(0)} ms in one go. ${r.text}\n`,
  )
  await browser.close()
  rmSync(folder, { recursive: true })
}

void main()
