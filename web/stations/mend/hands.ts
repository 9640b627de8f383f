import { wrap, type Remote } from 'comlink'
import { requirementsOf } from '@holosoma/core/brief'
import { positiveNumber } from '@/components/ui'
import { laidTakes, madeOf } from '@/lib/made-of'
import { useDesk } from '@/lib/store'
import type { Ray } from '@/stage/stage'
import type { Patch, PressedRay, SculptWorker } from '@/workers/sculpt.worker'
import type { PieceState } from '@holosoma/engine'

/* The skin under the hand: a worker holds it while brushes go over it, and what changed is drawn as it does. */

let hands: Remote<SculptWorker> | undefined
const worker = (): Remote<SculptWorker> =>
  (hands ??= wrap<SculptWorker>(
    new Worker(new URL('../../workers/sculpt.worker.ts', import.meta.url), { type: 'module' }),
  ))

/** How far brushes may take the surface where nothing else is said: this share of the skin's spacing. */
const USUAL_CAP = 0.5

/** The cap as it holds: what was typed, never more than the brief allows; null where neither says. */
export function capOf(state: PieceState, typed: string): number | null {
  const tolerance = state.brief ? requirementsOf(state.brief.content).toleranceMm : null
  const spacing = Number(state.mesh?.chain[0]?.figures.spacingMm)
  const own = typed.trim() === '' ? (tolerance ?? (spacing > 0 ? USUAL_CAP * spacing : null)) : Number(typed)
  if (own === null || !Number.isFinite(own)) return null
  return tolerance === null ? own : Math.min(own, tolerance)
}

/** Lays the skin under the hand, with what was brushed so far; again when cap or skin changed. */
export async function takeUp(): Promise<void> {
  const { state, handCapMm, handReason, handStrokes, set } = useDesk.getState()
  const { mesh } = state
  if (!mesh) return
  const { hash } = mesh.shape
  const made = madeOf(state)
  const capMm = handReason === null ? capOf(state, handCapMm) : null
  if (handReason === null && capMm === null) throw new Error('Say how far the surface may be moved.')
  const data = await worker().open({
    hash,
    takes: made ? laidTakes(state) : [],
    up: made?.up ?? null,
    scale: made?.scale ?? 1,
    capMm,
    strokes: handStrokes,
  })
  if ('error' in data) throw new Error(data.error)
  set({ skinLive: { hash, data, stamp: 0, dirty: { from: Infinity, to: 0 } } })
  await rest()
}

/** Lets it go; what was not kept is gone. */
export function putDown(): void {
  useDesk.getState().set({ handBrush: null, handStrokes: [], handTold: null, handReason: null, skinLive: null })
  void hands?.close()
}

/** What the pointer paints with a brush. */
export function paintHands(): { begin(): void; stretch(rays: readonly Ray[]): Promise<void>; end(): Promise<void> } {
  let isNew = true
  return {
    begin: () => {
      isNew = true
    },
    async stretch(rays) {
      const { handBrush, handMm, handStrength, handOnto } = useDesk.getState()
      const radiusMm = positiveNumber(handMm)
      if (radiusMm === null) throw new Error('The brush must be wider than 0 mm.')
      if (!handBrush) return
      if (isNew) {
        isNew = false
        const side = rays[0].direction.map((v) => Math.round(-v * 1e4) / 1e4)
        await worker().begin({ brush: handBrush, radiusMm, strength: handStrength, side, onto: handOnto })
      }
      draw(await worker().stretch(rays.map((r): PressedRay => ({ ...r, pressure: r.pressure ?? 1 }))))
    },
    end: rest,
  }
}

/** Takes the last stroke back. */
export async function strokeBack(): Promise<void> {
  draw(await worker().back())
  await rest()
}

async function rest(): Promise<void> {
  const now = await worker().rest()
  if (now && useDesk.getState().skinLive) useDesk.getState().set({ handStrokes: now.strokes, handTold: now.told })
}

/** Lays what changed into what is drawn. */
function draw(patch: Patch | null): void {
  const { skinLive, set } = useDesk.getState()
  if (!patch || !skinLive) return
  const { data, dirty } = skinLive
  const { vertices, positions, normals } = patch
  for (let i = 0; i < vertices.length; i++) {
    const v = vertices[i]
    for (let c = 0; c < 3; c++) {
      data.positions[v * 3 + c] = positions[i * 3 + c]
      data.normals[v * 3 + c] = normals[i * 3 + c]
    }
    if (v < dirty.from) dirty.from = v
    if (v >= dirty.to) dirty.to = v + 1
  }
  set({ skinLive: { ...skinLive, stamp: skinLive.stamp + 1 } })
}
