import { motionWords } from '../align/freedom'
import type { Brief } from '../brief/brief'
import { nothingToSee, requirementsOf } from '../brief/requirements'
import { areaText, mm, percent, type Finding, type Verdict } from '../findings'
import { MIN_OVERLAP } from './assess'
import type { Plan } from './plan'
import type { PairLookAlikes, PlanDetails, PlanReport } from './planner'

/* What the plan comes to, in the words of the bench. */

/** Whether takes hold to each other through pairs that neither slide nor look alike. */
export interface JoinOutlook {
  readonly verdict: Verdict
  readonly text: string
  /** Pairs that fit in another pose and are needed: no other way round leads from one take to the other. */
  readonly alike: readonly PairLookAlikes[]
}

/** What the forecast of a join comes to, as findings. */
export function joinOutlook(
  plan: Plan,
  brief: Brief,
  report: PlanReport,
  alikes: readonly PairLookAlikes[] | null,
): JoinOutlook {
  const n = plan.takes.length
  if (n < 2) return { verdict: 'sound', text: n === 0 ? '' : 'One take alone: nothing to join.', alike: [] }
  const { toleranceMm } = requirementsOf(brief)
  const name = (t: number): string => `“${plan.takes[t].name}”`
  const { slides, playMm, pairs } = report.join
  if (slides.length > 0) {
    const { motion, between } = slides[0]
    const pair = pairs.find((p) => p.a === between[0] && p.b === between[1])
    if (pair && pair.sharedMm2 < 0.01 * report.areaMm2)
      return {
        verdict: 'unsound',
        text: `${name(between[0])} and ${name(between[1])} share nothing: they can’t be joined by shape.`,
        alike: [],
      }
    const round = alikes?.find((l) => l.a === between[0] && l.b === between[1] && l.everyAngleAbout)
    if (round && motion.kind === 'rotation')
      return {
        verdict: 'unsound',
        text:
          `${name(between[0])} and ${name(between[1])} look alike at every angle: the piece is round ` +
          'and fits itself however it is turned. Shape alone can’t tell; give it a mark (a sticker, a ' +
          'stick on putty) or match by colour and picks.',
        alike: [round],
      }
    const words = [...new Set(slides.slice(0, 3).map((s) => motionWords(s.motion)))].join(', ')
    return {
      verdict: 'unsound',
      text:
        `${name(between[0])} and ${name(between[1])} share too plain a surface: they can ` +
        `${words}${Number.isFinite(motion.boundMm) ? `, by up to ${mm(motion.boundMm, 0)}` : ''}.`,
      alike: [],
    }
  }
  const ambiguous = (a: number, b: number): PairLookAlikes | undefined =>
    alikes?.find((l) => l.a === a && l.b === b && (l.found.length > 0 || l.everyAngleAbout))
  // Takes grow together over pairs that are firm; what stays apart hangs on the others.
  const group = plan.takes.map((_, i) => i)
  const root = (i: number): number => (group[i] === i ? i : root(group[i]))
  for (const p of pairs)
    if (p.overlap >= MIN_OVERLAP && p.freeCount === 0 && !ambiguous(p.a, p.b)) group[root(p.b)] = root(p.a)
  const needed = alikes ? pairs.flatMap((p) => (root(p.a) !== root(p.b) ? (ambiguous(p.a, p.b) ?? []) : [])) : []
  const apart = new Set(plan.takes.map((_, i) => root(i))).size > 1
  if (alikes && apart && needed.length > 0) {
    const l = needed[0]
    return {
      verdict: 'unsound',
      text:
        `${name(l.a)} and ${name(l.b)} fit each other in more than one way: ${alikeWords(l)}. Shape ` +
        'alone can’t tell which.',
      alike: needed,
    }
  }
  const thin = pairs.length > 0 && apart ? pairs.reduce((a, b) => (b.overlap > a.overlap ? b : a)) : null
  if (playMm > toleranceMm)
    return {
      verdict: 'unsound',
      text: `The joined takes have ${mm(playMm)} of play, more than the tolerance of ${mm(toleranceMm)}.`,
      alike: [],
    }
  if (playMm > toleranceMm / 3)
    return {
      verdict: 'doubtful',
      text: `The joined takes have ${mm(playMm)} of play, of a tolerance of ${mm(toleranceMm)}.`,
      alike: [],
    }
  if (alikes && thin && thin.overlap < MIN_OVERLAP)
    return {
      verdict: 'doubtful',
      text:
        `${name(thin.a)} and ${name(thin.b)} share only ${percent(thin.overlap, 0)}; matching may go ` +
        `astray under ${percent(MIN_OVERLAP, 0)}.`,
      alike: [],
    }
  return { verdict: 'sound', text: `The takes hold together within ${mm(playMm, 3)}.`, alike: [] }
}

