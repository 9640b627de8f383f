import { closeDatabase, migrate, openDatabase } from './store/database'
import { seedDemo } from './demo/seed'

/** Brings the database up to date and lays in the demo. Prints one word for each thing it did. */
try {
  const db = openDatabase()
  const names = await migrate(db)
  if (names.length > 0) process.stdout.write(`migrated ${names.join(' ')}\n`)
  if (process.env.HOLOSOMA_NO_DEMO !== '1' && (await seedDemo(db))) process.stdout.write('seeded\n')
} catch (error) {
  const e = error as { code?: string; message: string }
  process.stderr.write(`${e.code ?? ''} ${e.message}\n`)
  process.exitCode = 1
} finally {
  await closeDatabase()
}
