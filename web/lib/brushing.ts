import type { Stretch } from '@/workers/painting'
import type { PointerRay, Stroke, Vector } from '@/workers/selecting'
import { chosenOn, endPatch, hits, keep, laid, takesUnderHand } from './choosing'
import { byWorker } from './geometry'
import { useDesk } from './store'

/**
 * Places asked of one stretch of the brush lie this share of its radius apart, and there are no more than so many;
 * between them it goes straight.
 */
const APART = 0.35
const MAX_PLACES = 10

let painting: Promise<void> = Promise.resolve()

/**
 * A stretch of the brush; under nothing it paints nothing. Ends when the stretch before it is painted, so that the next
 * may already be looked for; `painted` says when all is.
 */
export async function brush(rays: readonly PointerRay[]): Promise<void> {
  const at = (await hits(worthAsking(rays, APART * useDesk.getState().choosing.brushMm))).flatMap((h) => h?.at ?? [])
  if (at.length === 0) return
  const d = rays[0].direction
  const before = painting
  painting = before
    .catch(() => undefined)
    .then(() => paint({ at, radiusMm: useDesk.getState().choosing.brushMm, facing: d.map((x) => -x) as Vector }))
  // Told by whoever waits for it next.
  painting.catch(() => undefined)
  await before
}

/** Of the rays of a stretch, those that are some way apart: its ends always. */
export function worthAsking(rays: readonly PointerRay[], apartMm: number): readonly PointerRay[] {
  const out = [rays[0]]
  for (const ray of rays.slice(1, -1))
    if (Math.hypot(...ray.origin.map((v, c) => v - out.at(-1)!.origin[c])) >= apartMm) out.push(ray)
  if (rays.length > 1) out.push(rays.at(-1)!)
  return out.length <= MAX_PLACES
    ? out
    : Array.from({ length: MAX_PLACES }, (_, k) => out[Math.round((k * (out.length - 1)) / (MAX_PLACES - 1))])
}

/** The brush has painted all it was asked for; what went wrong is told here, or to the next stretch, and only once. */
export async function painted(): Promise<void> {
  const last = painting
  try {
    await last
  } finally {
    if (painting === last) painting = Promise.resolve()
  }
}

/** What is chosen of a take, and its marks on the preview. */
interface Painted {
  readonly bits: Uint8Array
  readonly mark: Uint8Array
}

/**
 * Arrays that this stroke has made: nobody else goes by what they held a stretch ago, so that the next stretch may
 * change them where they lie.
 */
let own = new WeakSet<Uint8Array>()

/**
 * What is chosen of so many points, and its marks on the preview, after a stretch.
 * @param before what was, if anything was; changed only if this stroke made it
 */
export function afterStretch(points: number, before: Painted | undefined, { changed, slots, shown }: Stretch): Painted {
  if (before && changed.length === 0) return before
  const after =
    before && own.has(before.bits)
      ? before
      : {
          bits: before?.bits.slice() ?? new Uint8Array((points + 7) >> 3),
          mark: before?.mark.slice() ?? new Uint8Array(shown),
        }
  own.add(after.bits)
  for (const i of changed) after.bits[i >> 3] ^= 1 << (i & 7)
  for (const k of slots) after.mark[k] ^= 1
  return { bits: after.bits, mark: after.mark }
}

/** A hand begins a stroke: what is chosen so far is left as it is. */
export function beginStroke(): void {
  own = new WeakSet()
}

type Answer = (Stretch & { areaMm2: number }) | { error: string } | null

/** Paints a stretch on the takes under the hand, each from what is chosen of it. */
async function paint(stroke: Stroke): Promise<void> {
  endPatch()
  const { previews, choosing } = useDesk.getState()
  const takes = takesUnderHand().map((t) => ({ ...laid(t), points: t.shape!.points, chosen: chosenOn(t, previews) }))
  const ask = async (known: boolean, of: typeof takes): Promise<[(typeof takes)[number], Answer][]> => {
    const given = of.map((t) => ({
      ...t,
      before: known && t.chosen?.stamp !== undefined ? { stamp: t.chosen.stamp } : { bits: t.chosen?.bits ?? null },
    }))
    return (
      await Promise.all(
        byWorker(given).map(async ({ worker, items }) => {
          const answers = await worker.paint(
            items.map(({ takeId, hash, rows, before }) => ({ takeId, hash, rows, before })),
            stroke,
            choosing.how,
          )
          return items.map((t, i): [(typeof takes)[number], Answer] => [t, answers[i]!])
        }),
      )
    ).flat()
  }
  const first = await ask(true, takes)
  // A worker that let a take go meanwhile is told all that was chosen of it.
  const lost = first.filter(([, a]) => a === null).map(([t]) => t)
  const found = [...first, ...(lost.length > 0 ? await ask(false, lost) : [])]
  const refused = found.map(([, a]) => a).find((a) => a !== null && 'error' in a)
  if (refused && 'error' in refused && found.every(([, a]) => a !== null && 'error' in a))
    throw new Error(refused.error)
  keep(
    found.flatMap(([t, a]) =>
      a === null || 'error' in a
        ? []
        : [
            {
              takeId: t.takeId,
              shapeHash: t.hash,
              count: a.count,
              areaMm2: a.areaMm2,
              stamp: a.stamp,
              ...afterStretch(t.points, t.chosen, a),
            },
          ],
    ),
  )
}
