'use client'
import { useCallback, useEffect, useRef } from 'react'
import { api, type Outlook } from './api'
import { DocumentSaver, type Documents, type Kind, type Stored } from './document-saver'
import { useDesk } from './store'

/** One saver for each document of a piece that a page of it has shown: stations that come and go share it. */
const savers = new Map<string, DocumentSaver<Kind>>()

function saverOf<K extends Kind>(pieceId: number, kind: K, stored: Stored<K> | null): DocumentSaver<K> {
  const key = `${pieceId} ${kind}`
  const there = savers.get(key) as DocumentSaver<K> | undefined
  if (there) return there
  const saver = new DocumentSaver<K>(pieceId, kind, stored, (told) => {
    const { set, state, conflicts, drafts } = useDesk.getState()
    if (state.piece.id !== pieceId) return
    if ('conflict' in told) set({ conflicts: { ...conflicts, [kind]: told.conflict } })
    else if ('replaced' in told) {
      if (JSON.stringify(told.replaced) !== JSON.stringify(drafts[kind]))
        set({ drafts: { ...drafts, [kind]: told.replaced ?? undefined } })
    } else set(told)
  })
  savers.set(key, saver as unknown as DocumentSaver<Kind>)
  return saver
}

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
  /** What was worked out about a text, told with it. */
  outlook: (of: Documents[K], outlook: Outlook) => void
} {
  const pieceId = useDesk((d) => d.state.piece.id)
  const stored = useDesk((d) => d.state[kind]) as Stored<K> | null
  const draft = useDesk((d) => d.drafts[kind]) as Documents[K] | undefined
  const unwritten = useRef<Documents[K] | null>(null)
  const value = draft ?? stored?.content ?? (unwritten.current ??= fallback())
  const problem = check(value)

  const saver = saverOf(pieceId, kind, stored)
  useEffect(() => () => void saver.save(), [saver])
  useEffect(() => saver.hear(stored), [saver, stored])

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
  const outlook = useCallback(
    (of: Documents[K], next: Outlook): void => {
      if (!saver.foresee(of, next)) return
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
  const { state } = useDesk.getState()
  const saver = savers.get(`${state.piece.id} ${kind}`)
  if (mine) void saver?.save(true)
  else saver?.giveUp(state[kind])
}
