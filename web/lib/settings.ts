'use client'
import { create } from 'zustand'
import { createJSONStorage, persist } from 'zustand/middleware'
import { NIGHT_COOKIE } from './night'

/* How a person likes to work: kept in this browser, for all pieces. */

/** How the hand turns, moves and zooms the view. */
export const HANDS = {
  mouse: ['Mouse', 'Drag turns; right or middle button moves; the wheel zooms'],
  trackpad: ['Trackpad', 'Drag turns; two fingers move; pinching zooms'],
  left: ['Mouse, left hand', 'Right button turns; left button moves; the wheel zooms'],
} as const
export type Hand = keyof typeof HANDS

/** Acts whose key can be chosen, with the key they have at first. */
export const KEY_ACTS = {
  fit: ['Fit everything in', 'f'],
  right: ['Look from the right; with Shift from the left', 'x'],
  front: ['Look from the front; with Shift from behind', 'y'],
  top: ['Look from above; with Shift from below', 'z'],
  back: ['Back to the view before', 'Backspace'],
  before: ['The station before', '['],
  after: ['The station after', ']'],
  sheet: ['Keys and settings', '?'],
} as const
export type KeyAct = keyof typeof KEY_ACTS
export type Keys = Readonly<Record<KeyAct, string>>

export const USUAL_KEYS = Object.fromEntries(
  Object.entries(KEY_ACTS).map(([act, [, key]]) => [act, key]),
) as unknown as Keys

interface Settings {
  hand: Hand
  night: boolean
  keys: Keys
  set(change: Partial<Pick<Settings, 'hand' | 'night' | 'keys'>>): void
}

/** Keys that always do the same: cancel, move, pick, zoom, go to a station. */
const FIXED = /^(Escape|Enter|Tab| |[0-9+=-]|Arrow.*|F[0-9]+|Shift|Control|Alt|Meta|Dead|Unidentified)$/

/** Why a key can't be had for an act; null when it can. */
export function keyProblem(keys: Keys, act: KeyAct, key: string): string | null {
  if (FIXED.test(key)) return `“${keyWord(key)}” always does the same; choose another key.`
  const taken = (Object.keys(keys) as KeyAct[]).find((a) => a !== act && keys[a].toLowerCase() === key.toLowerCase())
  return taken ? `“${keyWord(key)}” is taken: ${KEY_ACTS[taken][0]}.` : null
}

/** A key as it is written on a keyboard. */
export const keyWord = (key: string): string => (key === ' ' ? 'Space' : key.length === 1 ? key.toUpperCase() : key)

/** Which act a pressed key stands for; a letter is the same with Shift. */
export const actOfKey = (keys: Keys, key: string): KeyAct | null =>
  (Object.keys(keys) as KeyAct[]).find(
    (a) => keys[a] === key || (/^\p{L}$/u.test(key) && keys[a] === key.toLowerCase()),
  ) ?? null

export const useSettings = create<Settings>()(
  persist(
    (set) => ({
      hand: 'mouse',
      night: false,
      keys: USUAL_KEYS,
      set: (change) => {
        set(change)
        if (change.night !== undefined) showNight(change.night)
      },
    }),
    {
      name: 'holosoma-settings',
      storage: createJSONStorage(() => localStorage),
      // The server draws what is usual; what was kept is taken up when the page stands.
      skipHydration: true,
      partialize: ({ hand, night, keys }) => ({ hand, night, keys }),
      merge: (kept, usual) => ({ ...usual, ...soundSettings(kept) }),
    },
  ),
)

/** What was kept, as far as it makes sense. */
export function soundSettings(kept: unknown): Partial<Pick<Settings, 'hand' | 'night' | 'keys'>> {
  if (typeof kept !== 'object' || kept === null) return {}
  const { hand, night, keys } = kept as Record<string, unknown>
  let chosen = USUAL_KEYS
  if (typeof keys === 'object' && keys !== null)
    for (const act of Object.keys(KEY_ACTS) as KeyAct[]) {
      const key = (keys as Record<string, unknown>)[act]
      if (typeof key === 'string' && key.length <= 20 && keyProblem(chosen, act, key) === null)
        chosen = { ...chosen, [act]: key }
    }
  return {
    ...(typeof hand === 'string' && hand in HANDS && { hand: hand as Hand }),
    ...(typeof night === 'boolean' && { night }),
    keys: chosen,
  }
}

const YEAR_SECONDS = 31_536_000

function showNight(night: boolean): void {
  document.documentElement.toggleAttribute('data-night', night)
  document.cookie = `${NIGHT_COOKIE}=${night ? 1 : 0}; path=/; max-age=${YEAR_SECONDS}; samesite=strict`
}
