import { spawn, spawnSync } from 'node:child_process'
import { createServer, type Server } from 'node:net'
import { mkdirSync, mkdtempSync, readFileSync, rmSync, symlinkSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { dirname, join } from 'node:path'
import { fileURLToPath, pathToFileURL } from 'node:url'
import { afterAll, describe, expect, test } from 'vitest'

const here = dirname(fileURLToPath(import.meta.url))
const root = join(here, '..', '..')
const folder = mkdtempSync(join(tmpdir(), 'holosoma-scripts-'))
afterAll(() => rmSync(folder, { recursive: true, force: true }))

/**
 * Runs a few lines against the start script's rooms, as the start script does: what is thrown comes out as a sentence
 * and a code.
 */
function guarded(body: string, env: Record<string, string> = {}): { code: number | null; err: string; out: string } {
  const lib = (name: string) => JSON.stringify(pathToFileURL(join(here, `${name}.mjs`)).href)
  const file = join(folder, `${Math.random().toString(36).slice(2)}.mjs`)
  writeFileSync(
    file,
    `import { guarded } from ${lib('say')}\nimport * as packages from ${lib('packages')}\nimport * as services from ${lib('services')}\nimport * as processes from ${lib('processes')}\nimport * as database from ${lib('database')}\nconst root = ${JSON.stringify(root)}\nawait guarded(async () => { ${body} })\n`,
  )
  const r = spawnSync(process.execPath, [file], { encoding: 'utf8', env: { ...process.env, ...env }, timeout: 200_000 })
  return { code: r.status, err: r.stderr, out: r.stdout }
}

// A machine with a shell and nothing else.
const bare = join(folder, 'bin')
mkdirSync(bare)
symlinkSync('/bin/sh', join(bare, 'sh'))

describe('what can go wrong at the start is one sentence and a way out', () => {
  test('no Debian: which package to install', () => {
    const r = guarded("await packages.installDebianPackage('mariadbd', 'mariadb-server', 'The database')", {
      PATH: bare,
    })
    expect(r.code).toBe(2)
    expect(r.err).toMatch(/The database needs mariadb-server, and this is not a Debian machine/)
    expect(r.err).not.toMatch(/\n\s+at /)
  })
  test.each([
    [
      'a database that does not answer',
      'mysql://a:b@127.0.0.1:1/x',
      /The database at 127\.0\.0\.1:1 does not answer\. Is it running/,
    ],
    [
      'a database that refuses the account',
      (process.env.HOLOSOMA_TEST_DATABASE_URL ?? '').replace(/:[^:@/]+@/, ':wrong@'),
      /refuses the account "holosoma_keeper"\. Check user, password/,
    ],
    [
      'a database that is not there',
      (process.env.HOLOSOMA_TEST_DATABASE_URL ?? '').replace(/\/\w+$/, '/elsewhere'),
      /refuses the account|does not exist/,
    ],
  ])('%s', (_what, url, sentence) => {
    const r = guarded(`services.prepareDatabase(root, ${JSON.stringify(url)})`)
    expect(r.code).toBe(2)
    expect(r.err).toMatch(sentence)
  })
  test('a full disk', () => {
    const r = guarded(
      "const fs = await import('node:fs'); const { syncBuiltinESMExports } = await import('node:module'); fs.default.statfsSync = () => ({ bavail: 10, bsize: 1e6 }); syncBuiltinESMExports(); await database.startDatabase('/tmp/holosoma-full', 39999)",
    )
    expect(r.code).toBe(2)
    expect(r.err).toMatch(/disk is nearly full: 10 MB are free in .*Free some space/)
    rmSync('/tmp/holosoma-full', { recursive: true, force: true })
  })
  test('a fault of our own exits with 1 and keeps its trace', () => {
    const r = guarded("throw new TypeError('slip')")
    expect([r.code, /slip\n\s+at /.test(r.err)]).toEqual([1, true])
  })
})

describe('ports and processes', () => {
  const taken: Server[] = []
  afterAll(() => taken.forEach((s) => s.close()))
  test('a taken port is passed over', async () => {
    const { findPort, portAnswers, portFree } = (await import(pathToFileURL(join(here, 'processes.mjs')).href)) as {
      findPort(p: number, n?: number): Promise<number | null>
      portAnswers(p: number): Promise<boolean>
      portFree(p: number): Promise<boolean>
    }
    const server = createServer()
    taken.push(server)
    const port = await new Promise<number>((resolve) =>
      server.listen(0, '127.0.0.1', () => resolve((server.address() as { port: number }).port)),
    )
    expect(await portFree(port)).toBe(false)
    expect(await portAnswers(port)).toBe(true)
    expect(await findPort(port)).toBeGreaterThan(port)
    expect(await findPort(port, 1)).toBeNull()
  })
  test('a child is stopped gently, and then hard', async () => {
    const { stopChild, alive } = (await import(pathToFileURL(join(here, 'processes.mjs')).href)) as {
      stopChild(child: unknown, ms: number): Promise<void>
      alive(pid: number): boolean
    }
    for (const body of ['setTimeout(() => {}, 1e6)', "process.on('SIGTERM', () => {}); setTimeout(() => {}, 1e6)"]) {
      const child = spawn(process.execPath, ['-e', body])
      await new Promise((r) => setTimeout(r, 300))
      await stopChild(child, 500)
      await new Promise((r) => setTimeout(r, 100))
      expect(alive(child.pid!)).toBe(false)
    }
  })
})

test('the drawing of the house is that of its imports (node scripts/draw-house.mjs)', async () => {
  const { drawHouse } = (await import(pathToFileURL(join(root, 'scripts', 'draw-house.mjs')).href)) as {
    drawHouse: () => string
  }
  expect(readFileSync(join(root, 'docs', 'house.svg'), 'utf8')).toBe(drawHouse())
})
