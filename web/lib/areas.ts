import type { Brief } from '@holosoma/core/brief'
import { MAX_AREA_STROKES, type AreaStroke, type CarriedAreas } from '@holosoma/core/plan'
import type { PieceState } from '@holosoma/engine'
import { api } from './api'
import { pigment } from './pigments'
import { planFor, slowPlanner } from './plan-desk'
import { grownOf } from './results'
import { useDesk } from './store'

/* The areas of the brief on the skin that stands on the stage. */

/** What a skin's coordinates are those of: the take that is fixed in the join, or the mesh it was taken from. */
export function frameOf(state: PieceState): string {
  const first = state.mesh?.chain[0]
  if (first?.operation !== 'skin.make') return `mesh ${String(Object.values(first?.inputs ?? {})[0])}`.slice(0, 80)
  const names = first.params.names as readonly string[]
  const fixed = names.length > 1 ? String(state.join?.step.figures.fixed ?? names[0]) : names[0]
  // By its number where it is known: names are labels.
  const called = Object.entries(state.join?.calledThen ?? {}).find(([, then]) => then === fixed)?.[0]
  return `take ${called ?? state.takes.find((t) => t.name === fixed)?.id ?? fixed}`.slice(0, 80)
}

/** Each area has a pigment, as takes have; never one of a verdict. */
export const areaColour = (index: number): string => pigment(index + 3).colour

const CLAY: readonly [number, number, number] = [0xc0, 0x8a, 0x68]
const rgb = (hex: string): readonly [number, number, number] => [
  parseInt(hex.slice(1, 3), 16),
  parseInt(hex.slice(3, 5), 16),
  parseInt(hex.slice(5, 7), 16),
]

/** A colour for each point, by the area it lies in. */
export function tintOf(areaOf: Int16Array, areas: number): Uint8Array {
  const colours = Array.from({ length: areas }, (_, i) => rgb(areaColour(i)))
  const out = new Uint8Array(areaOf.length * 3)
  for (let i = 0; i < areaOf.length; i++) out.set(areaOf[i] < 0 ? CLAY : (colours[areaOf[i]] ?? CLAY), i * 3)
  return out
}

/** The planner with the stand-in the piece was planned with; without a plan, that which the brief would begin with. */
async function planner(state: PieceState, brief: Brief): Promise<ReturnType<typeof slowPlanner>> {
  const { standIn } = state.plan?.content ?? planFor(brief)
  const ready = await slowPlanner().setUp(standIn, [brief.lengthMm, brief.widthMm, brief.heightMm])
  if ('error' in ready) throw new Error(ready.error)
  return slowPlanner()
}

const baseOf = (state: PieceState): { stepId: number; revision: number } | null =>
  state.areas && { stepId: state.areas.stepId, revision: state.areas.revision }

/** Finds where the stand-in lies in the skin, and keeps it; what was painted by hand stays. */
export async function layAreas(): Promise<void> {
  const { state } = useDesk.getState()
  const { mesh, brief } = state
  if (!mesh || !brief) throw new Error('There is no brief and skin yet to lay areas on.')
  const found = await (await planner(state, brief.content)).carry(mesh.shape.hash, grownOf(mesh))
  if ('error' in found) throw new Error(found.error)
  // Where the skin lay elsewhere, so did what was painted.
  const frame = frameOf(state)
  const strokes = state.areas?.content.frame === frame ? state.areas.content.strokes : []
  await api.saveDocument(state.piece.id, 'areas', { ...found, frame, strokes }, null, baseOf(state))
}

/** A touch of the brush more. @param at in the coordinates of the skin as it stands */
export async function paintArea(
  area: string | null,
  at: readonly [number, number, number],
  normal: readonly [number, number, number],
  radiusMm: number,
): Promise<void> {
  const { state } = useDesk.getState()
  if (!state.areas || !state.mesh) throw new Error('Lay the areas on the skin first.')
  const grown = grownOf(state.mesh)
  const stroke: AreaStroke = {
    area,
    at: at.map((v) => Math.round((v / grown) * 1000) / 1000) as [number, number, number],
    normal: normal.map((v) => Math.round(v * 1e4) / 1e4) as [number, number, number],
    radiusMm: radiusMm / grown,
  }
  const { content } = state.areas
  if (content.strokes.length >= MAX_AREA_STROKES)
    throw new Error(`There are ${MAX_AREA_STROKES} touches of the brush already; use a wider one.`)
  await api.saveDocument(
    state.piece.id,
    'areas',
    { ...content, strokes: [...content.strokes, stroke] },
    null,
    baseOf(state),
  )
}

/** Which area each point of the drawn skin lies in, and how much surface each has, mm². */
export async function areasOnSkin(
  state: PieceState,
  carried: CarriedAreas,
  brief: Brief,
): Promise<{ areaOf: Int16Array; sizesMm2: number[] }> {
  const { mesh } = state
  if (!mesh) throw new Error('There is no skin yet.')
  return (await planner(state, brief)).areasOn(mesh.shape.hash, carried, brief, grownOf(mesh))
}
