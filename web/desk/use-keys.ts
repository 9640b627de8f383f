'use client'
import { useEffect } from 'react'
import { api } from '@/lib/api'
import { cancelJobs } from '@/components/cancel-jobs'
import { STATIONS, type Station } from '@/lib/station-names'
import { actOfKey, useSettings } from '@/lib/settings'
import { attempt, useDesk } from '@/lib/store'
import { VIEWS } from '@/stations/views'

/** Keys of the page, and those of the station that is open. */
export function useKeys(go: (s: Station) => void, pieceId: number, palette: () => void, keys: () => void): void {
  useEffect(() => {
    const onKey = (event: KeyboardEvent): void => {
      const at = event.target
      const typing =
        at instanceof HTMLTextAreaElement ||
        (at instanceof HTMLInputElement && at.type !== 'checkbox' && at.type !== 'radio') ||
        // Letters seek in a list that is open, and on the button that opens it.
        (at instanceof Element && at.closest('[role=combobox], [role=listbox]') !== null)
      const { set, state, station } = useDesk.getState()
      if (event.ctrlKey || event.metaKey) {
        if (event.key.toLowerCase() === 'k') {
          event.preventDefault()
          palette()
        } else if (event.key.toLowerCase() === 'z' && !typing) {
          event.preventDefault()
          void attempt(() => api.history(pieceId, event.shiftKey ? 'redo' : 'undo'))
        }
        return
      }
      // What an Escape has closed has used it up.
      if (event.defaultPrevented) return
      // A dialog and an open list have their own Escape; in a field the other keys are letters.
      const inList = at instanceof Element && at.closest('[role=listbox]') !== null
      if (event.key === 'Escape' ? inList || document.querySelector('[role=dialog]') : typing) return
      if (event.key === 'Escape' && useDesk.getState().comparing) return set({ comparing: null })
      if (VIEWS[station].onKey?.(event.key)) return
      const act = actOfKey(useSettings.getState().keys, event.key)
      const neighbour = act === 'before' ? -1 : act === 'after' ? 1 : undefined
      if (act === 'sheet') keys()
      else if (/^[0-9]$/.test(event.key) && STATIONS[(Number(event.key) + 9) % 10])
        go(STATIONS[(Number(event.key) + 9) % 10])
      else if (neighbour !== undefined) {
        const next = STATIONS[STATIONS.indexOf(station) + neighbour]
        if (next) go(next)
      } else if (event.key === 'Escape') {
        const open = state.jobs.filter((j) => j.state === 'running' || j.state === 'queued')
        if (open.length > 0) void cancelJobs(open)
        else set({ error: null })
      }
    }
    window.addEventListener('keydown', onKey)
    return () => window.removeEventListener('keydown', onKey)
  }, [go, pieceId, palette, keys])
}
