import { listPieces, openDatabase } from '@holosoma/engine'
import { Shelf } from '@/components/shelf'
import { shelfPieces } from '@/lib/shelf-pieces'

export const dynamic = 'force-dynamic'

export default async function Page() {
  const db = openDatabase()
  const binned = (await listPieces(db)).filter((p) => p.binned)
  return <Shelf pieces={await shelfPieces(db)} binned={binned.map(({ id, name }) => ({ id, name }))} />
}
