import type { Database } from '../store/database'
import { seedExample } from './example'
import { createPiece } from '../pieces/pieces'
import { seedBriefs } from './seed-briefs'
import { seedToMend } from './to-mend'

/** The demo, once, and only into an empty house: nobody's own pieces are ever touched. */
export async function seedDemo(db: Database): Promise<boolean> {
  const [{ count }] = (await db('pieces').count({ count: '*' })) as [{ count: number }]
  if (Number(count) > 0) return false
  try {
    const lamp = await createPiece(db, { name: 'Oil lamp', number: 'HQ-014', sample: true, benchPiece: 'lamp' })
    await seedExample(db)
    await seedBriefs(db, lamp)
    await seedToMend(db)
  } catch (error) {
    // Half a demo would be taken for a whole one by the next start; the house was empty before.
    await db('pieces').delete()
    throw error
  }
  return true
}
