import knex from 'knex'
import { closeDatabase, migrate, openDatabase, type Database } from '../store/database'

/**
 * The tests' database for one test file at a time: files run in processes of their own, and each empties the tables.
 * Returns the database and what gives it to the next file.
 */
export async function holdTestDatabase(): Promise<{ db: Database; release: () => Promise<void> }> {
  const url = process.env.HOLOSOMA_TEST_DATABASE_URL
  if (!url) throw new Error('HOLOSOMA_TEST_DATABASE_URL is not set: run these with "npm test".')
  const gate = knex({ client: 'mysql2', connection: url, pool: { min: 1, max: 1 } })
  await gate.raw("SELECT GET_LOCK('holosoma-tests', 600)")
  const db = openDatabase(url)
  await migrate(db)
  await emptyTables(db)
  return {
    db,
    release: async () => {
      // What comes after finds an empty house, as the demo wants it.
      await emptyTables(db)
      await closeDatabase()
      await gate.raw("SELECT RELEASE_LOCK('holosoma-tests')")
      await gate.destroy()
    },
  }
}

export async function emptyTables(db: Database): Promise<void> {
  for (const table of ['acts', 'jobs', 'moves', 'heads', 'photos']) await db(table).delete()
  await db('steps').update({ parent_id: null })
  for (const table of ['steps', 'results', 'takes', 'pieces', 'shapes', 'blobs', 'devices', 'acceptances'])
    await db(table).delete()
}
