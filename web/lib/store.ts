'use client'
import { create } from 'zustand'
import type { PieceState } from '@holosoma/engine'
import { api, type JobRequest } from './api'
import type { Brief } from '@holosoma/core/brief/brief'
import type { ImportPreset } from '@holosoma/core/measure/preset'
import type { Plan } from '@holosoma/core/plan/plan'
import type { Station } from './stations'

export type View = 'takes' | 'residual' | 'section' | 'motion' | 'surface' | 'evidence' | 'missing' | 'bench'

export interface Pin {
  readonly takeId: number
  readonly at: readonly [number, number, number]
}

/** Two ends of one picked pair; either may still be missing. */
export interface PickedPair {
  readonly a: Pin | null
  readonly b: Pin | null
  /** An area about the spot, mm, not the spot itself. */
  readonly areaMm?: number | undefined
}

/**
 * How spots are picked: which takes stand left and right (null: the fixed one, and the first of the others), whether
 * they jump to features, whether they stand for areas, and whether the right take is laid on the left one.
 */
export interface Picking {
  readonly left: number | null
  readonly right: number | null
  readonly snap: boolean
  readonly areas: boolean
  readonly areaMm: number
  readonly together: boolean
}

export interface SizePoint {
  readonly at: readonly [number, number, number]
}

export interface Reading {
  readonly from: readonly [number, number, number]
  readonly to: readonly [number, number, number]
  readonly readingMm: number
  readonly uncertaintyMm: number
}

/** Points about to go, by full index of the take's shape; what is painted is what goes. */
export interface PreviewCut {
  readonly takeId: number
  readonly shapeHash: string
  readonly operation: string
  readonly params: object
  readonly bits: Uint8Array
  readonly count: number
  readonly text: string
  /** Which of the preview's points those are. */
  readonly mark: Uint8Array
  /** Of the surface those points stand for, about. */
  readonly areaMm2: number
  /** What the worker that painted these points knows them by, if it was the brush that chose last. */
  readonly stamp?: number | undefined
  /** What should be thought of before it goes. */
  readonly warning?: string | undefined
}

export type SelectTool = 'lasso' | 'polygon' | 'box' | 'brush' | 'plane' | 'part' | 'colour'
export interface Choosing {
  readonly how: 'add' | 'subtract'
  /** On all takes that show and are not locked, or on the chosen one alone. */
  readonly across: boolean
  /** Only what nothing hides, or through everything. */
  readonly front: boolean
  readonly brushMm: number
  readonly planeMm: number
  readonly angleDeg: number
  readonly difference: number
}

export interface CutPlane {
  readonly normal: readonly [number, number, number]
  readonly offsetMm: number
  readonly from: string
}

/** A take that is being moved by hand, not kept yet. */
export interface Nudge {
  readonly takeId: number
  readonly rows: number[][]
  readonly mode: 'move' | 'turn'
  readonly space: 'piece' | 'screen'
}

/** Where the joined takes are cut for looking: along an axis, at a share of the whole. */
export interface Section {
  readonly axis: 0 | 1 | 2
  readonly share: number
}

interface Desk {
  state: PieceState
  station: Station
  view: View
  selectedTake: number | null
  picking: boolean
  picks: Picking
  /** The take on the right → the take on the left, as the picks and a match in the page say. */
  laid: number[][] | null
  pairs: readonly PickedPair[]
  /** Colours count in the next match, too; null: as in the last. */
  joinColours: boolean | null
  sizing: boolean
  sizePoints: readonly SizePoint[]
  readings: readonly Reading[]
  previews: readonly PreviewCut[]
  /** What the pointer does on a take at Tidy; null: it turns the view. */
  tool: SelectTool | null
  /** How the tool chooses. */
  choosing: Choosing
  /** The only take that shows; null: all that are not hidden. */
  solo: number | null
  /** The plane that would cut, in the stage's coordinates; what lies below it goes. */
  plane: CutPlane | null
  /** Places clicked for a plane through three points; null: not asked for. */
  planePoints: readonly (readonly [number, number, number])[] | null
  /** Which of the poses that fit as well the stage shows; null: the one taken. */
  alternative: number | null
  /** Which slide the stage plays. */
  slide: number
  nudge: Nudge | null
  section: Section
  error: string | null
  /** Brief and plan as they stand on this page, newer than what is saved. */
  drafts: { readonly brief?: Brief; readonly plan?: Plan }
  /** What someone else wrote first, while something of this page was still to be saved. */
  conflicts: { readonly brief?: boolean; readonly plan?: boolean }
  saving: boolean
  /** How files that are dropped were written; null: as the device's profile says. */
  preset: ImportPreset | null
  /** Requests on their way that the state does not list as jobs yet. */
  sending: number
  set(change: Partial<Desk>): void
}

