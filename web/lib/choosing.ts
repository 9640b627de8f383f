import type { DepthBuffer, View } from '@holosoma/core/select'
import type { TakeState } from '@holosoma/engine'
import type { Choice, Laid, NamedDepth, PointerHit, PointerRay, Vector } from '@/workers/selecting'
import { api } from './api'
import { byWorker, geometry } from './geometry'
import { rowsOf, shownTakes, takeInHand } from './on-stage'
import type { PreviewCut } from '@/stations/tidy/desk'
import { dropPreviews, submit, useDesk } from './store'

/** Name under which points chosen by hand stand among the previews. */
export const BY_HAND = 'tidy.cut'

/** What has been chosen by hand on a take, if anything has. */
export function chosenOn(take: TakeState | undefined, previews: readonly PreviewCut[]): PreviewCut | undefined {
  return previews.find((p) => p.takeId === take?.id && p.shapeHash === take?.shape?.hash && p.operation === BY_HAND)
}

/**
 * The takes a hand chooses on: the chosen one, or all that show; never locked ones.
 * @throws when there is none, in words for the bench
 */
export function takesUnderHand(): TakeState[] {
  const { choosing, state } = useDesk.getState()
  const shown = choosing.across ? shownTakes() : [takeInHand()].filter((t) => t !== undefined)
  const free = shown.filter((t) => !t.locked && t.shape?.kind === 'cloud')
  if (free.length > 0) return free
  if (shown.length > 0)
    throw new Error(
      shown.length === 1
        ? `“${shown[0].name}” is locked; unlock it on the contact sheet first.`
        : 'All takes that show are locked; unlock one on the contact sheet first.',
    )
  throw new Error(
    state.takes.length > 0
      ? 'No take shows; show one on the contact sheet first.'
      : 'There is no take yet to choose on.',
  )
}

/** A take as the workers want it. */
export const laid = (take: TakeState): Laid => ({ takeId: take.id, hash: take.shape!.hash, rows: rowsOf(take) })

/**
 * Chooses more, or less, on the takes under the hand; what is chosen is painted.
 * @param front only what nothing hides, for a lasso
 */
export async function choose(
  choice: Choice,
  front = false,
  on: readonly TakeState[] = takesUnderHand(),
): Promise<void> {
  endPatch()
  const { previews } = useDesk.getState()
  await chooseFrom(
    choice,
    front,
    on,
    on.map((t) => chosenOn(t, previews)?.bits ?? null),
  )
}

/** As `choose`, from what counts as chosen before on each take. */
async function chooseFrom(
  choice: Choice,
  front: boolean,
  on: readonly TakeState[],
  before: readonly (Uint8Array | null)[],
): Promise<void> {
  const { choosing } = useDesk.getState()
  const takes = on.map(laid)
  const depth = choice.kind === 'lasso' && front ? await depthOf(choice.view) : null
  const withBefore = takes.map((t, i) => ({ ...t, before: before[i]! }))
  const found = (
    await Promise.all(
      byWorker(withBefore).map(async ({ worker, items }) => {
        const answers = await worker.choose(items, choice, choosing.how, depth)
        return items.map((t, i) => ({ ...t, answer: answers[i] }))
      }),
    )
  ).flat()
  const refused = found.map((f) => f.answer).find((a) => 'error' in a)
  if (refused && 'error' in refused && found.every((f) => 'error' in f.answer)) throw new Error(refused.error)
  keep(
    found.flatMap((f) =>
      'error' in f.answer
        ? []
        : [
            {
              takeId: f.takeId,
              shapeHash: f.hash,
              bits: f.answer.bits,
              count: f.answer.count,
              mark: f.answer.mark,
              areaMm2: f.answer.areaMm2,
            },
          ],
    ),
  )
}

