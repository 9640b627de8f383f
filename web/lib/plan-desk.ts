'use client'
import { proxy, wrap, type Remote } from 'comlink'
import { useEffect, useMemo, useRef, useState } from 'react'
import { create } from 'zustand'
import {
  briefProblems,
  choiceOf,
  EMPTY_BRIEF,
  type Brief,
  requirementsOf,
  wantedDotsInView,
} from '@holosoma/core/brief'
import { capital, worst, type Finding } from '@holosoma/core/findings'
import {
  NO_DOTS,
  PHONE,
  DEVICE_CLASSES,
  joinOutlook,
  planFindings,
  firstPlan,
  planSchema,
  type Plan,
  type PlanDetails,
  adviseDevices,
  type StandIn,
} from '@holosoma/core/plan'
import type { Evaluation, PlanWorker, StandInDraw } from '@/workers/plan.worker'
import { api } from './api'
import { useDocument } from './documents'
import { percent } from './format'
import { Newest } from './newest'
import { useDesk } from './store'

export type PlanView = 'seen' | 'angle' | 'shared' | 'dots'

interface PlanDesk {
  /** The plan as it stands on this page; null before it has been laid out. */
  plan: Plan | null
  draw: StandInDraw | null
  evaluation: Evaluation | null
  details: PlanDetails | null
  findings: readonly Finding[]
  /** What the slower part is doing: note and fraction; null while it rests. */
  working: { note: string; fraction: number } | null
  /** What is wrong with stand-in or plan, in one sentence. */
  problem: string | null
  view: PlanView
  take: number
  /** Area of the brief that is being painted. */
  painting: number | null
  brushMm: number
  change: (next: Plan) => void
  changeBrief: (next: Brief) => void
  set(change: Partial<PlanDesk>): void
}

/** No plan worked out yet. */
export const FRESH_PLAN: Omit<PlanDesk, 'change' | 'changeBrief' | 'set'> = {
  plan: null,
  draw: null,
  evaluation: null,
  details: null,
  findings: [],
  working: null,
  problem: null,
  view: 'seen',
  take: 0,
  painting: null,
  brushMm: 12,
}

/** What the plan comes to, as far as it has been worked out on this page. */
export const usePlan = create<PlanDesk>()((set) => ({
  ...FRESH_PLAN,
  change: () => undefined,
  changeBrief: () => undefined,
  set: (change) => set(change),
}))

export const currentBrief = (): Brief =>
  useDesk.getState().drafts.brief ?? useDesk.getState().state.brief?.content ?? EMPTY_BRIEF

export function useBrief(): Brief {
  const draft = useDesk((d) => d.drafts.brief)
  const stored = useDesk((d) => d.state.brief)
  return draft ?? stored?.content ?? EMPTY_BRIEF
}

export const firstProblem = (plan: Plan): string | null =>
  planSchema.validate(plan, { convert: false }).error?.details[0]?.message ?? null

const briefProblem = (b: Brief): string | null => briefProblems(b)[0]?.message ?? null

/** A plan to begin with, of what the brief says. */
export function planFor(brief: Brief): Plan {
  const advised = adviseDevices(brief, DEVICE_CLASSES).ranked[0]?.device ?? DEVICE_CLASSES[1]
  const device = advised.tracking.includes('dots') ? { ...advised, dotsInView: wantedDotsInView(brief) } : advised
  const least = Math.min(brief.lengthMm, brief.widthMm, brief.heightMm)
  // A deep hollow is in the stand-in whatever its form: what its inside hides must not be promised.
  const inside = brief.traits.includes('hollow')
    ? { hollow: { wallMm: least / 10, depthMm: brief.heightMm / 2 } }
    : { hollow: null }
  const standIn: StandIn = brief.traits.includes('round')
    ? { kind: 'cylinder', ...inside }
    : brief.traits.includes('slab') || least < Math.max(brief.lengthMm, brief.widthMm, brief.heightMm) / 5
      ? {
          kind: 'box',
          bevelMm: Math.min(2, least / 8),
          ...(inside.hollow ? inside : { reliefMm: Math.min(3, least / 6) }),
        }
      : { kind: 'ellipsoid', ...inside }
  const dots = choiceOf(brief, 'dots')
  const plan: Plan = {
    ...firstPlan(device, standIn),
    clippingPercent: choiceOf(brief, 'clipping') === 'none' ? 0 : 1,
    coats: choiceOf(brief, 'dark') === 'coat' ? 1 : 0,
    photos: choiceOf(brief, 'colour') === 'photos' ? PHONE : null,
    dots: {
      ...NO_DOTS,
      // Beside the piece they are wanted where its own shape does not hold the takes.
      where: dots === 'piece' ? 'piece' : dots === 'beside' && brief.traits.includes('round') ? 'mat' : 'none',
      discs: choiceOf(brief, 'discs') === 'move' ? 'move' : 'refill',
    },
  }
  return brief.permissions.turn.allowed === false ? { ...plan, takes: plan.takes.slice(0, 1) } : plan
}

let quick: Remote<PlanWorker> | undefined
let slow: Remote<PlanWorker> | undefined
const worker = (): Remote<PlanWorker> =>
  wrap<PlanWorker>(new Worker(new URL('../workers/plan.worker.ts', import.meta.url), { type: 'module' }))