/** What is on the desk: the piece as the server knows it, and what the hands are doing. */
export const useDesk = create<Desk>()((set) => ({
  state: null as unknown as PieceState,
  station: 'take',
  view: 'takes',
  selectedTake: null,
  picking: false,
  picks: { left: null, right: null, snap: false, areas: false, areaMm: 25, together: false },
  laid: null,
  pairs: [],
  joinColours: null,
  sizing: false,
  sizePoints: [],
  readings: [],
  previews: [],
  tool: null,
  choosing: { how: 'add', across: false, front: true, brushMm: 3, planeMm: 0.3, angleDeg: 15, difference: 12 },
  solo: null,
  plane: null,
  planePoints: null,
  alternative: null,
  slide: 0,
  nudge: null,
  section: { axis: 2, share: 0.5 },
  error: null,
  drafts: {},
  conflicts: {},
  saving: false,
  preset: null,
  sending: 0,
  set: (change) => set(change),
}))

/** Runs an action and shows its refusal where the person is looking. */
export async function attempt(action: () => Promise<unknown>): Promise<void> {
  const { set } = useDesk.getState()
  set({ error: null })
  try {
    await action()
  } catch (error) {
    set({ error: (error as Error).message })
  }
}

/** Previews that have been carried out go; what was chosen since stays. */
export function dropPreviews(done: readonly PreviewCut[]): void {
  const { previews, set } = useDesk.getState()
  set({ previews: previews.filter((p) => !done.some((d) => d.bits === p.bits)) })
}

let turn: Promise<void> = Promise.resolve()

/**
 * As `attempt`, one after the other in the order asked for: of two quick clicks the second may not overtake the first.
 */
export function attemptInTurn(action: () => Promise<unknown>): Promise<void> {
  turn = turn.then(() => attempt(action))
  return turn
}

/**
 * Whether the piece is being worked on: from the click that asks for it, so that no button changes under the pointer
 * when the server answers.
 */
export function useBusy(): boolean {
  return useDesk((d) => d.sending > 0 || d.state.jobs.some((j) => j.state === 'queued' || j.state === 'running'))
}

const LISTED_TIMEOUT_MS = 4000

/** Asks for jobs, one after the other, and waits until the desk lists the last of them. */
export function submit(...jobs: readonly JobRequest[]): Promise<void> {
  return sent(async (pieceId) => {
    let last = 0
    for (const job of jobs) last = (await api.submit(pieceId, job)).id
    return last
  })
}

/** Does tidy acts to takes: given ones, or what each needs by itself. */
export function submitTidy(
  takeIds: readonly number[],
  steps: readonly { operation: string; params: object }[] | null,
): Promise<void> {
  return sent(async (pieceId) => (await api.tidyTakes(pieceId, takeIds, steps)).ids.at(-1)!)
}

/** The desk counts as busy from the click until it lists the job that was asked for. */
async function sent(ask: (pieceId: number) => Promise<number>): Promise<void> {
  const { state, set } = useDesk.getState()
  set({ sending: useDesk.getState().sending + 1 })
  try {
    await listed(await ask(state.piece.id))
  } finally {
    set({ sending: useDesk.getState().sending - 1 })
  }
}

function listed(id: number): Promise<void> {
  return new Promise((resolve) => {
    const has = (): boolean => useDesk.getState().state.jobs.some((j) => j.id >= id)
    if (has()) return resolve()
    const end = (): void => {
      clearTimeout(timer)
      stop()
      resolve()
    }
    const stop = useDesk.subscribe(() => has() && end())
    const timer = setTimeout(end, LISTED_TIMEOUT_MS)
  })
}
