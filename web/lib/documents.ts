'use client'
import { useCallback, useEffect, useRef } from 'react'
import type { Base } from '@holosoma/engine'
import type { Brief } from '@holosoma/core/brief'
import type { Plan } from '@holosoma/core/plan'
import { api, type Outlook } from './api'
import { useDesk } from './store'

interface Documents {
  brief: Brief
  plan: Plan
}
type Kind = keyof Documents

/** Typing rests this long before what was typed is saved. */
const REST_MS = 700
const CONFLICT = 409

/**
 * Saves one document of one piece, a version after the other: each saving says which version it was written on, and
 * what someone else wrote meanwhile is never written over in silence. While one is under way the next waits.
 */
export class DocumentSaver<K extends Kind> {
  /** Still to be saved; null: nothing. */
  value: Documents[K] | null = null
  outlook: Outlook | null = null
  /** Edits of their own before that one, still to be saved one by one. */
  private earlier: Documents[K][] = []
  private timer: ReturnType<typeof setTimeout> | null = null
  private running: Promise<boolean> | null = null

  /**
   * @param base the version that stands on this page
   * @param hear what happens: saving begins and ends, someone else was first, something went wrong
   */
  constructor(
    private readonly pieceId: number,
    private readonly kind: K,
    public base: Base | null,
    private readonly hear: (told: { saving: boolean } | { conflict: boolean } | { error: string }) => void,
  ) {}

  /** Saves after a rest; what was put in or taken out is an edit of its own, however soon the next one follows. */
  schedule(value: Documents[K]): void {
    if (this.value && isAnotherEdit(this.value, value)) this.earlier.push(this.value)
    this.value = value
    if (this.timer) clearTimeout(this.timer)
    this.timer = setTimeout(() => void this.save(), REST_MS)
  }

  /** Saves what is still to be saved, now. @param over whether to write over what someone else wrote */
  async save(over = false): Promise<void> {
    if (this.timer) clearTimeout(this.timer)
    this.timer = null
    for (let more = true; more;) {
      while (this.running) await this.running
      // What stands on the page counts as unsaved until it is itself on its way.
      const value = this.earlier.shift() ?? this.value
      if (!value) return
      more = value !== this.value
      if (!more) this.value = null
      this.running = this.send(value, over).finally(() => (this.running = null))
      if (!(await this.running)) return
    }
  }

  /** @returns false where someone else was first: nothing more is to be sent */
  private async send(value: Documents[K], over: boolean): Promise<boolean> {
    this.hear({ saving: true })
    try {
      this.base = await api.saveDocument(this.pieceId, this.kind, value, this.outlook, over ? undefined : this.base)
      this.hear({ conflict: false })
      return true
    } catch (error) {
      const late = (error as { status?: number }).status === CONFLICT
      // Not lost: the last of it stands on the page until its writer has said which of the two counts.
      if (late) {
        this.value ??= value
        this.earlier = []
      }
      this.hear(late ? { conflict: true } : { error: (error as Error).message })
      return !late
    } finally {
      this.hear({ saving: false })
    }
  }
}

/** Whether something was put into a list between two versions, or taken out of one. */
function isAnotherEdit(before: object, after: object): boolean {
  const next = after as Record<string, unknown>
  return Object.entries(before).some(
    ([k, v]) => Array.isArray(v) && Array.isArray(next[k]) && v.length !== (next[k] as unknown[]).length,
  )
}

const savers = new Map<string, DocumentSaver<Kind>>()

/** Saves a document as it stands now, with what was typed last. */
export async function saveNow<K extends Kind>(pieceId: number, kind: K, value: Documents[K]): Promise<void> {
  const saver = savers.get(`${pieceId} ${kind}`)
  if (!saver) return void (await api.saveDocument(pieceId, kind, value, null))
  saver.value = value
  await saver.save()
}

