import { readdirSync, readFileSync } from 'node:fs'
import { dirname, join, relative } from 'node:path'
import { fileURLToPath } from 'node:url'
import { describe, expect, test } from 'vitest'
import { limitsOf, ROUTE_LIMITS, type Method } from '../lib/limits'
import { contentPolicy, examine, type Incoming } from './guard'

const web = join(dirname(fileURLToPath(import.meta.url)), '..')
const ask = (over: Partial<Incoming> & { headers?: Record<string, string> }): Incoming => ({
  method: 'GET',
  url: '/api/pieces',
  ...over,
  headers: { host: '127.0.0.1:3000', ...over.headers },
})
const post = (headers: Record<string, string>, url = '/api/pieces'): Incoming =>
  ask({ method: 'POST', url, headers: { 'content-type': 'application/json', 'content-length': '20', ...headers } })
const status = (request: Incoming, names: string[] = []): number => {
  const seen = examine(request, names)
  return 'status' in seen ? seen.status : 200
}

describe('2: who is addressed, and from where', () => {
  test.each([
    ['127.0.0.1:3000', 200],
    ['localhost:8080', 200],
    ['[::1]:3000', 200],
    ['LOCALHOST', 200],
    ['evil.example:3000', 421],
    ['127.0.0.1.evil.example', 421],
    ['', 421],
    ['localhost.', 421],
    ['169.254.0.1', 421],
  ])('host %s: %i', (host, wanted) => {
    expect(status(ask({ headers: { host } }))).toBe(wanted)
  })
  test('other names only when the house was told them', () => {
    expect(status(ask({ headers: { host: 'bench.lan:3000' } }))).toBe(421)
    expect(status(ask({ headers: { host: 'bench.lan:3000' } }), ['bench.lan'])).toBe(200)
  })
  test.each([
    [{ origin: 'http://127.0.0.1:3000' }, 200],
    [{ origin: 'http://127.0.0.1:3001' }, 403],
    [{ origin: 'http://localhost:3000' }, 403],
    [{ origin: 'null' }, 403],
    [{ origin: 'http://evil.example' }, 403],
    [{ 'sec-fetch-site': 'same-origin' }, 200],
    [{ 'sec-fetch-site': 'same-site' }, 403],
    [{ 'sec-fetch-site': 'cross-site' }, 403],
    [{ 'sec-fetch-site': 'none' }, 403],
    [{}, 200],
  ])('a change from %j: %i', (headers, wanted) => expect(status(post(headers))).toBe(wanted))
  test('a foreign page cannot read data either, but may link to a page', () => {
    expect(status(ask({ headers: { 'sec-fetch-site': 'cross-site' } }))).toBe(403)
    expect(status(ask({ headers: { 'sec-fetch-site': 'none' } }))).toBe(200)
    expect(status(ask({ url: '/pieces/1', headers: { 'sec-fetch-site': 'cross-site' } }))).toBe(200)
  })
  test.each([
    ['text/plain', 415],
    ['application/x-www-form-urlencoded', 415],
    ['multipart/form-data; boundary=x', 415],
    ['', 415],
    ['application/json; charset=utf-8', 200],
  ])('content type %j: %i', (type, wanted) => {
    expect(status(post({ 'content-type': type }))).toBe(wanted)
  })
})

describe('4: how much comes in, and how it is addressed', () => {
  test('150 MB of JSON, a length that lies, none at all', () => {
    expect(status(post({ 'content-length': String(150 * 2 ** 20) }))).toBe(413)
    expect(status(post({ 'content-length': '-5' }))).toBe(400)
    expect(status(post({ 'content-length': '1e3x' }))).toBe(400)
    const { 'content-length': _none, ...rest } = post({}).headers as Record<string, string>
    expect(status({ ...post({}), headers: rest })).toBe(411)
    const drop = (headers: Record<string, string>): number =>
      status(ask({ method: 'DELETE', url: '/api/jobs/1', headers }))
    expect(drop({ 'content-length': '10' })).toBe(413)
    expect(drop({ 'transfer-encoding': 'chunked' })).toBe(413)
    expect(drop({})).toBe(200)
  })
  test('uploads are bytes, and large', () => {
    const upload = (headers: Record<string, string>): number =>
      status(post({ 'content-type': 'application/octet-stream', ...headers }, '/api/pieces/1/imports?name=a.ply'))
    expect(upload({ 'content-length': String(3e9) })).toBe(200)
    expect(upload({ 'content-length': String(3e11) })).toBe(413)
    expect(upload({ 'content-type': 'application/json' })).toBe(415)
    const unsaid = { 'content-type': 'application/octet-stream', 'transfer-encoding': 'chunked' }
    expect(status(ask({ method: 'POST', url: '/api/pieces/1/imports?name=a.ply', headers: unsaid }))).toBe(411)
  })
  test.each([
    ['/api/pieces/%ff', 400],
    ['/pieces/%', 400],
    ['/api/%E0%A4%A', 400],
    ['/pieces/%ff', 400],
    [`/?${'a'.repeat(5000)}`, 414],
    ['/api/nowhere', 404],
    ['/api/pieces/1/2/3/4/5', 404],
    ['/api/pieces/../../etc/passwd', 200],
    ['//evil.example/api/pieces', 200],
  ])('%s: %i', (url, wanted) => {
    expect(status(ask({ url }))).toBe(wanted)
  })
  test('methods nobody answers', () => {
    expect(status(ask({ method: 'TRACE' }))).toBe(405)
    expect(
      status(
        ask({
          method: 'PUT',
          url: '/api/pieces',
          headers: { 'content-length': '2', 'content-type': 'application/json' },
        }),
      ),
    ).toBe(405)
    expect(status(ask({ method: 'POST', url: '/pieces/1', headers: { 'content-length': '2' } }))).toBe(405)
  })
  test('every route stands in the table of limits with what it takes, and the table names nothing else', () => {
    const files = readdirSync(join(web, 'app', 'api'), { recursive: true, encoding: 'utf8' }).filter((f) =>
      f.endsWith('route.ts'),
    )
    const found = new Map(
      files.map((f) => {
        const path = `/api/${relative('.', dirname(f))}`.replace(/\[\w+\]/g, ':')
        const text = readFileSync(join(web, 'app', 'api', f), 'utf8')
        return [
          path,
          (['POST', 'PUT', 'PATCH', 'DELETE'] as const).filter((m) =>
            new RegExp(`export (async )?function ${m}\\b|export const (\\{[^}]*\\b)?${m}\\b`).test(text),
          ),
        ]
      }),
    )
    expect([...found.keys()].sort()).toEqual(Object.keys(ROUTE_LIMITS).sort())
    for (const [path, methods] of found)
      expect([path, Object.keys(ROUTE_LIMITS[path]).sort()]).toEqual([path, [...methods].sort()])
  })
  test('limits are found by address', () => {
    expect(limitsOf('/api/pieces/12/jobs')!['POST' as Method]!.kind).toBe('json')
    expect(limitsOf('/api/pieces/12/jobs/')).not.toBeNull()
    expect(limitsOf('/api/pieces/12/nowhere')).toBeNull()
  })
})

test('the policy of a page allows no inline script without this answer’s word, and no frame round it', () => {
  const policy = contentPolicy('abc')
  expect(policy).toMatch(/script-src 'self' 'nonce-abc' 'wasm-unsafe-eval';/)
  expect(policy.match(/script-src[^;]*/)![0]).not.toContain('unsafe-inline')
  expect(policy).toContain("frame-ancestors 'none'")
  expect(policy).toContain("object-src 'none'")
})
