import { afterAll, beforeAll, beforeEach } from 'vitest'
import type { Database } from '../store/database'
import { createPiece } from '../pieces/pieces'
import { emptyTables, holdTestDatabase } from './test-database'

/**
 * Gives a test file the tests' database, and before each test an empty one with a single piece; `lay` hears of both.
 */
export function onTestPiece(
  fields: Parameters<typeof createPiece>[1],
  lay: (given: { db: Database; piece: number }) => void,
): void {
  let db: Database
  let release: () => Promise<void>
  beforeAll(async () => {
    ;({ db, release } = await holdTestDatabase())
  }, 300_000)
  afterAll(() => release())
  beforeEach(async () => {
    await emptyTables(db)
    lay({ db, piece: await createPiece(db, fields) })
  })
}
