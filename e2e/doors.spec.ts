import { request as httpRequest, createServer, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import { chromium, expect, test, type APIRequestContext, type Page } from '@playwright/test'
import { EXAMPLE, newPiece, watchConsole } from './helpers'

/** A page of somebody else on this machine. */
let foreign: Server
let foreignUrl: string
test.beforeAll(async () => {
  foreign = createServer((_request, response) => {
    response.setHeader('Content-Type', 'text/html')
    response.end('<!doctype html><title>elsewhere</title><p>Another page.</p>')
  })
  await new Promise<void>((resolve) => foreign.listen(0, '127.0.0.1', resolve))
  foreignUrl = `http://localhost:${(foreign.address() as AddressInfo).port}/`
})
test.afterAll(() => new Promise<void>((resolve) => foreign.close(() => resolve())))

const names = async (request: APIRequestContext): Promise<string[]> =>
  ((await (await request.get('/api/pieces')).json()) as { name: string }[]).map((p) => p.name)
const points = (n: number, x = 0): Buffer =>
  Buffer.from(Array.from({ length: n }, (_, i) => `${x + (i % 20)} ${Math.floor(i / 20)} ${Math.sin(i)}`).join('\n'))
const idOf = (address: string): number => Number(/\/pieces\/(\d+)/.exec(address)![1])

test('2: a foreign page neither reads nor writes, nor shows the house in a frame', async ({
  page,
  request,
  baseURL,
}) => {
  const before = await names(request)
  await page.goto(foreignUrl)
  const tried = await page.evaluate(async (house) => {
    const outcome: Record<string, string> = {}
    const attempt = async (name: string, init: RequestInit, path = '/api/pieces'): Promise<void> => {
      outcome[name] = await fetch(house + path, init).then(
        async (r) => `${r.type} ${r.status} ${(await r.text()).slice(0, 40)}`,
        () => 'failed',
      )
    }
    await attempt('read', {})
    await attempt('read blind', { mode: 'no-cors' })
    await attempt('text', {
      method: 'POST',
      mode: 'no-cors',
      headers: { 'Content-Type': 'text/plain' },
      body: '{"name":"from elsewhere","number":""}',
    })
    await attempt('form', { method: 'POST', mode: 'no-cors', body: new URLSearchParams({ name: 'from elsewhere' }) })
    await attempt('json', {
      method: 'POST',
      headers: { 'Content-Type': 'application/json' },
      body: '{"name":"from elsewhere","number":""}',
    })
    await attempt(
      'upload',
      { method: 'POST', mode: 'no-cors', body: new Blob(['1 2 3']) },
      '/api/pieces/1/imports?name=a.xyz',
    )
    await attempt('delete', { method: 'DELETE' }, '/api/devices?id=x')
    return outcome
  }, baseURL!)
  // Nothing comes through that a page could read.
  for (const [what, result] of Object.entries(tried))
    expect([what, result.replace(/opaque 0 $/, 'failed')]).toEqual([what, 'failed'])
  const frame = await page.evaluate(
    (house) =>
      new Promise<string>((resolve) => {
        const f = document.createElement('iframe')
        f.src = house
        f.onload = () => {
          try {
            resolve(f.contentDocument ? `shown ${f.contentDocument.title}` : 'blocked')
          } catch {
            resolve('blocked')
          }
        }
        document.body.append(f)
        setTimeout(() => resolve('blocked'), 8000)
      }),
    baseURL!,
  )
  expect(frame).toBe('blocked')
  for (const f of page.frames().slice(1)) expect(await f.title().catch(() => '')).not.toContain('Holosoma')
  expect(await names(request)).toEqual(before)
})

test('2: a name that somebody points at this machine opens nothing', async ({ baseURL }) => {
  const port = new URL(baseURL!).port
  const browser = await chromium.launch({
    executablePath: process.env.HOLOSOMA_CHROMIUM ?? '/usr/bin/chromium',
    args: ['--no-sandbox', '--host-resolver-rules=MAP rebound.example 127.0.0.1'],
  })
  try {
    const page = await browser.newPage()
    const answer = await page.goto(`http://rebound.example:${port}/`)
    expect(answer!.status()).toBe(421)
    expect(await page.evaluate(() => fetch('/api/pieces').then((r) => r.status))).toBe(421)
  } finally {
    await browser.close()
  }
})

test('2: pages run under their policy: no inline script, and nothing of their own is stopped by it', async ({
  page,
}) => {
  const errors = watchConsole(page)
  const pieces = (await (await page.request.get('/api/pieces')).json()) as { id: number; name: string }[]
  const at = (name: string): string => `/pieces/${pieces.find((p) => p.name === name)!.id}`
  const [lamp, example] = [at('Oil lamp'), at(EXAMPLE)]
  for (const path of ['/', '/devices', lamp, `${lamp}?station=plan`, `${example}?station=join`, `${example}/report`]) {
    const answer = await page.goto(path)
    const policy = answer!.headers()['content-security-policy']
    expect(policy.match(/script-src[^;]*/)![0]).not.toContain('unsafe-inline')
    expect(policy).toContain("frame-ancestors 'none'")
    expect(answer!.headers()).toMatchObject({ 'x-content-type-options': 'nosniff', 'referrer-policy': 'no-referrer' })
    await expect(page.locator('main, h1').first()).toBeVisible()
  }
  await page.goto(`${lamp}?station=plan`)
  await expect(page.getByTestId('shares')).toBeVisible()
  expect(errors).toEqual([])
  const ran = await page.evaluate(() => {
    const s = document.createElement('script')
    s.textContent = 'window.intruder = true'
    document.body.append(s)
    const img = document.createElement('div')
    img.innerHTML = '<img src="x" onerror="window.intruder = true">'
    document.body.append(img)
    return new Promise((resolve) =>
      setTimeout(() => resolve((window as unknown as { intruder?: boolean }).intruder ?? false), 500),
    )
  })
  expect(ran).toBe(false)
})

test('4: what is too much, cannot be read or is nobody’s gets a sentence, never a fault', async ({
  request,
  baseURL,
}) => {
  const { port } = new URL(baseURL!)
  /** A request whose head alone is sent: the door must answer before the body comes. */
  const head = (path: string, headers: Record<string, string>): Promise<number> =>
    new Promise((resolve, reject) => {
      const r = httpRequest(
        { host: '127.0.0.1', port, path, method: 'POST', headers: { host: `127.0.0.1:${port}`, ...headers } },
        (answer) => {
          resolve(answer.statusCode!)
          r.destroy()
        },
      )
      r.on('error', reject)
      r.flushHeaders()
    })
  expect(
    await head('/api/pieces', { 'content-type': 'application/json', 'content-length': String(150 * 2 ** 20) }),
  ).toBe(413)
  // Nobody says how much comes: whether there is room for it could not be asked.
  const unsaid = await new Promise<number>((resolve) => {
    const r = httpRequest(
      {
        host: '127.0.0.1',
        port,
        path: '/api/pieces/1/selections?of=' + 'a'.repeat(64),
        method: 'POST',
        headers: {
          host: `127.0.0.1:${port}`,
          'content-type': 'application/octet-stream',
          'transfer-encoding': 'chunked',
        },
      },
      (answer) => resolve(answer.statusCode!),
    )
    r.on('error', () => resolve(0))
    r.end(Buffer.alloc(16))
  })
  expect(unsaid).toBe(411)
  for (const path of ['/pieces/%ff', '/api/pieces/%ff', '/api/pieces/%E0%A4%A/jobs'])
    expect([path, (await request.get(path)).status()]).toEqual([path, 400])
  for (const path of [
    '/api/pieces/0',
    '/api/pieces/-1',
    '/api/pieces/1e9',
    '/api/pieces/99999999999999',
    '/api/pieces/1%27',
    '/api/shapes/xyz',
    '/api/photos/0x1',
    '/api/nowhere',
  ]) {
    const answer = await request.get(path)
    expect([path, answer.status()]).toEqual([path, 404])
    expect(((await answer.json()) as { error: string }).error).toMatch(/\.$/)
  }
  const post = (path: string, data: string): Promise<number> =>
    request
      .post(path, { headers: { 'Content-Type': 'application/json' }, data: Buffer.from(data) })
      .then((r) => r.status())
  expect(await post('/api/pieces', '['.repeat(1000) + ']'.repeat(1000))).toBe(400)
  expect(await post('/api/pieces', '{"name":"a","number":"","__proto__":{"x":1}}')).toBeLessThan(500)
  expect(await post('/api/pieces', '{"name":{"$gt":""},"number":""}')).toBe(400)
  expect(await post('/api/pieces', '{half')).toBe(400)
})

test(
  '4: names of any letters and lengths, on the shelf, on takes and in jobs',
  { tag: '@night' },
  async ({ page, request }) => {
    const odd = [
      'x'.repeat(200),
      '🏺'.repeat(120),
      'e\u0301'.repeat(120),
      '__proto__',
      '<img src=x onerror="window.intruder=1">',
      '"; DROP TABLE takes; --',
      '\u202eesrever',
    ]
    for (const name of odd) {
      const made = await request.post('/api/pieces', { data: { name, number: name.slice(0, 40) } })
      expect([name.slice(0, 12), made.status()]).toEqual([name.slice(0, 12), 201])
      const { id } = (await made.json()) as { id: number }
      const upload = await request.post(`/api/pieces/${id}/imports?name=${encodeURIComponent(`${name}.xyz`)}`, {
        headers: { 'Content-Type': 'application/octet-stream' },
        data: points(60),
      })
      expect([name.slice(0, 12), upload.status()]).toEqual([name.slice(0, 12), 202])
      await expect
        .poll(
          async () =>
            ((await (await request.get(`/api/pieces/${id}`)).json()) as { takes: { shape: object | null }[] }).takes[0]
              ?.shape ?? null,
          { timeout: 120_000 },
        )
        .not.toBeNull()
      const answer = await page.goto(`/pieces/${id}?station=take`)
      expect(answer!.status()).toBe(200)
      await expect(page.getByTestId('take')).toHaveCount(1)
      // Nothing is pushed off the screen by it.
      await expect(page.getByRole('button', { name: 'Undo', exact: true })).toBeInViewport()
    }
    await page.goto('/')
    expect(await page.evaluate(() => (window as unknown as { intruder?: number }).intruder)).toBeUndefined()
  },
)

test('4: thirty undos at once, and thirty redos', async ({ page, request }) => {
  const id = idOf(await newPiece(page, 'Undone often'))
  await request.post(`/api/pieces/${id}/imports?name=a.xyz`, {
    headers: { 'Content-Type': 'application/octet-stream' },
    data: points(80),
  })
  const takeOf = async (): Promise<number | undefined> =>
    (
      (await (await request.get(`/api/pieces/${id}`)).json()) as { takes: { id: number; shape: object | null }[] }
    ).takes.find((t) => t.shape)?.id
  await expect.poll(takeOf, { timeout: 120_000 }).toBeDefined()
  const take = (await takeOf())!
  for (let i = 0; i < 30; i++)
    expect((await request.post(`/api/takes/${take}/leave`, { data: { act: 'tidy.removeStrays' } })).status()).toBe(201)
  for (const move of ['undo', 'redo'] as const) {
    const answers = await Promise.all(
      Array.from({ length: 30 }, () => request.post(`/api/pieces/${id}/history`, { data: { move } })),
    )
    expect(answers.map((a) => a.status())).toEqual(Array(30).fill(200))
    const steps = await Promise.all(answers.map(async (a) => ((await a.json()) as { step: number | null }).step))
    expect(new Set(steps).size).toBe(30)
  }
})

test('11: of two tabs that write one brief the later is told, and chooses', async ({ page, context }) => {
  const address = await newPiece(page, 'Written twice')
  const height = (p: Page) => p.getByLabel('Height', { exact: true })
  await page.goto(`${address.replace(/\?.*/, '')}?station=brief`)
  const deaf = await context.newPage()
  // This tab does not hear what the other writes.
  await deaf.route('**/events', (route) => route.abort())
  await deaf.goto(`${address.replace(/\?.*/, '')}?station=brief`)
  await height(page).fill('41')
  await expect
    .poll(
      async () =>
        (
          (await (await page.request.get(`/api/pieces/${idOf(address)}`)).json()) as {
            brief: { content: { heightMm: number } } | null
          }
        ).brief?.content.heightMm,
    )
    .toBe(41)
  await height(deaf).fill('52')
  await expect(deaf.getByTestId('conflict')).toContainText('What you wrote stands here and is not saved')
  const stored = async (): Promise<number> =>
    (
      (await (await page.request.get(`/api/pieces/${idOf(address)}`)).json()) as {
        brief: { content: { heightMm: number } }
      }
    ).brief.content.heightMm
  expect(await stored()).toBe(41)
  await expect(height(deaf)).toHaveValue('52')
  await deaf.getByRole('button', { name: 'Write mine over it' }).click()
  await expect.poll(stored).toBe(52)
  await expect(deaf.getByTestId('conflict')).toHaveCount(0)
  await deaf.close()
})

test(
  '12: the same file dropped twenty times at once is one take; a ledger of 2,000 steps stays quick',
  { tag: '@night' },
  async ({ page, request }) => {
    const address = await newPiece(page, 'Long ledger')
    const id = idOf(address)
    const answers = await Promise.all(
      Array.from({ length: 20 }, () =>
        request.post(`/api/pieces/${id}/imports?name=lamp.xyz`, {
          headers: { 'Content-Type': 'application/octet-stream' },
          data: points(90),
        }),
      ),
    )
    expect(answers.map((a) => a.status()).sort()).toEqual([202, ...Array(19).fill(409)])
    const state = async (): Promise<{ takes: { id: number; shape: object | null }[]; steps: object[] }> =>
      (await request.get(`/api/pieces/${id}`)).json() as never
    await expect.poll(async () => (await state()).takes.filter((t) => t.shape).length, { timeout: 120_000 }).toBe(1)
    const take = (await state()).takes[0].id
    for (let i = 0; i < 250; i++)
      await Promise.all(
        Array.from({ length: 8 }, () =>
          request.post(`/api/takes/${take}/leave`, { data: { act: 'tidy.removeStrays' } }),
        ),
      )
    await page.goto(`${address.replace(/\?.*/, '')}?station=tidy`)
    const tab = page.getByRole('tab', { name: /Ledger 2,?001/ })
    await tab.click()
    const list = page.getByRole('list', { name: 'Ledger' })
    await expect(list.getByRole('listitem').first()).toContainText('Left as it is: floating patches')
    expect(await list.getByRole('listitem').count()).toBeLessThan(60)
    await expect(list.getByRole('listitem').first()).toHaveAttribute('aria-setsize', '2001')
    // Clicks answer while it is open.
    await page.getByRole('button', { name: 'Find a command' }).click({ timeout: 10_000 })
    await page.keyboard.press('Escape')
    await list.evaluate((l) => l.parentElement!.scrollTo(0, 1e9))
    await expect(list).toContainText('Imported lamp.xyz: 90 points')
    await page
      .getByRole('navigation', { name: 'Route' })
      .getByRole('button', { name: /^Take/ })
      .click({ timeout: 10_000 })
  },
)

test('13: what people did that left no step stands in the ledger', async ({ page, request }) => {
  const id = idOf(await newPiece(page, 'On record'))
  await request.post(`/api/pieces/${id}/imports?name=a.xyz`, {
    headers: { 'Content-Type': 'application/octet-stream' },
    data: points(80, 5),
  })
  await page.goto(`/pieces/${id}?station=tidy`)
  await expect(page.getByTestId('take')).toHaveCount(1)
  await page.getByText('This take', { exact: true }).click()
  await page.getByLabel('Name of the take').fill('the first')
  await page.getByRole('button', { name: 'Rename' }).click()
  await expect(page.getByTestId('take')).toContainText('the first')
  await page.getByRole('button', { name: 'Leave: Floating patches' }).click()
  await expect(page.getByText('· left as it is')).toBeVisible()
  await page.getByRole('button', { name: 'Undo', exact: true }).click()
  await expect(page.getByText('· left as it is')).toHaveCount(0)
  await page.getByRole('tab', { name: /Ledger/ }).click()
  const list = page.getByRole('list', { name: 'Ledger' })
  await expect(list).toContainText('Called “a” now “the first”')
  await expect(list).toContainText(/Undone: step \d+, Left as it is: floating patches/)
})

test('own pieces have a slot for each planned take', { tag: '@night' }, async ({ page }) => {
  const address = (await newPiece(page, 'Own piece')).replace(/\?.*/, '')
  await page.goto(`${address}?station=plan`)
  await expect(page.getByTestId('shares')).toBeVisible()
  // Looked at it is not written down yet; who goes on with it takes it as it stands.
  await page.getByRole('button', { name: 'Go on to Take' }).click()
  const slots = page.getByTestId('slot')
  await expect(slots).toHaveCount(2)
  const wanted = (await slots.nth(1).locator('b').innerText()).trim()
  await page.getByRole('button', { name: `Choose the file of “${wanted}”` }).click()
  await page
    .getByTestId('slot-file')
    .setInputFiles({ name: 'scan0007.xyz', mimeType: 'text/plain', buffer: points(120) })
  await expect(slots.nth(1)).toContainText('120 points', { timeout: 120_000 })
  await expect(page.getByTestId('take')).toContainText(wanted)
  await expect(page.getByTestId('not-looked')).toContainText('Nobody has looked yet whether anything is missing')
})
