import { stage, type RunContext } from '../context'
import { medianSpacing } from '../cloud/spacing'
import { isGeometryError } from '../errors'
import { spacingForPoints } from '../fuse/predict'
import { worst } from '../findings'
import type { PointCloud, Shape, TriangleMesh } from '../shapes'
import type { Motions } from './artefacts'
import type { InputsOf, InputSpecs } from './inputs'
import { runOperation, type OperationResult } from './operation'
import { operationNamed } from './registry'

/*
 * The whole road by one press: every take tidied, all joined, one skin, acts on it, its health. Page and command line
 * walk the same road; what becomes of each step is theirs.
 */

export interface RoadAct {
  readonly operation: string
  readonly params: Readonly<Record<string, unknown>>
}
export interface RoadTake {
  readonly name: string
  readonly cloud: PointCloud
  /** Acts that tidy it, in their order. */
  readonly tidy: readonly RoadAct[]
}
export interface RoadPlan {
  readonly takes: readonly RoadTake[]
  /** What shows the empty bench, where it was taken. */
  readonly bench?: PointCloud
  /** Of the match; null where there is but one take. */
  readonly join: Readonly<Record<string, unknown>> | null
  /**
   * Of the skin. Where nothing is said, what is up follows from the table under the fixed take, and the spacing from
   * the points.
   */
  readonly skin: Readonly<Record<string, unknown>>
  /** Acts on the skin. */
  readonly after: readonly RoadAct[]
  /** Stops at the first step that is not sound, with that step done. */
  readonly stops: boolean
}

export interface RoadStep {
  readonly operation: string
  /** The take it was done to; left out for what concerns all. */
  readonly take?: string
  readonly result: OperationResult & { readonly params: Record<string, unknown> }
  /** Found nothing to do. */
  readonly idle: boolean
  /** Why an act does not fit this take; its result says nothing then. */
  readonly unfit?: string
}

/** Refusals that say that an act does not fit a take; the others go on without it. */
const UNFIT: ReadonlySet<string> = new Set(['DEGENERATE', 'EMPTY', 'PARAMS'])

/** Walks the road, a step at a time. Ends early where it is to stop, and a step was not sound. */
export async function* walkRoad(plan: RoadPlan, context: RunContext): AsyncGenerator<RoadStep> {
  const count = plan.takes.reduce((n, t) => n + t.tidy.length, 0) + (plan.join ? 1 : 0) + 2 + plan.after.length
  let at = 0
  const run = async (
    { operation, params }: RoadAct,
    inputs: Readonly<Record<string, unknown>>,
    take?: string,
  ): Promise<RoadStep> => {
    const part = stage(context, at / count, (at + 1) / count)
    at++
    const result = await runOperation(operationNamed(operation), inputs as InputsOf<InputSpecs>, params, part)
    return { operation, result, idle: Number(result.figures.cut ?? 1) === 0, ...(take !== undefined && { take }) }
  }
  const halts = ({ result, idle }: RoadStep): boolean =>
    plan.stops && !idle && result.findings.length > 0 && worst(result.findings) !== 'sound'
  const clouds: PointCloud[] = []
  let up: readonly number[] | null = null
  const fixed = typeof plan.join?.fixed === 'string' ? plan.join.fixed : plan.takes[0]?.name
  for (const { name, cloud, tidy } of plan.takes) {
    let now = cloud
    for (const act of tidy) {
      const bench = act.operation === 'tidy.subtractBench' && plan.bench ? { bench: plan.bench } : {}
      let step: RoadStep
      try {
        step = await run(act, { take: now, ...bench }, name)
      } catch (error) {
        if (!isGeometryError(error) || !UNFIT.has(error.code)) throw error
        yield { operation: act.operation, take: name, idle: true, unfit: error.message, result: NOTHING }
        continue
      }
      const { figures, outputs } = step.result
      if (name === fixed && figures.table === true)
        up = [Number(figures.planeX), Number(figures.planeY), Number(figures.planeZ)]
      if (outputs.take?.kind === 'cloud') now = outputs.take
      yield step
      if (halts(step)) return
    }
    clouds.push(now)
  }
  let motions: Motions = { kind: 'motions', motions: {} }
  if (plan.join) {
    const step = await run({ operation: 'join.match', params: plan.join }, { takes: clouds })
    motions = step.result.outputs.motions as Motions
    yield step
    if (halts(step)) return
  }
  const names = plan.takes.map((t) => t.name)
  // What found no place holds the others back from nothing.
  const placed = names
    .map((n, i) => ({ n, i }))
    .filter(({ n }) => names.length === 1 || Object.hasOwn(motions.motions, n))
  const spacingMm = spacingForPoints(Math.max(...clouds.map((c) => medianSpacing(c))))
  const skin = await run(
    { operation: 'skin.make', params: { up, spacingMm, ...plan.skin, names: placed.map(({ n }) => n) } },
    { takes: placed.map(({ i }) => clouds[i]), motions },
  )
  yield skin
  if (halts(skin)) return
  let mesh = skin.result.outputs.mesh as TriangleMesh
  for (const act of [...plan.after, { operation: 'mend.health', params: {} }]) {
    const input = 'shape' in operationNamed(act.operation).inputs ? 'shape' : 'mesh'
    const step = await run(act, { [input]: mesh })
    const made = (step.result.outputs.mesh ?? step.result.outputs.shape) as Shape | undefined
    if (made?.kind === 'mesh') mesh = made
    yield step
    if (halts(step)) return
  }
}

const NOTHING: RoadStep['result'] = { outputs: {}, figures: {}, findings: [], params: {} }
