import { GeometryError, operationNamed, stage, type Finding, type RunContext, type TriangleMesh } from '@holosoma/core'
import { mm } from '@holosoma/core/findings'
import { scaled } from '@holosoma/core/measure'
import { compose, identityMotion, invertRigid, uprightOf, type Motion, type Similarity } from '@holosoma/core/linear'
import { actsAgain, againFindings, isRecipe, liesAlike, type Act, type ActAgain } from '@holosoma/core/operations'
import { loadMotions, loadShape, storeArtefact } from '../blobs/shape-store'
import { stepsById, type StepRecord } from '../ledger/ledger'
import type { Database } from '../store/database'
import { contextOf, type Host, type StepDraft } from './host'
import type { JobRequest } from './jobs'
import type { TimedDraft } from './recipe'

type AgainRequest = Extract<JobRequest, { kind: 'again' }>

/**
 * Does the acts of an older skin again on a newer one: a step for each that was done, and one that tells of all. A skin
 * lies where its takes lie, so that where the new one lies to the old follows from a take that is in both.
 */
export async function runAgain(db: Database, request: AgainRequest, host: Host): Promise<TimedDraft[]> {
  const context = contextOf(host)
  const wanted = [request.from, request.to, ...request.acts.map((a) => a.step)]
  const steps = new Map((await stepsById(db, wanted)).map((s) => [s.id, s]))
  const stepOf = (id: number): StepRecord => {
    const step = steps.get(id)
    if (!step) throw new GeometryError('PARAMS', 'An act that is to be done again is no longer there.')
    return step
  }
  const mesh = await meshOf(db, request.mesh)
  const known = request.like
    ? await likeness(await meshOf(db, request.like.mesh), request.like.scale, mesh, stage(context, 0, 0.4))
    : { map: await mapBetween(db, stepOf(request.from), stepOf(request.to)), rmsMm: 0, finding: null }
  const acts = request.acts.map(({ step, leave }): Act => {
    const { operation, params, details, figures, description } = stepOf(step)
    return { operation, params, details, figures, description, leave }
  })
  const drafts: TimedDraft[] = []
  const done: ActAgain[] = []
  let hash = request.mesh
  let began = performance.now()
  for await (const act of actsAgain(
    mesh,
    acts,
    known.map,
    request.withinMm + 3 * known.rmsMm,
    request.like ? stage(context, 0.4, 1) : context,
  )) {
    done.push(act)
    if (act.result) {
      const draft = await stepOfAct(db, act, hash)
      hash = draft.outputs.mesh
      drafts.push({ ...draft, durationMs: performance.now() - began })
    }
    began = performance.now()
  }
  return [...drafts, summary(done, known.finding)]
}

async function meshOf(db: Database, hash: string): Promise<TriangleMesh> {
  const mesh = await loadShape(db, hash)
  if (mesh.kind !== 'mesh') throw new GeometryError('SHAPE', 'What the acts are to be done on is no mesh.')
  return mesh
}

/** Where a mesh lies to that of another piece, told; without an answer, acts that have a place do not fit. */
async function likeness(
  other: TriangleMesh,
  scale: number,
  mesh: TriangleMesh,
  context: RunContext,
): Promise<{ map: Similarity | null; rmsMm: number; finding: Finding }> {
  const found = await liesAlike(scaled(other, scale), mesh, context)
  if ('unknown' in found)
    return {
      map: null,
      rmsMm: 0,
      finding: {
        id: 'again.like',
        verdict: 'doubtful',
        text: `Acts that have a place on the other piece were not done here: ${found.unknown}.`,
      },
    }
  return {
    map: { scale, motion: found.motion },
    rmsMm: found.rmsMm,
    finding: {
      id: 'again.like',
      verdict: 'sound',
      text: `Laid over the other piece by its shape, ${mm(found.rmsMm)} apart.`,
    },
  }
}

async function stepOfAct(db: Database, { act, result, mesh }: ActAgain, from: string): Promise<StepDraft> {
  const operation = operationNamed(act.operation)
  const { params, figures, findings, details } = result!
  return {
    operation: operation.name,
    version: operation.version,
    params,
    inputs: { ['shape' in operation.inputs ? 'shape' : 'mesh']: from },
    outputs: { mesh: (await storeArtefact(db, mesh)).hash },
    figures,
    findings,
    details,
    description: operation.describe(params, figures),
    work: null,
  }
}

/** What came of all of them; makes nothing new. */
function summary(all: readonly ActAgain[], first: Finding | null): TimedDraft {
  // Readings of another piece are left by rule, and are nothing a person left out.
  const done = first ? all.filter((a) => isRecipe(a.act.operation)) : all
  const count = (outcome: ActAgain['outcome']): number => done.filter((a) => a.outcome === outcome).length
  return {
    operation: 'result.again',
    version: 1,
    params: {},
    inputs: {},
    outputs: {},
    figures: { done: count('done'), unfit: count('unfit'), left: count('left') },
    findings: [...(first ? [first] : []), ...againFindings(done)],
    description: first
      ? `Did ${count('done')} of ${done.length} acts of another piece here, too`
      : `Did ${count('done')} of ${done.length} later acts again`,
    work: null,
    durationMs: 0,
  }
}

/** Where a later skin lies to an earlier one. @throws CONFLICT where no take is in both */
async function mapBetween(db: Database, from: StepRecord, to: StepRecord): Promise<Similarity> {
  if (from.operation !== 'skin.make' || to.operation !== 'skin.make') return { scale: 1, motion: identityMotion() }
  const [a, b] = [await placesIn(db, from), await placesIn(db, to)]
  const both = [...a.keys()].find((id) => b.has(id))
  if (both === undefined)
    throw new GeometryError(
      'CONFLICT',
      'No take is in both skins, so that nobody knows where the one lies to the other; do the acts again by hand.',
    )
  return { scale: 1, motion: compose(b.get(both)!, invertRigid(a.get(both)!)) }
}

/** Take → skin, by the takes' ids. */
async function placesIn(db: Database, skin: StepRecord): Promise<Map<string, Motion>> {
  const names = (skin.params.names ?? []) as string[]
  const ids = (skin.inputs.of ?? skin.inputs.takes ?? []) as string[]
  const up = uprightOf((skin.params.up ?? null) as number[] | null) ?? identityMotion()
  const motions =
    typeof skin.inputs.motions === 'string'
      ? (await loadMotions(db, skin.inputs.motions)).motions
      : ({} as Record<string, Motion>)
  return new Map(
    ids.map((id, i) => [id, compose(up, Object.hasOwn(motions, names[i]) ? motions[names[i]] : identityMotion())]),
  )
}
