import { GeometryError } from '@holosoma/core'
import { briefProblems, EMPTY_BRIEF, type Brief } from '@holosoma/core/brief'
import { checkPlan, firstPlan, DEVICE_CLASSES, planFindings, Planner, buildStandIn } from '@holosoma/core/plan'
import type { Common } from './commands'
import { loadJson, loadMesh } from './files'
import { print, terminalContext } from './report'

/**
 * What planned takes will see and how they will hold together. Brief and plan are files as the page keeps them; what is
 * left out takes its default.
 */
export async function planFile(file: string, options: Common & { standIn?: string }): Promise<void> {
  const given = await loadJson<{ brief?: Partial<Brief>; plan?: object }>(file)
  const brief: Brief = { ...EMPTY_BRIEF, ...given.brief }
  const problem = briefProblems(brief)[0]
  if (problem) throw new GeometryError('PARAMS', `The brief in "${file}": ${problem.message}.`)
  const plan = checkPlan({ ...firstPlan(DEVICE_CLASSES[1]), ...given.plan })
  const mesh = options.standIn ? await loadMesh(options.standIn) : undefined
  const standIn = mesh ? { kind: 'mesh' as const, hash: '0'.repeat(64), name: options.standIn! } : plan.standIn
  const planner = new Planner(buildStandIn(standIn, [brief.lengthMm, brief.widthMm, brief.heightMm], mesh))
  const report = planner.evaluate(plan, brief)
  const details = planner.details(plan, brief, report, terminalContext(options.seed, !process.stderr.isTTY))
  const play = (mm: number): number | null => (Number.isFinite(mm) ? mm : null)
  print(
    {
      seen: {
        ...report.seen.shares,
        matters: report.seen.matters,
        must: report.seen.must,
        perTake: report.seen.perTake,
      },
      join: {
        free: report.join.slides.map((s) => ({
          kind: s.motion.kind,
          axis: s.motion.axis,
          between: s.between.map((t) => plan.takes[t].name),
        })),
        playMm: play(report.join.playMm),
        pairs: report.join.pairs.map((p) => ({
          takes: [plan.takes[p.a].name, plan.takes[p.b].name],
          overlap: p.overlap,
          free: p.freeCount,
          playMm: play(p.playMm),
        })),
        lookAlikes: details.lookAlikes.map((l) => ({
          takes: [plan.takes[l.a].name, plan.takes[l.b].name],
          turnsDeg: l.found.map((f) => f.turnDeg),
          everyAngle: l.everyAngleAbout !== null,
        })),
      },
      next: details.proposal && {
        take: details.proposal.take,
        gainMm2: details.proposal.gainMm2,
        freeAfter: details.proposal.freeAfter,
      },
      idle: details.idle.map((i) => plan.takes[i].name),
      minutes: report.timeline.minutes,
      toleranceMm: play(report.tolerance.expandedMm),
      findings: planFindings(plan, brief, report, details).map(({ verdict, text }) => ({ verdict, text })),
    },
    !!options.json,
  )
}
