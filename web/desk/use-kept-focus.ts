'use client'
import { useEffect, type RefObject } from 'react'

/**
 * Where a button is gone after it was pressed, the focus would fall to the page and the way back is long: it goes to
 * the finding instead, or to the card.
 */
export function useKeptFocus(card: RefObject<HTMLElement | null>): void {
  useEffect(() => {
    const lost = (event: FocusEvent): void => {
      const from = event.target as HTMLElement
      if (event.relatedTarget || !card.current?.contains(from)) return
      // The page draws what came of it first.
      setTimeout(() => {
        const gone = !from.isConnected || (from instanceof HTMLButtonElement && from.disabled)
        if (!gone || (document.activeElement && document.activeElement !== document.body)) return
        if (document.querySelector('[role=dialog], [role=alertdialog], [role=menu]')) return
        const to = card.current?.querySelector<HTMLElement>('[data-testid=finding]') ?? card.current
        if (!to) return
        if (!to.hasAttribute('tabindex')) to.tabIndex = -1
        to.focus({ preventScroll: true })
      }, 60)
    }
    document.addEventListener('focusout', lost)
    return () => document.removeEventListener('focusout', lost)
  }, [card])
}
