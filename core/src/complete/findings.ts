import { areaText, percent, type Finding, type Verdict } from '../findings'
import { POSE_WORDS } from '../plan/takes'
import { GAP_MARKS } from '../plan/findings'
import type { Completeness } from './completeness'
import type { Laid } from './lay'

/** Below this unseen share of what matters nothing is missing; above the second, a take is. */
const ENOUGH = 0.02
const TOO_LITTLE = 0.08

/** The answer on one line, then its parts. */
export function completenessFindings(
  c: Completeness,
  promised: number | null,
  laid: Pick<Laid, 'how' | 'left'>,
  toCome: readonly string[] = [],
): Finding[] {
  const out: Finding[] = []
  const { share, low, high } = c.unseen
  const missing = c.unseenThatMatters
  const needed = c.gaps.filter((g) => g.matters)
  const verdict: Verdict = missing <= ENOUGH ? 'sound' : missing <= TOO_LITTLE ? 'doubtful' : 'unsound'
  const gap = needed[0]
  const text =
    verdict === 'sound'
      ? `You have everything that matters: ${percent(1 - missing, 0)} of what can be seen is ` +
        `there${share > ENOUGH ? '; what is missing nobody needs' : ''}.`
      : `Not yet: about ${percent(share, 0)} of what can be seen is missing (${percent(low, 0)} to ` +
        `${percent(high, 0)})${gap ? `, most of it ${GAP_MARKS[0]} ${gap.place} (${areaText(gap.areaMm2)})` : ''}.`
  const p = c.proposal
  out.push({
    id: 'complete.answer',
    verdict,
    text,
    ...(verdict !== 'sound' && p && { nextMove: `Take “${p.take.name}”` }),
    figures: [
      { label: 'Seen well', value: areaText(c.seenMm2 - c.thinMm2) },
      { label: 'Seen thinly', value: areaText(c.thinMm2) },
      {
        label: 'Missing, can be seen',
        value: `${percent(share)} (${percent(low)} to ${percent(high)})`,
        verdict,
        rule: 'of the surface that some pose and height can reach; nine times of ten the truth lies between the bounds',
      },
      { label: 'Of what matters, missing', value: percent(missing), rule: 'weighted by the brief’s areas' },
      {
        label: 'Out of reach',
        value: `up to ${areaText(c.hiddenMm2)}`,
        rule: 'no pose and height sees it; bounded, not counted',
      },
    ],
  })
  c.gaps.forEach((g, i) => {
    const how = g.from
      ? `to be seen ${POSE_WORDS[g.from.take.pose]} from ${g.from.take.elevationDeg}° ` +
        `(${percent(g.from.share, 0)} of it)`
      : 'no pose and height reaches it'
    out.push({
      id: `complete.gap.${i}`,
      verdict:
        !g.matters || verdict === 'sound' ? 'sound' : g.areaMm2 > 0.03 * (c.seenMm2 + c.openMm2) ? verdict : 'doubtful',
      text: `${GAP_MARKS[i]} ${g.place}, ${areaText(g.areaMm2)}: ${how}. Left out, ${g.meaning}.`,
    })
  })
  if (toCome.length > 0) {
    const names = toCome.map((n) => `“${n}”`).join(', ')
    const plural = toCome.length > 1
    out.push({
      id: 'complete.toCome',
      verdict: verdict === 'sound' ? 'sound' : 'doubtful',
      text:
        verdict === 'sound'
          ? `${names} ${plural ? 'are' : 'is'} planned and not taken; what matters is there without ` +
            `${plural ? 'them' : 'it'}.`
          : `${names} ${plural ? 'are' : 'is'} planned and not taken yet.`,
    })
  }
  if (promised !== null) {
    const now = 1 - missing
    const short = promised - now
    out.push({
      id: 'complete.plan',
      verdict: short > 0.05 ? 'doubtful' : 'sound',
      text:
        short > 0.02
          ? `The plan promised ${percent(promised, 0)} of what matters; ${percent(now, 0)} is there.`
          : `As planned: the plan promised ${percent(promised, 0)} of what matters, ${percent(now, 0)} is there.`,
    })
  }
  if (laid.left.length > 0)
    out.push({
      id: 'complete.left',
      verdict: 'doubtful',
      text:
        `${laid.left.map((n) => `“${n}”`).join(', ')} could not be laid beside the others and ` +
        `${laid.left.length === 1 ? 'is' : 'are'} left out of this; join the takes first.`,
    })
  else if (laid.how === 'poses')
    out.push({
      id: 'complete.laid',
      verdict: 'sound',
      text: 'The takes were laid together by their poses and a coarse match; Join does it properly.',
    })
  return out
}
