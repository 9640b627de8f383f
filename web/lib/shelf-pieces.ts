import { listPieces, pieceState, pieceVersions, type Database, type PieceState } from '@holosoma/engine'
import type { Plan } from '@holosoma/core/plan'
import { nextMove, stops } from '@/stations/road'
import type { ShelfPiece } from './shelf'
import type { StandInSketch } from './stand-in-sketch'

/*
 * Pieces as the shelf shows them, read anew only where something changed: a shelf of hundreds is looked at more often
 * than its pieces change.
 */

const known = new Map<number, { readonly version: string; readonly piece: ShelfPiece }>()

/** All pieces that are not in the bin. */
export async function shelfPieces(db: Database): Promise<ShelfPiece[]> {
  const out: ShelfPiece[] = []
  const pieces = await listPieces(db)
  for (const id of known.keys()) if (!pieces.some((p) => p.id === id)) known.delete(id)
  for (const { id, binned } of pieces) {
    if (binned) continue
    const { piece, jobs } = await pieceVersions(db, id)
    const version = `${piece} ${jobs}`
    let held = known.get(id)
    if (held?.version !== version) {
      const state = await pieceState(db, id)
      if (!state) continue
      held = { version, piece: shelfPiece(state) }
      known.set(id, held)
    }
    out.push(held.piece)
  }
  return out
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
    standIn: sketchFrom(state),
    stops: stops(state).map((s) => ({ station: s.station, verdict: s.verdict })),
    ...nextMove(state),
    facts:
      takes.length === 0
        ? 'no takes yet'
        : `${takes.length} ${takes.length === 1 ? 'take' : 'takes'}, ` +
          `${takes.reduce((n, t) => n + t.shape!.points, 0).toLocaleString('en')} points`,
    changedAt: state.steps.at(-1)?.createdAt ?? '',
  }
}

const ROUGHLY: Readonly<Record<Plan['standIn']['kind'], StandInSketch['form']>> = {
  box: 'box',
  cylinder: 'cylinder',
  ellipsoid: 'ellipsoid',
  lathe: 'cylinder',
  extrusion: 'box',
  mesh: 'ellipsoid',
}

/** The form that is planned with, at the size of the brief; a box where only the size is known. */
function sketchFrom({ brief, plan }: PieceState): StandInSketch | null {
  if (!brief) return null
  const { lengthMm, widthMm, heightMm } = brief.content
  return { form: plan ? ROUGHLY[plan.content.standIn.kind] : 'box', size: [lengthMm, widthMm, heightMm] }
}
