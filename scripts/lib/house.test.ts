import { spawn, spawnSync, type ChildProcess } from 'node:child_process'
import {
  chmodSync,
  existsSync,
  mkdirSync,
  mkdtempSync,
  readdirSync,
  readFileSync,
  rmSync,
  writeFileSync,
} from 'node:fs'
import { createRequire } from 'node:module'
import { tmpdir } from 'node:os'
import { dirname, join } from 'node:path'
import { fileURLToPath, pathToFileURL } from 'node:url'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import { LAMP_TAKES } from '@holosoma/core'

const here = dirname(fileURLToPath(import.meta.url))
const root = join(here, '..', '..')
const lib = (name: string): Promise<unknown> => import(pathToFileURL(join(here, `${name}.mjs`)).href)
const wait = (ms: number): Promise<void> => new Promise((r) => setTimeout(r, ms))
const folder = mkdtempSync(join(tmpdir(), 'holosoma-house-'))
// The database's own account must be able to come in.
chmodSync(folder, 0o755)
afterAll(() => rmSync(folder, { recursive: true, force: true }))

interface House {
  url: string
  keeperUrl: string
  dataDir: string
  socket: string
  stop(): Promise<void>
}
const { startDatabase } = (await lib('database')) as { startDatabase(dir: string, port: number): Promise<House> }
type Connection = { query(sql: string): Promise<[Record<string, unknown>[]]>; end(): Promise<void> }
const mysql = createRequire(join(root, 'engine', 'package.json'))('mysql2/promise') as {
  createConnection(o: object | string): Promise<Connection>
}
const asRoot = process.getuid?.() === 0

/**
 * Kills the database's server as a crash would: the one that runs now, whose number its file may be a moment late to
 * tell.
 */
async function killServer(house: House, before: number): Promise<number> {
  for (const end = Date.now() + 30_000; Date.now() < end; await wait(20)) {
    const file = join(house.dataDir, '..', 'db.pid')
    const pid = existsSync(file) ? Number(readFileSync(file, 'utf8')) : 0
    if (pid === before || pid < 2) continue
    try {
      process.kill(pid, 'SIGKILL')
      return pid
    } catch {
      // Of a server that has gone; the new one writes its own soon.
    }
  }
  throw new Error('No server came to be killed.')
}

