import { GeometryError, operationNamed } from '@holosoma/core'
import { settleTakes, type NamedTake } from '@holosoma/core/operations'
import { asCloud, contextOf, tellExpected, type Host } from './host'
import type { Database } from '../store/database'
import type { JobRequest } from './jobs'
import type { TimedDraft } from './recipe'
import { loadMotions, loadShape, storeArtefact } from '../blobs/shape-store'

type SettleRequest = Extract<JobRequest, { kind: 'settle' }>

/**
 * Matches the frames of all joined takes in one problem; a step for each take that is asked for, on that take's own
 * track, as if it had been asked for alone.
 */
export async function runSettle(db: Database, { of }: SettleRequest, host: Host): Promise<TimedDraft[]> {
  const [first] = of
  if (!first) throw new GeometryError('PARAMS', 'Say whose frames are to be matched.')
  const operation = operationNamed('take.settleFrames')
  const { names, placed } = first.params
  const { motions } = await loadMotions(db, first.inputs.motions)
  const began = performance.now()
  const takes = await Promise.all(
    [first.inputs.take, ...first.inputs.others].map(async (hash, i): Promise<NamedTake> => ({
      name: names[i],
      cloud: await asCloud(await loadShape(db, hash)),
      motion: motions[names[i]],
      placed: placed[i],
    })),
  )
  const { work } = operation.estimate(
    { take: takes[0].cloud, others: takes.slice(1).map((t) => t.cloud) },
    first.params,
  )
  await tellExpected(db, operation.name, work, host.expected)
  const parts = await settleTakes(
    takes,
    of.map((o) => o.params.names[0]),
    contextOf(host),
  )
  const drafts: TimedDraft[] = []
  for (const [k, { outputs, figures, findings }] of parts.entries()) {
    const { track, params, inputs } = of[k]
    drafts.push({
      track,
      operation: operation.name,
      version: operation.version,
      params,
      inputs,
      outputs: { take: (await storeArtefact(db, outputs.take)).hash },
      figures,
      findings,
      description: operation.describe(params, figures),
      work: work / of.length,
    })
  }
  // One problem, shared out among its steps.
  const durationMs = (performance.now() - began) / of.length
  return drafts.map((d) => ({ ...d, durationMs }))
}
