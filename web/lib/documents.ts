'use client'
import { useCallback, useEffect, useRef } from 'react'
import type { Brief } from '@holosoma/core/brief/brief'
import type { Plan } from '@holosoma/core/plan/plan'
import { api, type Outlook } from './api'
import { useDesk } from './store'

interface Documents { brief: Brief; plan: Plan }
type Kind = keyof Documents

/** Typing rests this long before what was typed is saved. */
const REST_MS = 700

/**
 * Brief or plan as it stands on this page: saved a moment after each change, replaced when undo, redo or another page changed it, never lost on
 * leaving the station.
 * @param check what is wrong with it, or null; nothing wrong is ever saved
 */
export function useDocument<K extends Kind>(kind: K, fallback: () => Documents[K], check: (value: Documents[K]) => string | null): {
  value: Documents[K]
  change: (next: Documents[K]) => void
  problem: string | null
  outlook: (outlook: Outlook) => void
} {
  const pieceId = useDesk((d) => d.state.piece.id)
  const stored = useDesk((d) => d.state[kind]) as { content: Documents[K]; stepId: number; revision: number } | null
  const draft = useDesk((d) => d.drafts[kind]) as Documents[K] | undefined
  const latest = useRef<{ value: Documents[K] | null; outlook: Outlook | null; timer: ReturnType<typeof setTimeout> | null }>({ value: null, outlook: null, timer: null })
  const first = useRef<Documents[K] | null>(null)
  if (first.current === null) first.current = stored?.content ?? fallback()
  const value = draft ?? stored?.content ?? first.current
  const problem = check(value)

  const save = useCallback((): void => {
    const now = latest.current
    if (now.timer) clearTimeout(now.timer)
    now.timer = null
    const saving = now.value
    if (!saving || check(saving)) return
    now.value = null
    useDesk.getState().set({ saving: true })
    api.saveDocument(pieceId, kind, saving, now.outlook).then(() => useDesk.getState().set({ saving: false }), (e: Error) => useDesk.getState().set({ saving: false, error: e.message }))
    // eslint-disable-next-line react-hooks/exhaustive-deps -- `check` is one function for one kind
  }, [pieceId, kind])
  const schedule = useCallback((next: Documents[K]): void => {
    const now = latest.current
    now.value = next
    if (now.timer) clearTimeout(now.timer)
    now.timer = setTimeout(save, REST_MS)
  }, [save])
  const change = useCallback((next: Documents[K]): void => {
    const { set, drafts } = useDesk.getState()
    set({ drafts: { ...drafts, [kind]: next } })
    schedule(next)
  }, [kind, schedule])
  // What one page, undo or redo changed on the server takes the place of what stands here, unless something is still to be saved.
  const key = stored ? `${stored.stepId}.${stored.revision}` : ''
  const had = useRef(key)
  useEffect(() => {
    if (had.current === key) return
    had.current = key
    if (latest.current.value !== null) return
    const { set, drafts } = useDesk.getState()
    const next = stored?.content ?? fallback()
    if (JSON.stringify(next) !== JSON.stringify(drafts[kind])) set({ drafts: { ...drafts, [kind]: next } })
    // eslint-disable-next-line react-hooks/exhaustive-deps -- the key says whether anything changed
  }, [key])
  useEffect(() => () => save(), [save])
  const outlook = useCallback((next: Outlook): void => {
    const now = latest.current
    if (JSON.stringify(now.outlook) === JSON.stringify(next)) return
    now.outlook = next
    const { drafts, state } = useDesk.getState()
    const standing = (drafts[kind] ?? state[kind]?.content) as Documents[K] | undefined
    // A plan nobody has touched is not written down for being looked at.
    if (standing) schedule(standing)
  }, [kind, schedule])
  return { value, change, problem, outlook }
}
