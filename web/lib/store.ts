'use client'
import type { OnSkin } from '@/workers/on-skin'
import type { ReactNode } from 'react'
import { create } from 'zustand'
import type { PieceState } from '@holosoma/engine'
import { api, type JobRequest } from './api'
import type { Saving } from './document-saver'
import type { Brief } from '@holosoma/core/brief'
import type { ImportPreset } from '@holosoma/core/measure'
import type { Plan } from '@holosoma/core/plan'
import { FRESH_JOIN, LEFT_JOIN, type JoinDesk } from '@/stations/join/desk'
import { FRESH_MEND, LEFT_MEND, type MendDesk } from '@/stations/mend/desk'
import { FRESH_SIZE, LEFT_SIZE, type SizeDesk } from '@/stations/size/desk'
import { FRESH_TIDY, LEFT_TIDY, type PreviewCut, type TidyDesk } from '@/stations/tidy/desk'
import type { Ray, Stage, StagePin, StagePlace, StagePlane } from '@/stage/stage'
import type { DirtyVertices } from '@/stage/layers'
import type { DrawData } from '@/workers/geometry.worker'
import type { Comparison } from './comparison'
import type { Station } from './station-names'

export type View =
  | 'takes'
  | 'residual'
  | 'section'
  | 'motion'
  | 'surface'
  | 'colour'
  | 'colourSeen'
  | 'evidence'
  | 'fromTakes'
  | 'missing'
  | 'bench'

export interface SkinTools {
  readonly pins: readonly StagePin[]
  /** Takes a click on the skin; null: clicks turn the view. */
  readonly onPick: ((ray: Ray) => Promise<void>) | null
  /** A cutting plane with handles. */
  readonly plane?: StagePlane | null
  readonly onPlane?: (plane: StagePlane) => void
  /** Lines over the skin: pairs of places, mm. */
  readonly lines?: Float32Array | null
  /** A place to go near. */
  readonly goTo?: StagePlace | null
  /** Lies over the picture and takes what the pointer draws. */
  readonly overlay?: ((stage: () => Stage | null) => ReactNode) | null
}

/** A surface whose places change under the hand; the arrays are changed where they lie, the stamp tells that they were. */
export interface SkinLive {
  readonly hash: string
  readonly data: DrawData
  readonly stamp: number
  readonly dirty: DirtyVertices
}

/** What belongs to no station. */
interface PageDesk {
  state: PieceState
  station: Station
  view: View
  selectedTake: number | null
  error: string | null
  /** Brief and plan as they stand on this page, newer than what is saved. */
  drafts: { readonly brief?: Brief; readonly plan?: Plan }
  /** What someone else wrote first, while something of this page was still to be saved. */
  conflicts: { readonly brief?: boolean; readonly plan?: boolean }
  saving: Saving
  /** How files that are dropped were written; null: as the device's profile says. */
  preset: ImportPreset | null
  /** What a station lays on the skin that stands on the stage. */
  skinTools: SkinTools | null
  /** Colours of the skin's points instead of its own, for the shape they were made for. */
  skinTint: { readonly hash: string; readonly tint: Uint8Array } | null
  /** Points of the drawn skin that stand out (1), for the shape they were looked up on. */
  skinMark: { readonly hash: string; readonly mark: Uint8Array } | null
  /** A length painted on the skin, and what it is. */
  skinPaint: { readonly hash: string; readonly said: string; readonly found: OnSkin } | null
  /** The skin while hands work on it: what is drawn in its place. */
  skinLive: SkinLive | null
  /** Two things that are held against each other, instead of the station's stage; null: none. */
  comparing: Comparison | null
  /** Requests on their way that the state does not list as jobs yet. */
  sending: number
}

interface Desk extends PageDesk, TidyDesk, JoinDesk, MendDesk, SizeDesk {
  set(change: Partial<Desk>): void
}

type Fresh = Omit<Desk, 'state' | 'station' | 'set'>
/** An empty desk: nothing that the hands did at another piece is carried over. */
const FRESH: Fresh = {
  view: 'takes',
  selectedTake: null,
  error: null,
  drafts: {},
  conflicts: {},
  saving: 'saved',
  preset: null,
  skinTools: null,
  skinTint: null,
  skinMark: null,
  skinPaint: null,
  skinLive: null,
  sending: 0,
  comparing: null,
  ...FRESH_TIDY,
  ...FRESH_JOIN,
  ...FRESH_MEND,
  ...FRESH_SIZE,
}

/** What is on the desk: the piece as the server knows it, and what the hands are doing. */
export const useDesk = create<Desk>()((set) => ({
  state: null as unknown as PieceState,
  station: 'take',
  ...FRESH,
  set: (change) => set(change),
}))

/** Lays a piece on an empty desk. */
export const layOnDesk = (state: PieceState, station: Station): void =>
  useDesk.setState({ ...FRESH, state, station, view: station === 'join' ? 'takes' : 'surface' })

/** Goes to a station; what was begun at another is put down, what was finished there stays. */
export const goToStation = (station: Station): void =>
  useDesk.setState({ station, error: null, comparing: null, ...LEFT_TIDY, ...LEFT_JOIN, ...LEFT_MEND, ...LEFT_SIZE })

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