/** Puts new choices among the previews; other acts' previews, and choices on shapes that are no longer there, go. */
export function keep(
  made: readonly Pick<PreviewCut, 'takeId' | 'shapeHash' | 'bits' | 'count' | 'mark' | 'areaMm2' | 'stamp'>[],
): void {
  const { previews, state, set } = useDesk.getState()
  const stands = (p: Pick<PreviewCut, 'takeId' | 'shapeHash'>): boolean =>
    state.takes.some((t) => t.id === p.takeId && t.shape?.hash === p.shapeHash)
  const rest = previews.filter((p) => p.operation === BY_HAND && stands(p) && !made.some((m) => m.takeId === p.takeId))
  set({
    previews: [
      ...rest,
      ...made.filter(stands).map((m) => ({ ...m, operation: BY_HAND, params: {}, text: 'Chosen by hand.' })),
    ].filter((p) => p.count > 0),
  })
  warnSoon()
}

let madeDepth: { key: string; depth: Promise<NamedDepth> } | null = null

/**
 * What is nearest on the stage, over the takes of all workers; those that show hide each other, chosen or not. Kept for
 * as long as nothing moves.
 */
function depthOf(view: View): Promise<NamedDepth> {
  const takes = (
    useDesk.getState().choosing.across ? shownTakes().filter((t) => t.shape?.kind === 'cloud') : takesUnderHand()
  ).map(laid)
  const key = JSON.stringify([view, takes])
  if (madeDepth?.key === key) return madeDepth.depth
  const depth = layTogether(takes, view).then((d) => ({ ...d, name: key }))
  depth.catch(() => (madeDepth = null))
  madeDepth = { key, depth }
  return depth
}

async function layTogether(takes: readonly Laid[], view: View): Promise<DepthBuffer> {
  const parts = await Promise.all(byWorker(takes).map(({ worker, items }) => worker.depth(items, view)))
  const whole = parts[0]
  if ('error' in whole) throw new Error(whole.error)
  for (const part of parts.slice(1)) {
    if ('error' in part) throw new Error(part.error)
    for (let i = 0; i < whole.nearest.length; i++)
      if (part.nearest[i] < whole.nearest[i]) whole.nearest[i] = part.nearest[i]!
  }
  return whole
}

/** A hand begins to draw: what its outline will be asked of is worked out while it draws. */
export async function aim(view: View): Promise<void> {
  try {
    const takes = takesUnderHand().map(laid)
    const depth = useDesk.getState().choosing.front ? await depthOf(view) : null
    await Promise.all(byWorker(takes).map(({ worker, items }) => worker.aim(items, view, depth)))
  } catch {
    // Nothing to work on: that is said when the hand lets go.
  }
}

/** Lets the workers make the takes under the hand ready while the hand still looks. */
export async function prepareHand(): Promise<void> {
  try {
    await Promise.all(byWorker(takesUnderHand().map(laid)).map(({ worker, items }) => worker.prepare(items)))
  } catch {
    // Nothing to work on: that is said when the hand tries.
  }
}

/** Where the pointer meets the takes under the hand, nearest first for each ray. */
export async function hits(rays: readonly PointerRay[]): Promise<((PointerHit & { takeId: number }) | null)[]> {
  const answers = await Promise.all(
    byWorker(takesUnderHand().map(laid)).map(({ worker, items }) => worker.hits(items, rays)),
  )
  type Found = (PointerHit & { takeId: number }) | null
  return rays.map((_, i) =>
    answers
      .map((a): Found => a[i]!)
      .reduce<Found>((best, h) => (h && (!best || h.depthMm < best.depthMm) ? h : best), null),
  )
}

/** What a click chooses: the flat patch, the part, or the colour under the pointer. */
export async function chooseAt(ray: PointerRay, tool: 'plane' | 'part' | 'colour'): Promise<void> {
  const { choosing } = useDesk.getState()
  const [hit] = await hits([ray])
  if (!hit) throw new Error('There is no point under the pointer; begin on the piece itself.')
  const on = takesUnderHand().filter((t) => t.id === hit.takeId)
  if (tool === 'plane') {
    lastPatch = { at: hit.at, take: on[0], before: chosenOn(on[0], useDesk.getState().previews)?.bits ?? null }
    return growPatch()
  }
  if (tool === 'part') return choose({ kind: 'part', at: hit.at, gapMm: null }, false, on)
  if (!hit.colour) throw new Error('This take has no colours to choose by.')
  return choose({ kind: 'tone', colour: hit.colour, difference: choosing.difference })
}

