import { notFound } from 'next/navigation'
import { openDatabase, pieceState } from '@holosoma/engine'
import { EMPTY_BRIEF } from '@holosoma/core/brief'
import { RunSheetPage } from '@/components/run-sheet-page'

export const dynamic = 'force-dynamic'

export default async function Page({ params }: { params: Promise<{ id: string }> }) {
  const id = Number((await params).id)
  const state = Number.isInteger(id) ? await pieceState(openDatabase(), id) : null
  if (!state) notFound()
  return (
    <RunSheetPage
      piece={state.piece}
      brief={state.brief?.content ?? EMPTY_BRIEF}
      plan={state.plan?.content ?? null}
      version={state.plan?.version ?? 0}
    />
  )
}
