import { areaText } from '@holosoma/core/findings'
import type { Proposal } from '@holosoma/core/plan'

/** What a proposed take sees and cures. */
export function proposalWords(p: Proposal): string {
  const parts = [
    p.take.kind === 'turntable'
      ? `Elevation ${p.take.elevationDeg}°, ${Math.round(p.take.distanceMm)} mm`
      : `${Math.round(p.take.distanceMm)} mm off`,
  ]
  if (p.gainMm2 > 0) parts.push(`sees ${areaText(p.gainMm2)} more`)
  if (p.freeBefore > p.freeAfter)
    parts.push(
      p.freeAfter === 0 ? 'takes the slide away' : `takes ${p.freeBefore - p.freeAfter} of ${p.freeBefore} slides away`,
    )
  else if (p.playAfterMm < p.playBeforeMm * 0.6)
    parts.push(`play ${p.playBeforeMm.toFixed(3)} → ${p.playAfterMm.toFixed(3)} mm`)
  return `${parts.join('; ')}.`
}
