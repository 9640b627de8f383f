import { notFound } from 'next/navigation'
import { openDatabase, pieceState } from '@holosoma/engine'
import { PiecePage } from '@/desk/piece-page'

export const dynamic = 'force-dynamic'

export default async function Page({ params }: { params: Promise<{ id: string }> }) {
  const id = Number((await params).id)
  const state = Number.isInteger(id) ? await pieceState(openDatabase(), id) : null
  if (!state) notFound()
  return <PiecePage initial={JSON.parse(JSON.stringify(state)) as typeof state} />
}
