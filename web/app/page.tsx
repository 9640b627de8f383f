import { listPieces, openDatabase, pieceState, type PieceState } from '@holosoma/engine'
import { Shelf, type ShelfPiece } from '@/components/shelf'
import { nextMove, stops } from '@/stations/road'

export const dynamic = 'force-dynamic'

export default async function Page() {
  const db = openDatabase()
  const pieces = await listPieces(db)
  const states = await Promise.all(pieces.filter((p) => !p.binned).map((p) => pieceState(db, p.id)))
  return (
    <Shelf
      pieces={states.filter((s): s is PieceState => s !== null).map(shelfPiece)}
      binned={pieces.filter((p) => p.binned).map(({ id, name }) => ({ id, name }))}
    />
  )
}

function shelfPiece(state: PieceState): ShelfPiece {
  const takes = state.takes.filter((t) => t.shape)
  return {
    id: state.piece.id,
    name: state.piece.name,
    number: state.piece.number,
    sample: state.piece.sample,
    thumb: state.mesh?.shape.hash ?? takes[0]?.shape?.hash ?? null,
    isMesh: !!state.mesh,
    stops: stops(state).map((s) => ({ station: s.station, verdict: s.verdict })),
    ...nextMove(state),
    facts:
      takes.length === 0
        ? 'no takes yet'
        : `${takes.length} ${takes.length === 1 ? 'take' : 'takes'}, ` +
          `${takes.reduce((n, t) => n + t.shape!.points, 0).toLocaleString('en')} points`,
  }
}
