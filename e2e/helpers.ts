import { expect, type Locator, type Page } from '@playwright/test'
import {
  invertRigid,
  LAMP_TAKES,
  OIL_LAMP,
  polygonise,
  quietContext,
  rotateVectors,
  transformPoint,
  trueMotion,
  writeShape,
  type Motion,
  type TriangleMesh,
} from '@holosoma/core'

/** The piece of the demo that has been all the way. */
export const EXAMPLE = 'Lamp, a worked example'

/** Every message of the page's console that is an error fails the test that asks for it. */
export function watchConsole(page: Page): string[] {
  const errors: string[] = []
  page.on('console', (m) => {
    if (m.type() === 'error') errors.push(`${m.text()} ${m.location().url}`)
  })
  page.on('pageerror', (e) => errors.push(e.message))
  return errors
}

/** Opens a list and takes what is called so. */
export async function choose(list: Locator, word: string | RegExp): Promise<void> {
  await list.click()
  await list
    .page()
    .getByRole('option', { name: word, exact: typeof word === 'string' })
    .click()
  await expect(list.page().getByRole('listbox')).toHaveCount(0)
}

export const stages = (page: Page): Locator => page.getByTestId('stage')

/** Waits until a stage holds a layer of the given kind and has drawn it. */
export async function stageShows(stage: Locator, layer: string | RegExp): Promise<void> {
  await expect(stage).toHaveAttribute('data-layers', layer, { timeout: 240_000 })
  const drawn = Number(await stage.getAttribute('data-drawn'))
  await expect
    .poll(async () => Number(await stage.getAttribute('data-drawn')), { timeout: 120_000 })
    .toBeGreaterThanOrEqual(drawn)
}

type StageCanvas = HTMLCanvasElement & {
  stage: { screen(at: readonly number[]): { x: number; y: number }; pose(): { direction: readonly number[] } }
}

/** Clicks with the real pointer on the place of the page where a point of the shape is drawn. */
export async function clickPoint(page: Page, stage: Locator, at: readonly number[]): Promise<void> {
  const box = (await stage.boundingBox())!
  const spot = await stage.evaluate((c, p) => (c as StageCanvas).stage.screen(p), at)
  await page.mouse.click(box.x + spot.x, box.y + spot.y)
}

const viewDirection = (stage: Locator): Promise<readonly number[]> =>
  stage.evaluate((c) => (c as StageCanvas).stage.pose().direction)

/**
 * Spots of the lamp that both views show, spread wide: on the surface, facing both cameras, nothing in front. Given in
 * the coordinates of each take, as a person finds them by eye; the truth of the bench stands in for the eye.
 */
export async function commonSpots(
  left: Locator,
  right: Locator,
  count: number,
): Promise<{ a: number[]; b: number[] }[]> {
  const motions = LAMP_TAKES.map((plan) => trueMotion(OIL_LAMP, plan, 1))
  const mesh = polygonise(OIL_LAMP.field, OIL_LAMP.bounds, 3, quietContext())
  const directions = [await viewDirection(left), await viewDirection(right)]
  const inPiece = directions.map((d, i) => Array.from(rotateVectors(invertRigid(motions[i]), Float32Array.from(d))))
  const normals = fieldNormals(mesh.positions)
  const candidates: number[][] = []
  for (let v = 0; v < mesh.positions.length; v += 3) {
    const at = Array.from(mesh.positions.subarray(v, v + 3))
    const n = Array.from(normals.subarray(v, v + 3))
    const seen = inPiece.every((d) => dot(n, d) > 0.45 && free(at, n, d))
    // Off the table in both takes: the contact band is cut away.
    const clear = motions.every((m) => transformPoint(m, at[0], at[1], at[2])[2] > 6)
    if (seen && clear) candidates.push(at)
  }
  expect(candidates.length).toBeGreaterThan(count)
  // Farthest-point choice spreads the picks.
  const chosen = [candidates.reduce((a, b) => (b[0] > a[0] ? b : a))]
  while (chosen.length < count) {
    const gap = (c: number[]): number =>
      Math.min(...chosen.map((k) => Math.hypot(c[0] - k[0], c[1] - k[1], c[2] - k[2])))
    chosen.push(candidates.reduce((a, b) => (gap(b) > gap(a) ? b : a)))
  }
  const through = (m: Motion, p: number[]): number[] => Array.from(transformPoint(m, p[0], p[1], p[2]))
  return chosen.map((p) => ({ a: through(motions[0], p), b: through(motions[1], p) }))
}

function fieldNormals(positions: Float32Array): Float32Array {
  const out = new Float32Array(positions.length)
  const e = 0.01
  for (let i = 0; i < positions.length; i += 3) {
    const [x, y, z] = [positions[i], positions[i + 1], positions[i + 2]]
    const g = [
      OIL_LAMP.field(x + e, y, z) - OIL_LAMP.field(x - e, y, z),
      OIL_LAMP.field(x, y + e, z) - OIL_LAMP.field(x, y - e, z),
      OIL_LAMP.field(x, y, z + e) - OIL_LAMP.field(x, y, z - e),
    ]
    const l = Math.hypot(...g)
    for (let c = 0; c < 3; c++) out[i + c] = g[c] / l
  }
  return out
}

const dot = (a: readonly number[], b: readonly number[]): number => a[0] * b[0] + a[1] * b[1] + a[2] * b[2]

/** Nothing of the lamp stands between the point and the viewer. */
function free(at: number[], n: number[], d: readonly number[]): boolean {
  let t = 1
  for (let step = 0; step < 80 && t < 200; step++) {
    const f = OIL_LAMP.field(
      at[0] + n[0] * 0.4 + t * d[0],
      at[1] + n[1] * 0.4 + t * d[1],
      at[2] + n[2] * 0.4 + t * d[2],
    )
    if (f < 0.05) return false
    t += Math.max(0.2, f * 0.8)
  }
  return true
}

