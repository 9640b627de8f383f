import { GeometryError, operationNamed } from '@holosoma/core'
import { walkRoad, type RoadAct, type RoadStep } from '@holosoma/core/operations'
import { loadShape, storeArtefact } from '../blobs/shape-store'
import type { Track } from '../ledger/ledger'
import type { Database } from '../store/database'
import { asCloud, contextOf, type Host } from './host'
import type { JobRequest } from './jobs'
import { keptSteps, type TimedDraft } from './recipe'

type RoadRequest = Extract<JobRequest, { kind: 'road' }>

/**
 * The whole road on a piece, up to the first step that is not sound: each step stands on the line it would stand on if
 * a hand had done it.
 */
export async function runRoad(db: Database, request: RoadRequest, host: Host): Promise<TimedDraft[]> {
  const { takes, bench, join, skin, result } = request
  if (takes.length === 0) throw new GeometryError('PARAMS', 'There is no take to go the road with.')
  const clouds = await Promise.all(takes.map(async (t) => asCloud(await loadShape(db, t.hash))))
  const now = takes.map((t) => t.hash)
  const out: TimedDraft[] = []
  let tidied: { step: RoadStep; draft: TimedDraft }[] = []
  let motions = ''
  let mesh = ''
  let of = 0
  const endTake = (): void => {
    if (tidied.length > 0) out.push(...keptSteps(tidied))
    tidied = []
  }
  let began = performance.now()
  const walk = walkRoad(
    {
      takes: takes.map((t, i) => ({ name: t.name, cloud: clouds[i], tidy: t.tidy as RoadAct[] })),
      ...(bench !== undefined && { bench: await asCloud(await loadShape(db, bench)) }),
      join,
      skin,
      after: [],
      stops: true,
    },
    contextOf(host),
  )
  for await (const step of walk) {
    const i = step.take === undefined ? -1 : takes.findIndex((t) => t.name === step.take)
    if (i !== of) endTake()
    of = i
    const inputs = inputsOf(step, { take: now[i], bench, takes, now, motions, mesh })
    const draft = await draftOf(db, step, inputs, performance.now() - began)
    began = performance.now()
    if (i >= 0) {
      now[i] = draft.outputs.take ?? now[i]
      tidied.push({ step, draft: { ...draft, track: `take:${takes[i].id}` } })
      continue
    }
    motions = draft.outputs.motions ?? motions
    mesh = draft.outputs.mesh ?? mesh
    const track: Track = step.operation === 'join.match' ? 'join' : result
    out.push({ ...draft, track })
  }
  endTake()
  return out
}

interface Ground {
  readonly take: string
  readonly bench: string | undefined
  readonly takes: RoadRequest['takes']
  readonly now: readonly string[]
  readonly motions: string
  readonly mesh: string
}

/** What a step worked on, as its record keeps it. */
function inputsOf({ operation, take, result }: RoadStep, ground: Ground): Record<string, string | string[]> {
  if (take !== undefined)
    return {
      take: ground.take,
      ...(operation === 'tidy.subtractBench' && ground.bench !== undefined && { bench: ground.bench }),
    }
  if (operation === 'join.match') return { takes: [...ground.now], of: ground.takes.map((t) => String(t.id)) }
  if (operation !== 'skin.make') return { mesh: ground.mesh }
  const names = result.params.names as string[]
  const at = names.map((n) => ground.takes.findIndex((t) => t.name === n))
  return {
    takes: at.map((i) => ground.now[i]),
    of: at.map((i) => String(ground.takes[i].id)),
    ...(ground.motions !== '' && { motions: ground.motions }),
  }
}

async function draftOf(
  db: Database,
  { operation: name, result }: RoadStep,
  inputs: Record<string, string | string[]>,
  durationMs: number,
): Promise<TimedDraft> {
  const operation = operationNamed(name)
  const outputs: Record<string, string> = {}
  for (const [of, artefact] of Object.entries(result.outputs)) outputs[of] = (await storeArtefact(db, artefact)).hash
  const { params, figures, findings, details } = result
  return {
    operation: name,
    version: operation.version,
    params,
    inputs,
    outputs,
    figures,
    findings,
    details,
    description: operation.describe(params, figures),
    work: null,
    durationMs,
  }
}