describe('1: nobody enters the database without a password', () => {
  let house: House
  const stateDir = join(folder, 'state')
  beforeAll(async () => {
    house = await startDatabase(stateDir, 33606)
  })
  afterAll(() => house.stop())
  const port = (): number => Number(new URL(house.url).port)
  const query = async (url: string, sql: string): Promise<Record<string, unknown>[]> => {
    const c = await mysql.createConnection(url)
    try {
      return (await c.query(sql))[0]
    } finally {
      await c.end()
    }
  }
  test('every account of mysql.user is refused without one, by name and by address', async () => {
    const all = asRoot
      ? spawnSync('mariadb', [`--socket=${house.socket}`, '-N', '-e', 'SELECT DISTINCT User FROM mysql.user'], {
          encoding: 'utf8',
        })
          .stdout.trim()
          .split('\n')
      : []
    if (asRoot) expect(all.sort()).toEqual(['holosoma', 'holosoma_keeper', 'mariadb.sys', 'root'])
    for (const user of new Set([...all, 'root', 'mysql', 'holosoma', 'holosoma_keeper', ''])) {
      for (const host of ['127.0.0.1', 'localhost', '::1']) {
        await expect(
          mysql.createConnection({ host, port: port(), user, password: '' }),
          `${user}@${host}`,
        ).rejects.toThrow(/Access denied|ECONNREFUSED/)
      }
    }
  })
  test('by the socket only the machine’s own root comes in', () => {
    if (!asRoot) return
    for (const user of ['root', 'mysql', 'holosoma', 'mariadb.sys']) {
      const tried = spawnSync(
        'setpriv',
        ['--reuid=nobody', '--clear-groups', 'mariadb', `--socket=${house.socket}`, `--user=${user}`, '-e', 'SELECT 1'],
        { encoding: 'utf8' },
      )
      expect([user, tried.status === 0]).toEqual([user, false])
    }
  })
  test('the application may read and write rows, and nothing else; neither account reads or writes files', async () => {
    await query(house.keeperUrl, 'CREATE TABLE IF NOT EXISTS t (id INT PRIMARY KEY, b LONGTEXT)')
    await query(house.url, 'REPLACE INTO t VALUES (1, "x")')
    expect(await query(house.url, 'SELECT * FROM t')).toEqual([{ id: 1, b: 'x' }])
    for (const sql of [
      'DROP TABLE t',
      'ALTER TABLE t ADD c INT',
      'CREATE TABLE u (id INT)',
      'SELECT * FROM mysql.user',
      'CREATE USER x',
      'SET GLOBAL max_connections = 1',
      'SHUTDOWN',
    ]) {
      await expect(query(house.url, sql), sql).rejects.toThrow(/denied/)
    }
    const out = join(folder, 'stolen.txt')
    for (const url of [house.url, house.keeperUrl]) {
      await expect(query(url, `SELECT 1 INTO OUTFILE '${out}'`)).rejects.toThrow(/denied|secure/)
      expect(await query(url, "SELECT LOAD_FILE('/etc/passwd') AS f")).toEqual([{ f: null }])
      await expect(query(url, `LOAD DATA LOCAL INFILE '/etc/passwd' INTO TABLE t`)).rejects.toThrow()
    }
    expect(existsSync(out)).toBe(false)
    expect((await query(house.url, "SHOW VARIABLES LIKE 'secure_file_priv'"))[0].Value).toMatch(/no-files/)
  })
  test('passwords stand in files only their owner reads', () => {
    if (!asRoot) return
    expect(
      spawnSync('setpriv', ['--reuid=nobody', '--clear-groups', 'cat', join(house.dataDir, '..', 'init.sql')]).status,
    ).not.toBe(0)
  })
})