export const quickPlanner = (): Remote<PlanWorker> => (quick ??= worker())
export const slowPlanner = (): Remote<PlanWorker> => (slow ??= worker())

/** The slower part begins when the hands have rested this long. */
const REST_MS = 350

/**
 * Works the plan out as it changes: coverage, pairs and budgets at once, then look-alikes, dots and the next take when
 * the hands rest. A change drops what is under way.
 */
export function usePlanEngine(): void {
  const brief = useBrief()
  const { value: plan, change, problem, outlook } = useDocument('plan', () => planFor(currentBrief()), firstProblem)
  const { set } = usePlan.getState()
  const { change: changeBrief } = useDocument('brief', () => EMPTY_BRIEF, briefProblem)
  useEffect(() => set({ plan, change, changeBrief }), [plan, change, changeBrief, set])
  const standKey = JSON.stringify([plan.standIn, brief.lengthMm, brief.widthMm, brief.heightMm])
  const [setUps] = useState(() => new Newest<StandInDraw | { error: string }>({ error: '' }))
  useEffect(() => {
    const size = [brief.lengthMm, brief.widthMm, brief.heightMm] as const
    set({ draw: null, evaluation: null, details: null, problem: null })
    setUps.begin(
      Promise.all([quickPlanner().setUp(plan.standIn, size), slowPlanner().setUp(plan.standIn, size)]).then(
        ([draw]) => draw,
        (e: Error) => ({ error: e.message }),
      ),
      (draw) => set('error' in draw ? { problem: draw.error } : { draw }),
    )
    // eslint-disable-next-line react-hooks/exhaustive-deps -- the key says it all
  }, [standKey, set, setUps])

  const speed = useRef<number | null>(null)
  useEffect(() => {
    api.machine().then(
      (r) => {
        speed.current = r.secondsPerMillion
      },
      () => undefined,
    )
  }, [])
  const pending = useRef<{ running: boolean; again: boolean }>({ running: false, again: false })
  const latest = useRef({ plan, brief })
  latest.current = { plan, brief }
  const key = useMemo(() => JSON.stringify([plan, brief]), [plan, brief])
  useEffect(() => {
    if (problem) {
      set({ problem: `${capital(problem)}.` })
      return
    }
    let current = true
    const stop = new SharedArrayBuffer(4)
    // A plan is never tried on a stand-in that is not its own any more.
    const isReady = async (): Promise<boolean> => !('error' in (await setUps.settled()))
    const evaluate = async (): Promise<void> => {
      // One at a time, always the newest: a slider does not queue up its way.
      if (pending.current.running) {
        pending.current.again = true
        return
      }
      pending.current.running = true
      try {
        do {
          pending.current.again = false
          if (!(await isReady())) return
          const { plan: p, brief: b } = latest.current
          const evaluation = await quickPlanner().evaluate(p, b, speed.current)
          // What was found out about a plan that no longer stands there says nothing, least of all that nothing is wrong.
          if (latest.current.plan !== p || latest.current.brief !== b) continue
          if ('error' in evaluation) set({ problem: evaluation.error, evaluation: null, details: null, findings: [] })
          else set({ problem: null, evaluation, details: null, findings: planFindings(p, b, evaluation.report, null) })
        } while (pending.current.again)
      } finally {
        pending.current.running = false
      }
    }
    void evaluate()
    const timer = setTimeout(() => {
      void (async () => {
        if (!(await isReady()) || !current) return
        set({ working: { note: 'Looking for look-alikes and the next take', fraction: 0 } })
        const details = await slowPlanner().details(
          plan,
          brief,
          stop,
          proxy((fraction: number, note: string) => {
            if (current) set({ working: { note, fraction } })
          }),
        )
        if (!current) return
        set({ working: null })
        const { evaluation } = usePlan.getState()
        if (!details || !evaluation) return
        if ('error' in details) return set({ problem: details.error })
        const findings = planFindings(plan, brief, evaluation.report, details)
        set({ details, findings })
        outlook(plan, {
          verdict: worst(findings),
          figure: figureOf(plan, brief, evaluation, details),
          text: (findings.find((f) => f.verdict === worst(findings)) ?? findings[0]).text.slice(0, 590),
        })
      })()
    }, REST_MS)
    return () => {
      current = false
      clearTimeout(timer)
      Atomics.store(new Int32Array(stop), 0, 1)
      set({ working: null })
    }
    // eslint-disable-next-line react-hooks/exhaustive-deps -- the keys say it all
  }, [key, standKey, problem, set, setUps])
}

function figureOf(plan: Plan, brief: Brief, { report }: Evaluation, details: PlanDetails): string {
  const slides = report.join.slides.length
  // Only look-alikes that nothing else settles.
  const alike = joinOutlook(plan, brief, report, details.lookAlikes).alike.length > 0
  // Short: the route has little room.
  return (
    `${percent(report.seen.matters, 0)}` +
    (alike ? ', look-alike' : slides > 0 ? `, ${slides} ${slides === 1 ? 'slide' : 'slides'}` : ' seen')
  )
}

export const usePlanValue = (): Plan | null => usePlan((p) => p.plan)

/** Required spacing of the brief at hand, mm. */
export const useWantedSpacing = (): number => requirementsOf(useBrief()).wantedSpacingMm