function alikeWords(l: PairLookAlikes): string {
  if (l.everyAngleAbout) return 'at every angle about its axis'
  const turns = [...new Set(l.found.map((f) => `${Math.round(f.turnDeg)}°`))]
  return `turned by ${turns.slice(0, 3).join(', ')}`
}

/** Letters by which gaps are marked on the stage. */
export const GAP_MARKS = ['A', 'B', 'C', 'D'] as const

/** The findings of a plan, the headline first. @param details null while they are being worked out */
export function planFindings(plan: Plan, brief: Brief, report: PlanReport, details: PlanDetails | null): Finding[] {
  const proposal = details?.proposal ?? null
  const out: Finding[] = []
  const { seen } = report
  if (nothingToSee(brief))
    out.push({
      id: 'plan.dark',
      verdict: 'unsound',
      text: `No zone gives light back: ${report.coat.text} No take will see anything until that is settled.`,
    })
  if (plan.takes.length === 0) {
    out.push({
      id: 'plan.empty',
      verdict: 'unsound',
      text: 'No take is planned yet.',
      nextMove: proposal ? `Add “${proposal.take.name}”.` : 'Add a take.',
    })
    return out
  }
  const outlook = joinOutlook(plan, brief, report, details?.lookAlikes ?? null)
  const seenVerdict: Verdict =
    (seen.must ?? seen.matters) >= 0.98 && seen.matters >= 0.95 ? 'sound' : seen.matters >= 0.8 ? 'doubtful' : 'unsound'
  const parts = [`${percent(seen.matters)} of what matters is seen`]
  if (seen.shares.open > 0.003)
    parts.push(
      `${areaText(seen.openMm2)} could be seen and is not planned${
        details && details.gaps.length > 0
          ? `: ${details.gaps
              .slice(0, 3)
              .map((g, i) => `${GAP_MARKS[i]} ${g.place} (${areaText(g.areaMm2)})`)
              .join(', ')}`
          : ''
      }`,
    )
  const cure =
    proposal && proposal.freeBefore > proposal.freeAfter
      ? ` Add “${proposal.take.name}” as a keystone take: it sees what both sides share and holds them.`
      : ''
  out.push({
    id: 'plan.seen',
    verdict: seenVerdict,
    text: `${parts.join('; ')}.`,
    figures: [
      {
        label: 'Of what matters, seen',
        value: percent(seen.matters),
        rule: 'area by the weight of its brief area, over all that any line from outside reaches',
      },
      ...(seen.must !== null ? [{ label: 'Of what must hold, seen', value: percent(seen.must) }] : []),
    ],
  })
  if (plan.takes.length > 1) {
    out.push({
      id: 'plan.join',
      verdict: outlook.verdict,
      text: `${outlook.text}${cure}`,
      figures: [
        {
          label: 'Play of the joined takes',
          value: Number.isFinite(report.join.playMm) ? report.join.playMm.toFixed(3) : 'free',
          ...(Number.isFinite(report.join.playMm) && { unit: 'mm' }),
          rule:
            'one standard deviation at the farthest point, from the information of the shared surface, ' +
            'one sample for each 4 spacings',
        },
      ],
    })
  }
  plan.takes.forEach((t, i) => {
    for (const p of report.problems[i])
      out.push({
        id: `plan.take.${i}`,
        verdict: p.startsWith('The piece is deeper') ? 'doubtful' : 'unsound',
        text: `“${t.name}”: ${p}`,
      })
    const s = report.stability[i]
    if (t.support !== 'putty' && t.kind !== 'grip' && t.kind !== 'vise' && t.kind !== 'handheld' && s.tiltDeg < 6)
      out.push({
        id: `plan.tips.${i}`,
        verdict: s.marginMm < 0 ? 'unsound' : 'doubtful',
        text:
          `“${t.name}”: it ${s.marginMm < 0 ? 'tips over' : `tips at ${s.tiltDeg.toFixed(0)}°`} in ` +
          'this pose; prop it or set it in putty.',
      })
    const held = report.tracking[i]
    // Dots enough in every view hold a device that tracks by them.
    const dotted =
      plan.device.tracking.includes('dots') && (details?.dots?.inView[i]?.least ?? 0) >= plan.device.dotsInView
    if (held !== null && held !== undefined && held < 0.95 && !dotted)
      out.push({
        id: `plan.track.${i}`,
        verdict: held < 0.6 ? 'unsound' : 'doubtful',
        text:
          `“${t.name}”: ${percent(1 - held, 0)} of the views show too little relief to hold tracking; ` +
          'put dots there or keep an edge in view.',
      })
    const turns =
      t.kind === 'turntable' && brief.massG !== null && plan.device.tableLoadG > 0
        ? brief.massG / plan.device.tableLoadG
        : 0
    if (turns > 0.8)
      out.push({
        id: `plan.load.${i}`,
        verdict: turns > 1 ? 'unsound' : 'doubtful',
        text:
          `“${t.name}”: the piece weighs ${brief.massG} g, the table carries ${plan.device.tableLoadG} ` +
          `g${turns > 1 ? '' : '; put its weight over the middle'}.`,
      })
    const restart = details?.restart[i]
    if (restart && i > 0 && t.pose !== plan.takes[i - 1].pose && restart.known < 0.3)
      out.push({
        id: `plan.restart.${i}`,
        verdict: 'doubtful',
        text:
          `“${t.name}”: wherever it starts, only ${percent(restart.known, 0)} of what it sees is ` +
          'known; take it apart and join it, instead of going on.',
      })
  })
  if (details?.dots) {
    const least = Math.min(...details.dots.inView.map((v) => v.least))
    const { layout } = details.dots
    if (layout.positions.length === 0)
      out.push({
        id: 'plan.dots',
        verdict: 'unsound',
        text:
          plan.dots.where === 'piece'
            ? 'The piece has no flat place large enough for a dot with its margin.'
            : 'There is no room for dots round the piece; make the mat larger.',
      })
    else if (layout.alike > 0)
      out.push({
        id: 'plan.dots',
        verdict: 'doubtful',
        text:
          `${layout.alike} pairs of dots have neighbourhoods that look alike; lay them wider apart or ` +
          'try another layout.',
      })
    else
      out.push({
        id: 'plan.dots',
        verdict: least >= plan.device.dotsInView ? 'sound' : 'doubtful',
        text:
          `${layout.positions.length / 3} dots, no two neighbourhoods alike; at least ${least} in ` +
          'every ' +
          `view${least >= plan.device.dotsInView ? '' : `, ${plan.device.dotsInView} are wanted`}.`,
      })
    if (plan.dots.where === 'piece' && brief.permissions.dots.allowed !== true)
      out.push({
        id: 'plan.dots.leave',
        verdict: 'unsound',
        text:
          'Dots on the piece are ' +
          `${brief.permissions.dots.allowed === false ? 'not allowed' : 'not agreed yet'}; put them on ` +
          'the mat or on stands.',
      })
  }
  if (report.coat.choice !== 'none' && !nothingToSee(brief))
    out.push({
      id: 'plan.coat',
      verdict: report.coat.choice === 'wanted' ? 'sound' : 'doubtful',
      text: report.coat.text,
    })
  const wanted = report.exposures.steps.length
  if (wanted > 1 && plan.takes.some((t) => t.exposures < wanted))
    out.push({
      id: 'plan.exposures',
      verdict: 'doubtful',
      text: `The zones want ${wanted} exposures; ${plan.takes
        .filter((t) => t.exposures < wanted)
        .map((t) => `“${t.name}”`)
        .join(', ')} ${plan.takes.filter((t) => t.exposures < wanted).length === 1 ? 'has' : 'have'} fewer.`,
    })
  if (brief.permissions.turn.allowed === false && plan.takes.some((t) => t.pose !== 'upright'))
    out.push({ id: 'plan.turn', verdict: 'unsound', text: 'The piece may not be turned over, and the plan turns it.' })
  if (plan.takes.some((t) => t.support === 'putty') && brief.permissions.putty.allowed === false)
    out.push({ id: 'plan.putty', verdict: 'unsound', text: 'Putty is not allowed, and the plan uses it.' })
  const t = report.tolerance
  const sure = Number.isFinite(t.expandedMm)
  out.push({
    id: 'plan.tolerance',
    verdict:
      !sure || t.expandedMm > t.toleranceMm ? 'unsound' : t.expandedMm > t.toleranceMm * 0.7 ? 'doubtful' : 'sound',
    text: sure
      ? `Expected within ± ${mm(t.expandedMm, 3)} (95 %) of a tolerance of ${mm(t.toleranceMm)}; the ` +
        `largest term is ${t.largest}.`
      : 'No tolerance can be promised while the takes can slide.',
  })
  return out
}