describe('8: what ends is started again', () => {
  test('a database that is killed comes back by itself, with what was written; who asks meanwhile waits', async () => {
    const said: string[] = []
    const write = process.stdout.write.bind(process.stdout)
    process.stdout.write = (text: string) => (said.push(String(text)), true)
    const house = await startDatabase(join(folder, 'killed'), 33626)
    try {
      const { whileAway } = (await import('../../engine/src/store/database')) as {
        whileAway<T>(ask: () => Promise<T>): Promise<T>
      }
      const ask = async (sql: string): Promise<Record<string, unknown>[]> => {
        const c = await mysql.createConnection(house.keeperUrl)
        return c
          .query(sql)
          .then(([rows]) => rows)
          .finally(() => c.end())
      }
      await ask('CREATE TABLE t (id INT PRIMARY KEY)')
      let pid = 0
      for (let k = 0; k < 3; k++) {
        await ask(`INSERT INTO t VALUES (${k})`)
        pid = await killServer(house, pid)
        await wait(50)
        expect((await whileAway(() => ask('SELECT COUNT(*) AS n FROM t')))[0]).toEqual({ n: k + 1 })
      }
      // Killed before its start was seen to be complete, it is told as one that could not be started; either way the
      // next try is said.
      const told = said.filter((s) => /^The database (ended unexpectedly|could not be started).* in [\d.]+ s\./.test(s))
      expect(told, said.join('')).toHaveLength(3)
    } finally {
      process.stdout.write = write
      await house.stop()
    }
  })
  test('a job whose database is away for seconds goes on, in the same attempt or the next, and loses nothing', async () => {
    const house = await startDatabase(join(folder, 'jobs'), 33666)
    const { prepareDatabase } = (await lib('services')) as {
      prepareDatabase(root: string, url: string, extra: object): string
    }
    prepareDatabase(root, house.keeperUrl, { HOLOSOMA_NO_DEMO: '1' })
    const worker = spawn(process.execPath, [join(root, 'engine', 'dist', 'worker.mjs')], {
      env: { ...process.env, HOLOSOMA_DATABASE_URL: house.url },
      stdio: ['ignore', 'ignore', 'ignore'],
    })
    const ask = async (sql: string): Promise<Record<string, unknown>[]> => {
      for (let tries = 0; ; tries++) {
        try {
          const c = await mysql.createConnection(house.url)
          return await c
            .query(sql)
            .then(([rows]) => rows)
            .finally(() => c.end())
        } catch (error) {
          if (tries > 100) throw error
          await wait(200)
        }
      }
    }
    try {
      await ask("INSERT INTO pieces (id, name, number, bench_piece) VALUES (1, 'Lamp', '', 'lamp')")
      await ask("INSERT INTO takes (id, piece_id, name, pose, ordinal) VALUES (1, 1, 'upright', 'upright', 1)")
      const request = JSON.stringify({
        kind: 'operation',
        operation: 'take.simulate',
        params: { piece: 'lamp', take: LAMP_TAKES[0], seed: 1, lights: [3], faults: true },
        inputs: {},
      })
      let pid = 0
      for (let k = 0; k < 3; k++) {
        await ask(
          `INSERT INTO jobs (id, piece_id, track, kind, title, request) VALUES (${k + 1}, 1, 'take:1', 'operation', 'Taking', '${request.replaceAll("'", "''")}')`,
        )
        const job = async (): Promise<{ state: string; error: string | null }> =>
          (await ask(`SELECT state, error FROM jobs WHERE id = ${k + 1}`))[0] as never
        for (const end = Date.now() + 60_000; (await job()).state === 'queued' && Date.now() < end;) await wait(50)
        await wait(300 + 700 * k)
        pid = await killServer(house, pid)
        for (const end = Date.now() + 120_000; ['queued', 'running'].includes((await job()).state) && Date.now() < end;)
          await wait(200)
        expect(await job()).toEqual({ state: 'done', error: null })
      }
      expect((await ask('SELECT COUNT(*) AS n FROM steps'))[0]).toEqual({ n: 3 })
    } finally {
      worker.kill('SIGKILL')
      await house.stop()
    }
  })
  test('a service that keeps ending is started later each time, and no more when it is let go', async () => {
    const { keepRunning } = (await lib('processes')) as {
      keepRunning(name: string, start: () => ChildProcess, told: (s: string) => void): Promise<{ letGo(): void }>
    }
    let begun = 0
    const told: string[] = []
    const kept = await keepRunning(
      'The clerk',
      () => (begun++, spawn('true')),
      (s) => void told.push(s),
    )
    for (const end = Date.now() + 60_000; told.length < 3 && Date.now() < end;) await wait(20)
    kept.letGo()
    expect(told.slice(0, 3)).toEqual(
      ['0.3', '0.6', '1.2'].map(
        (s) => `The clerk ended unexpectedly; it is started again in ${s} s. What was saved is safe.`,
      ),
    )
    const n = begun
    await wait(1500)
    expect(begun).toBe(n)
  })
})

