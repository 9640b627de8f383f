'use client'

/** First on the page for whoever goes by keys: past the bars to what the station waits for. */
export function SkipLink() {
  const toMain = (): void => {
    const card = document.querySelector<HTMLElement>('aside[aria-label=Card]')
    const to =
      card?.querySelector<HTMLElement>('[data-main]:not(:disabled)') ??
      card?.querySelector<HTMLElement>('a, button, input')
    to?.focus()
  }
  return (
    <button
      type="button"
      onClick={toMain}
      className="sr-only focus:not-sr-only focus:absolute focus:top-1.5 focus:left-1.5 focus:z-50 focus:rounded-md focus:border focus:border-ink focus:bg-card focus:px-3 focus:py-1.5"
    >
      Skip to the main button
    </button>
  )
}
