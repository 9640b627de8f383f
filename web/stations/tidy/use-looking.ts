'use client'
import { useState } from 'react'
import type { TidyStep } from '@holosoma/core/plan'
import { previewAct } from '@/lib/preview-act'
import { attempt } from '@/lib/store'

/** Shows what an act would take; `looking` while it is reckoned. The act is null when a number was not understood. */
export function useLooking(): { looking: string | null; look: (act: TidyStep | null, wrong: string) => Promise<void> } {
  const [looking, setLooking] = useState<string | null>(null)
  const look = (act: TidyStep | null, wrong: string): Promise<void> =>
    attempt(async () => {
      if (!act) throw new Error(wrong)
      setLooking(act.operation)
      try {
        await previewAct(act)
      } finally {
        setLooking(null)
      }
    })
  return { looking, look }
}
