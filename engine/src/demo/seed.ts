import type { Database } from '../store/database'
import { seedExample } from './example'
import { createPiece } from '../pieces/pieces'
import { seedBriefs } from './seed-briefs'
import { seedToMend } from './to-mend'

/** The demo, once, and only into an empty house: nobody's own pieces are ever touched. */
export async function seedDemo(db: Database): Promise<boolean> {
  const [{ count }] = (await db('pieces').count({ count: '*' })) as [{ count: number }]
  if (Number(count) > 0) return false
  const lamp = await createPiece(db, { name: 'Oil lamp', number: 'HQ-014', sample: true, benchPiece: 'lamp' })
  await seedExample(db)
  await seedBriefs(db, lamp)
  await seedToMend(db)
  return true
}
