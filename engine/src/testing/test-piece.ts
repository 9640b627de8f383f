import { afterAll, beforeAll, beforeEach } from 'vitest'
import type { Database } from '../store/database'
import { createPiece } from '../pieces/pieces'
import { emptyTables, holdTestDatabase } from './test-database'

/** Gives a test file the tests' database, empty before each test; `lay` hears of it each time. */
export function onTestDatabase(lay: (db: Database) => void | Promise<void>): void {
  let db: Database
  let release: () => Promise<void>
  beforeAll(async () => {
    ;({ db, release } = await holdTestDatabase())
  }, 300_000)
  afterAll(() => release())
  beforeEach(async () => {
    await emptyTables(db)
    await lay(db)
  })
}

/** The same, with a single piece in it. */
export function onTestPiece(
  fields: Parameters<typeof createPiece>[1],
  lay: (given: { db: Database; piece: number }) => void,
): void {
  onTestDatabase(async (db) => lay({ db, piece: await createPiece(db, fields) }))
}