/** A new piece on the shelf; returns the address of its page. */
export async function newPiece(page: Page, name: string): Promise<string> {
  await page.goto('/')
  await page.getByRole('button', { name: 'New piece', exact: true }).click()
  await page.getByLabel('Name').fill(name)
  await page.getByRole('button', { name: 'Put it on the shelf' }).click()
  await page.waitForURL(/\/pieces\/\d+/)
  await page.getByRole('navigation', { name: 'Route' }).getByRole('button', { name: /^Take/ }).click()
  return page.url()
}

/** Drops files on an element, as a hand does from a folder. */
export async function dropFiles(
  page: Page,
  target: Locator,
  files: readonly { name: string; bytes: Buffer }[],
): Promise<void> {
  const transfer = await page.evaluateHandle(
    (given) => {
      const out = new DataTransfer()
      for (const { name, base64 } of given)
        out.items.add(new File([Uint8Array.from(atob(base64), (c) => c.charCodeAt(0))], name))
      return out
    },
    files.map(({ name, bytes }) => ({ name, base64: bytes.toString('base64') })),
  )
  for (const type of ['dragenter', 'dragover', 'drop']) await target.dispatchEvent(type, { dataTransfer: transfer })
}

/** Picks pairs by pointer on the two stages. */
export async function pickPairs(page: Page, count: number): Promise<void> {
  const left = stages(page).nth(0)
  const right = stages(page).nth(1)
  await stageShows(left, /take/)
  await stageShows(right, /take/)
  const spots = await commonSpots(left, right, count)
  for (const [i, spot] of spots.entries()) {
    await clickPoint(page, left, spot.a)
    await expect(page.getByTestId('pairs').getByRole('listitem')).toHaveCount(i + 1)
    await clickPoint(page, right, spot.b)
    await expect(page.getByTestId('pairs').getByRole('listitem').nth(i)).toContainText('both sides')
  }
  await expect(page.getByText(/Your pairs agree within/)).toBeVisible()
}

/** Picks four pairs and matches. */
export async function pickAndMatch(page: Page): Promise<void> {
  await pickPairs(page, 4)
  await page.getByRole('button', { name: 'Match the takes' }).click()
  await expect(page.getByRole('button', { name: 'Go on to Skin' })).toBeVisible({ timeout: 240_000 })
}

/** Draws with the real pointer over the stage; places are shares of its width and height. */
export async function drag(page: Page, path: readonly (readonly [number, number])[]): Promise<void> {
  const box = (await page.getByTestId('chooser').boundingBox())!
  const at = ([x, y]: readonly [number, number]): [number, number] => [box.x + x * box.width, box.y + y * box.height]
  await page.mouse.move(...at(path[0]))
  await page.mouse.down()
  for (const p of path.slice(1)) await page.mouse.move(...at(p), { steps: 4 })
  await page.mouse.up()
}

/** The worked example of the demo, ready for hands, at a station when one is named. */
export async function openExample(page: Page, station?: string): Promise<void> {
  await page.goto('/')
  await page.getByRole('link', { name: EXAMPLE }).click()
  await page.getByRole('navigation', { name: 'Route' }).waitFor()
  if (!station) return
  await page
    .getByRole('navigation', { name: 'Route' })
    .getByRole('button', { name: new RegExp(`^${station}`) })
    .click()
  await expect(page.getByRole('tab', { name: station })).toHaveAttribute('aria-selected', 'true')
}

/** The steps that stand on the piece that is open, in no order. */
export async function standing(page: Page): Promise<number[]> {
  const address = page.url().replace(/\?.*/, '').replace('/pieces/', '/api/pieces/')
  const { activeSteps } = (await (await page.request.get(address)).json()) as { activeSteps: number[] }
  return activeSteps.sort((a, b) => a - b)
}

/** Takes back, by keys, what was done since: the example is shared, and the next test finds it as this one did. */
export async function leaveAsFound(page: Page, found: readonly number[]): Promise<void> {
  const has = async (): Promise<string> => (await standing(page)).join(' ')
  const wanted = found.join(' ')
  for (let now = await has(); now !== wanted;) {
    await page.keyboard.press('Control+z')
    const before = now
    await expect.poll(async () => (now = await has())).not.toBe(before)
  }
}

/** A line of the ledger that is open; only lines in view are drawn, so the card is scrolled down to it. */
export async function inLedger(page: Page, text: RegExp): Promise<Locator> {
  const line = page.getByRole('list', { name: 'Ledger' }).getByRole('listitem').filter({ hasText: text }).first()
  const card = page.getByRole('tabpanel')
  await card.evaluate((e) => e.scrollTo(0, 0))
  await expect(async () => {
    if ((await line.count()) === 0) await card.evaluate((e) => e.scrollBy(0, e.clientHeight / 2))
    await expect(line).toBeAttached({ timeout: 300 })
  }).toPass({ timeout: 60_000 })
  return line
}

/** Drops a mesh on the shelf and takes it as the skin. */
export async function asSkin(page: Page, mesh: TriangleMesh): Promise<void> {
  await page.goto('/')
  await page.getByTestId('files').setInputFiles({
    name: 'ring.ply',
    mimeType: 'application/octet-stream',
    buffer: Buffer.concat([...writeShape(mesh, 'ply')]),
  })
  await page.getByRole('button', { name: 'Use the mesh “ring” as the skin' }).click({ timeout: 240_000 })
  await stageShows(stages(page).first(), /^mesh/)
}