/**
 * The flat patch that follows its limits, until something else is chosen; `before` is what was chosen when it was
 * begun.
 */
let lastPatch: { at: Vector; take: TakeState; before: Uint8Array | null } | null = null
let growing = false
let growAgain = false

/**
 * Grows the flat patch that was begun last by the limits as they now are; as these change, the newest are what counts.
 */
export async function growPatch(): Promise<void> {
  growAgain = growing
  const patch = lastPatch
  if (!patch || growing) return
  growing = true
  try {
    const { choosing, state } = useDesk.getState()
    if (!state.takes.some((t) => t.id === patch.take.id && t.shape?.hash === patch.take.shape!.hash)) return
    // From what was chosen before the patch, so that a narrower limit takes back what a wider one took.
    await chooseFrom(
      { kind: 'plane', at: patch.at, distanceMm: choosing.planeMm, angleDeg: choosing.angleDeg },
      false,
      [patch.take],
      [patch.before],
    )
  } finally {
    growing = false
  }
  if (growAgain) await growPatch()
}

/** Where the pointer meets what shows, on the stage. */
export async function placeUnder(ray: PointerRay): Promise<Vector> {
  const [hit] = await hits([ray])
  if (!hit) throw new Error('There is no point under the pointer; click on the piece itself.')
  return hit.at
}

let asked = 0
let later: ReturnType<typeof setTimeout> | undefined
/** Strokes come faster than the other takes can be searched: only what stands this long is looked at. */
const WARN_AFTER_MS = 400

/** Has `warn` look once the hand rests. */
export function warnSoon(): void {
  asked++
  clearTimeout(later)
  later = setTimeout(() => void warn(), WARN_AFTER_MS)
}

/** Something else is chosen than the flat patch: its limits have nothing to follow any more. */
export function endPatch(): void {
  lastPatch = null
}

/** Drops what is chosen and what follows it. */
export function leaveChosen(): void {
  endPatch()
  useDesk.getState().set({ previews: [], plane: null })
}

/** Says beside a choice, or beside what lies below a plane, when it holds surface that no other take has. */
async function warn(): Promise<void> {
  const mine = asked
  const { previews, state, set } = useDesk.getState()
  if (!state.join || state.join.stale) return
  const others = state.takes.filter((t) => t.shape?.kind === 'cloud' && state.join!.motions[t.name])
  for (const p of previews.filter((q) => q.operation === BY_HAND || q.operation === 'tidy.trimPlane')) {
    const take = others.find((t) => t.id === p.takeId)
    if (!take || others.length < 2) continue
    const text = await geometry(p.shapeHash).soleLoss(
      { takeId: take.id, hash: p.shapeHash, rows: state.join.motions[take.name] },
      p.bits,
      others
        .filter((o) => o !== take)
        .map((o) => ({ takeId: o.id, hash: o.shape!.hash, rows: state.join!.motions[o.name] })),
    )
    if (mine !== asked) return
    set({
      previews: useDesk.getState().previews.map((q) => (q.bits === p.bits ? { ...q, warning: text ?? undefined } : q)),
    })
  }
}

/** Cuts what is chosen, on every take it is chosen on. */
export async function cutChosen(chosen: readonly PreviewCut[]): Promise<void> {
  const { state, tool, set } = useDesk.getState()
  const jobs = []
  for (const c of chosen) {
    const { selection } = await api.keepSelection(state.piece.id, c.shapeHash, c.bits)
    jobs.push({ operation: BY_HAND, params: { selection }, takeId: c.takeId })
  }
  await submit(...jobs)
  // What was taken up or chosen while this was sent stays.
  if (useDesk.getState().tool === tool) set({ tool: null })
  dropPreviews(chosen)
}