describe('9: state files and process numbers', () => {
  test.each(['', '{"password":', 'null', '[]', '{"password":5}', '\u0000\u0000'])(
    'a state file of %j is set aside and made anew',
    async (content) => {
      const files = (await lib('state-files')) as {
        readState(f: string, ok: (v: { password?: unknown }) => boolean): unknown
        writeState(f: string, v: unknown): void
      }
      const at = mkdtempSync(join(folder, 'files-'))
      const file = join(at, 'database.json')
      writeFileSync(file, content)
      expect(files.readState(file, (v) => typeof v.password === 'string')).toBeNull()
      expect(existsSync(file)).toBe(false)
      expect(readdirSync(at).filter((f) => f.includes('.broken-'))).toHaveLength(1)
      files.writeState(file, { password: 'a' })
      expect(files.readState(file, (v) => typeof v.password === 'string')).toEqual({ password: 'a' })
      expect(readdirSync(at).filter((f) => f.includes('.new'))).toEqual([])
    },
  )
  test('a house whose database.json is empty starts, and keeps what was written', async () => {
    const stateDir = join(folder, 'emptied')
    const first = await startDatabase(stateDir, 33646)
    const c = await mysql.createConnection(first.keeperUrl)
    await c.query('CREATE TABLE t (id INT)')
    await c.end()
    await first.stop()
    writeFileSync(join(stateDir, 'database.json'), '')
    const second = await startDatabase(stateDir, 33646)
    try {
      const d = await mysql.createConnection(second.url)
      expect((await d.query('SHOW TABLES'))[0]).toHaveLength(1)
      await d.end()
    } finally {
      await second.stop()
    }
  })
  test('a number that another program has now is never ended', async () => {
    const { identityOf, isRunning, stopProcess } = (await lib('processes')) as {
      identityOf(pid: number, mark: string): { pid: number; began: number; boot: string; mark: string } | null
      isRunning(i: unknown): boolean
      stopProcess(i: unknown, ms?: number): Promise<void>
    }
    const other = spawn(process.execPath, [
      '-e',
      'setTimeout(() => {}, 1e6)',
      'next',
      'worker.mjs',
      'serve.mjs',
      'start.mjs',
    ])
    try {
      await wait(200)
      const right = identityOf(other.pid!, 'worker.mjs')!
      expect(isRunning(right)).toBe(true)
      expect(identityOf(other.pid!, 'mariadbd')).toBeNull()
      expect(identityOf(999_999, 'worker.mjs')).toBeNull()
      for (const wrong of [
        { ...right, began: right.began - 1 },
        { ...right, boot: 'another' },
        { ...right, mark: 'mariadbd' },
        null,
        {},
      ]) {
        await stopProcess(wrong, 300)
        expect(isRunning(right)).toBe(true)
      }
      await stopProcess(right, 2000)
      expect(isRunning(right)).toBe(false)
    } finally {
      other.kill('SIGKILL')
    }
  })
  test('a start over a processes.json that names foreign processes leaves them alone', async () => {
    const copy = join(folder, 'copy')
    mkdirSync(join(copy, 'scripts'), { recursive: true })
    spawnSync('cp', ['-r', join(root, 'scripts', 'lib'), join(root, 'scripts', 'start.mjs'), join(copy, 'scripts')])
    mkdirSync(join(copy, '.holosoma'))
    const foreign = spawn(process.execPath, ['-e', 'setTimeout(() => {}, 1e6)', 'serve.mjs', 'worker.mjs', 'next'])
    try {
      await wait(200)
      for (const text of [
        JSON.stringify({ self: foreign.pid, web: foreign.pid, worker: foreign.pid }),
        JSON.stringify({
          self: null,
          web: { pid: foreign.pid, began: 1, boot: 'b', mark: 'serve.mjs' },
          worker: { pid: foreign.pid },
        }),
        '',
        '{"self":',
      ]) {
        writeFileSync(join(copy, '.holosoma', 'processes.json'), text)
        // It has no packages here and ends there; what was left over has been looked at before.
        const r = spawnSync(process.execPath, [join(copy, 'scripts', 'start.mjs')], {
          encoding: 'utf8',
          env: { ...process.env, PATH: dirname(process.execPath) },
          timeout: 60_000,
          cwd: copy,
        })
        expect(r.stderr).not.toMatch(/JSON|SyntaxError/)
        expect(foreign.exitCode).toBeNull()
        expect(foreign.signalCode).toBeNull()
      }
    } finally {
      foreign.kill('SIGKILL')
    }
  })
  test.each([
    ['80000', 'HOLOSOMA_PORT'],
    ['0', 'HOLOSOMA_PORT'],
    ['http', 'HOLOSOMA_PORT'],
    ['-1', 'HOLOSOMA_DATABASE_PORT'],
    ['3000.5', 'HOLOSOMA_DATABASE_PORT'],
  ])('%s is no port: a sentence', (value, name) => {
    const r = spawnSync(process.execPath, [join(root, 'scripts', 'start.mjs')], {
      encoding: 'utf8',
      env: { ...process.env, [name]: value },
      timeout: 60_000,
    })
    expect([r.status, r.stderr.trim()]).toEqual([2, `${name} is “${value}”; a port is a whole number from 1 to 65535.`])
  })
})