/**
 * Brief or plan as it stands on this page: saved a moment after each change, replaced when undo, redo or another page
 * changed it, never lost on leaving the station.
 * @param check what is wrong with it, or null; nothing wrong is ever saved
 */
export function useDocument<K extends Kind>(
  kind: K,
  fallback: () => Documents[K],
  check: (value: Documents[K]) => string | null,
): {
  value: Documents[K]
  change: (next: Documents[K]) => void
  problem: string | null
  outlook: (outlook: Outlook) => void
} {
  const pieceId = useDesk((d) => d.state.piece.id)
  const stored = useDesk((d) => d.state[kind]) as { content: Documents[K]; stepId: number; revision: number } | null
  const draft = useDesk((d) => d.drafts[kind]) as Documents[K] | undefined
  const first = useRef<Documents[K] | null>(null)
  if (first.current === null) first.current = stored?.content ?? fallback()
  const value = draft ?? stored?.content ?? first.current
  const problem = check(value)

  const held = useRef<DocumentSaver<K> | null>(null)
  if (held.current === null) {
    held.current = new DocumentSaver<K>(
      pieceId,
      kind,
      stored && { stepId: stored.stepId, revision: stored.revision },
      (told) => {
        const { set, conflicts } = useDesk.getState()
        set('conflict' in told ? { conflicts: { ...conflicts, [kind]: told.conflict } } : told)
      },
    )
  }
  const saver = held.current
  useEffect(() => {
    const key = `${pieceId} ${kind}`
    savers.set(key, saver)
    return () => {
      if ((savers.get(key) as unknown) === saver) savers.delete(key)
      void saver.save()
    }
  }, [pieceId, kind, saver])

  const schedule = useCallback(
    (next: Documents[K]): void => {
      if (check(next) === null) saver.schedule(next)
    },
    // eslint-disable-next-line react-hooks/exhaustive-deps -- `check` is one function for one kind
    [saver],
  )
  const change = useCallback(
    (next: Documents[K]): void => {
      const { set, drafts } = useDesk.getState()
      set({ drafts: { ...drafts, [kind]: next } })
      schedule(next)
    },
    [kind, schedule],
  )
  // What one page, undo or redo changed on the server takes the place of what stands here, unless something is still to
  // be saved.
  const key = stored ? `${stored.stepId}.${stored.revision}` : ''
  const had = useRef(key)
  useEffect(() => {
    if (had.current === key) return
    had.current = key
    if (saver.value !== null) return
    saver.base = stored && { stepId: stored.stepId, revision: stored.revision }
    const { set, drafts } = useDesk.getState()
    const next = stored?.content ?? fallback()
    if (JSON.stringify(next) !== JSON.stringify(drafts[kind])) set({ drafts: { ...drafts, [kind]: next } })
    // eslint-disable-next-line react-hooks/exhaustive-deps -- the key says whether anything changed
  }, [key])
  const outlook = useCallback(
    (next: Outlook): void => {
      if (JSON.stringify(saver.outlook) === JSON.stringify(next)) return
      saver.outlook = next
      const { drafts, state } = useDesk.getState()
      const standing = (drafts[kind] ?? state[kind]?.content) as Documents[K] | undefined
      // A plan nobody has touched is not written down for being looked at.
      if (standing) schedule(standing)
    },
    [kind, schedule, saver],
  )
  return { value, change, problem, outlook }
}

/** Someone else was first: their text takes the place of this page's, or this page's is written over it. */
export function settleConflict(kind: Kind, mine: boolean): void {
  const { state, drafts, conflicts, set } = useDesk.getState()
  const saver = savers.get(`${state.piece.id} ${kind}`)
  if (mine) return void saver?.save(true)
  const theirs = state[kind]
  if (saver) {
    saver.value = null
    saver.base = theirs && { stepId: theirs.stepId, revision: theirs.revision }
  }
  set({ drafts: { ...drafts, [kind]: theirs?.content }, conflicts: { ...conflicts, [kind]: false } })
}
