import knex, { type Knex } from 'knex'
import { migrations } from './migrations'

export type Database = Knex

/** One pool for each process; survives module reloads of a development server. */
const globals = globalThis as { holosomaDatabase?: Database }

/** The pool of connections of this process; made when first asked for. */
export function openDatabase(url: string | undefined = process.env.HOLOSOMA_DATABASE_URL): Database {
  if (globals.holosomaDatabase) return globals.holosomaDatabase
  if (!url) throw new Error('HOLOSOMA_DATABASE_URL is not set; start Holosoma with "npm start".')
  globals.holosomaDatabase = knex({
    client: 'mysql2',
    connection: {
      uri: url,
      charset: 'utf8mb4',
      supportBigNumbers: true,
      dateStrings: false,
      timezone: 'Z',
    } as Knex.MySql2ConnectionConfig,
    pool: { min: 0, max: 8 },
    acquireConnectionTimeout: 20_000,
  })
  return globals.holosomaDatabase
}

/** Gives all connections back. */
export async function closeDatabase(): Promise<void> {
  await globals.holosomaDatabase?.destroy()
  delete globals.holosomaDatabase
}

/** Migrations live in the bundle, so they are named here and not found in a folder. */
const source: Knex.MigrationSource<string> = {
  getMigrations: () => Promise.resolve(Object.keys(migrations).sort()),
  getMigrationName: (name) => name,
  getMigration: (name) => Promise.resolve(migrations[name]),
}

/** Brings a database up or down to one migration: as a house of an older version left it. */
export async function migrateTo(db: Database, last: string): Promise<void> {
  const [done] = (await db.migrate.list({ migrationSource: source })) as [{ name: string }[], unknown]
  const behind = new Set(done.map((m) => m.name))
  const names = Object.keys(migrations).sort()
  for (const name of [...names].reverse())
    if (name > last && behind.has(name)) await db.migrate.down({ migrationSource: source, name })
  for (const name of names)
    if (name <= last && !behind.has(name)) await db.migrate.up({ migrationSource: source, name })
}

/** Brings the tables up to date. @returns the names of what was done */
export async function migrate(db: Database): Promise<string[]> {
  const [, names] = (await db.migrate.latest({ migrationSource: source })) as [number, string[]]
  return names
}

/** Takes all migrations back: for tests. */
export async function rollback(db: Database): Promise<void> {
  await db.migrate.rollback({ migrationSource: source }, true)
}

const DEADLOCK_TRIES = 12
/** After so long the database is taken to be gone for good, s. */
const AWAY_SECONDS = 90

/** Whether an error says that the database was away, not that it refused something. */
export function isAway(error: unknown): boolean {
  const code = (error as { code?: string } | null)?.code ?? ''
  return (
    AWAY.has(code) ||
    (error as { name?: string } | null)?.name === 'KnexTimeoutError' ||
    /Connection lost|closed state|server has gone away/i.test((error as Error | null)?.message ?? '')
  )
}

const AWAY = new Set([
  'ECONNREFUSED',
  'ECONNRESET',
  'EPIPE',
  'ETIMEDOUT',
  'PROTOCOL_CONNECTION_LOST',
  'PROTOCOL_ENQUEUE_AFTER_FATAL_ERROR',
  'PROTOCOL_ENQUEUE_AFTER_QUIT',
  'ER_SERVER_SHUTDOWN',
  'ER_CON_COUNT_ERROR',
  'ER_CONNECTION_KILLED',
  'ER_NEW_ABORTING_CONNECTION',
])

/**
 * Asks again while the database is away, for a minute and a half: a restart takes seconds, and what was computed
 * meanwhile must not be lost to it. Only for what may be asked twice.
 */
export async function whileAway<T>(ask: () => Promise<T>, seconds = AWAY_SECONDS): Promise<T> {
  const until = performance.now() + seconds * 1000
  for (let waitMs = 100; ; waitMs = Math.min(2000, waitMs * 2)) {
    try {
      return await ask()
    } catch (error) {
      if (!isAway(error) || performance.now() > until) throw error
      await new Promise((resolve) => setTimeout(resolve, waitMs))
    }
  }
}

/**
 * A transaction that is tried again when the server gives it up for another one's sake (deadlock on a single server,
 * failed certification on a cluster):
 * nothing of it was written then.
 */
export async function transact<T>(db: Database, work: (trx: Knex.Transaction) => Promise<T>): Promise<T> {
  for (let attempt = 1; ; attempt++) {
    try {
      return await db.transaction(work)
    } catch (error) {
      const { code } = error as { code?: string }
      if ((code !== 'ER_LOCK_DEADLOCK' && code !== 'ER_LOCK_WAIT_TIMEOUT') || attempt === DEADLOCK_TRIES) throw error
      // Not all at the same moment again.
      await new Promise((resolve) => setTimeout(resolve, 5 * attempt * attempt * (0.5 + Math.random())))
    }
  }
}

/** Runs a prepared statement with binary values: several times faster than hex text for chunks. */
export async function execute<T = unknown>(db: Database, sql: string, params: unknown[]): Promise<T> {
  const client = db.client as { acquireConnection(): Promise<Prepared>; releaseConnection(c: Prepared): Promise<void> }
  const connection = await client.acquireConnection()
  try {
    return await new Promise<T>((resolve, reject) => {
      connection.execute(sql, params, (error, rows) => (error ? reject(error) : resolve(rows as T)))
    })
  } finally {
    await client.releaseConnection(connection)
  }
}

interface Prepared {
  execute(sql: string, params: unknown[], done: (error: Error | null, rows: unknown) => void): void
}
