import type { TakeState } from '@holosoma/engine'
import { motionFromRows } from '@holosoma/core/linear'
import { planeThrough } from '@holosoma/core/select'
import { takesUnderHand, warnSoon } from './choosing'
import { byWorker } from './geometry'
import { rowsOf } from './on-stage'
import type { CutPlane, PreviewCut } from '@/stations/tidy/desk'
import { dropPreviews, submit, useDesk } from './store'

export const BELOW_PLANE = 'tidy.trimPlane'

/** A plane of the stage as a take's own coordinates have it. */
export function planeFor(
  plane: CutPlane,
  rows: number[][] | null,
): { normal: [number, number, number]; offsetMm: number } {
  const n = plane.normal
  if (!rows) return { normal: [...n], offsetMm: plane.offsetMm }
  const m = motionFromRows(rows, 'take')
  return {
    normal: [0, 1, 2].map((c) => m[c] * n[0] + m[4 + c] * n[1] + m[8 + c] * n[2]) as [number, number, number],
    offsetMm: plane.offsetMm - (n[0] * m[3] + n[1] * m[7] + n[2] * m[11]),
  }
}

let running = false
let waiting: CutPlane | null = null

/** Shows a plane and paints what lies below it; while the hand drags, only the newest place is reckoned. */
export async function showPlane(plane: CutPlane | null): Promise<void> {
  const { set } = useDesk.getState()
  set({ plane })
  if (!plane) {
    waiting = null
    set({ previews: useDesk.getState().previews.filter((p) => p.operation !== BELOW_PLANE) })
    return
  }
  waiting = plane
  if (running) return
  running = true
  try {
    for (let now: CutPlane | null; (now = waiting);) {
      waiting = null
      await paint(now)
    }
    warnSoon()
  } finally {
    running = false
  }
}

async function paint(plane: CutPlane): Promise<void> {
  const takes = takesUnderHand()
  const laid = takes.map((t) => ({ takeId: t.id, hash: t.shape!.hash, rows: rowsOf(t), before: null }))
  const found = (
    await Promise.all(
      byWorker(laid).map(async ({ worker, items }) => {
        const answers = await worker.choose(
          items,
          { kind: 'below', normal: [...plane.normal], offsetMm: plane.offsetMm },
          'replace',
          null,
        )
        return items.map((t, i) => ({ t, answer: answers[i] }))
      }),
    )
  ).flat()
  const { plane: still, set } = useDesk.getState()
  if (!still) return
  set({
    previews: found.flatMap(({ t, answer }): PreviewCut[] =>
      'error' in answer || answer.count === 0
        ? []
        : [
            {
              takeId: t.takeId,
              shapeHash: t.hash,
              operation: BELOW_PLANE,
              params: { ...planeFor(plane, t.rows), from: plane.from },
              bits: answer.bits,
              count: answer.count,
              mark: answer.mark,
              areaMm2: answer.areaMm2,
              text: `Below the plane, ${plane.from}.`,
            },
          ],
    ),
  })
}

/** A click for a plane through three points; the third lays it. @throws DEGENERATE when they lie on a line */
export async function addPlanePoint(
  at: readonly [number, number, number],
  above: readonly [number, number, number],
): Promise<void> {
  const { planePoints, set } = useDesk.getState()
  const points = [...(planePoints ?? []), at]
  if (points.length < 3) return set({ planePoints: points })
  set({ planePoints: null })
  const { normal, offset } = planeThrough(points[0], points[1], points[2], above)
  await showPlane({ normal, offsetMm: offset, from: 'through three points' })
}

/** Cuts what lies below the plane. */
export async function cutBelow(previews: readonly PreviewCut[]): Promise<void> {
  const { plane } = useDesk.getState()
  await submit(...previews.map((p) => ({ operation: BELOW_PLANE, params: p.params, takeId: p.takeId })))
  // Another plane may have been laid meanwhile.
  if (useDesk.getState().plane === plane) useDesk.getState().set({ plane: null })
  dropPreviews(previews)
}

/** The middle of a take's box as the stage has it. */
export function middleOf(take: TakeState): [number, number, number] {
  const b = take.shape?.bounds
  const at = b ? [0, 1, 2].map((c) => (b.min[c] + b.max[c]) / 2) : [0, 0, 0]
  const rows = rowsOf(take)
  return (rows ? rows.slice(0, 3).map((r) => r[0] * at[0] + r[1] * at[1] + r[2] * at[2] + r[3]) : at) as [
    number,
    number,
    number,
  ]
}
