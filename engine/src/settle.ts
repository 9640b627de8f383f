import { freemem } from 'node:os'
import { GeometryError, operationNamed, quietContext, type RunContext } from '@holosoma/core'
import { settleTakes, type NamedTake } from '@holosoma/core/operations/settle-frames'
import { asCloud } from './compute'
import type { Database } from './database'
import type { JobRequest } from './jobs'
import type { TimedDraft } from './recipe'
import { loadMotions, loadShape, storeArtefact } from './shape-store'

type SettleRequest = Extract<JobRequest, { kind: 'settle' }>

/** Matches the frames of all joined takes in one problem; a step for each take that is asked for, on that take's own track, as if it had been asked for alone. */
export async function runSettle(db: Database, { of }: SettleRequest, host: Pick<RunContext, 'progress' | 'cancelled' | 'parallel'>): Promise<TimedDraft[]> {
  const [first] = of
  if (!first) throw new GeometryError('PARAMS', 'Say whose frames are to be matched.')
  const context: RunContext = { ...quietContext(1), memoryBytes: freemem() * 0.7, progress: host.progress, cancelled: host.cancelled, ...(host.parallel && { parallel: host.parallel }) }
  const operation = operationNamed('take.settleFrames')
  const { names, placed } = first.params
  const { motions } = await loadMotions(db, first.inputs.motions)
  const began = performance.now()
  const takes = await Promise.all([first.inputs.take, ...first.inputs.others].map(async (hash, i): Promise<NamedTake> => ({ name: names[i]!, cloud: asCloud(await loadShape(db, hash)), motion: motions[names[i]!]!, placed: placed[i]! })))
  const parts = await settleTakes(takes, of.map((o) => o.params.names[0]!), context)
  const { work } = operation.estimate({ take: takes[0]!.cloud, others: takes.slice(1).map((t) => t.cloud) }, first.params)
  const drafts: TimedDraft[] = []
  for (const [k, { outputs, figures, findings }] of parts.entries()) {
    const { track, params, inputs } = of[k]!
    drafts.push({
      track, operation: operation.name, version: operation.version, params, inputs, outputs: { take: (await storeArtefact(db, outputs.take)).hash },
      figures, findings, description: operation.describe(params, figures), who: 'bench', work: work / of.length,
    })
  }
  // One problem, shared out among its steps.
  const durationMs = (performance.now() - began) / of.length
  return drafts.map((d) => ({ ...d, durationMs }))
}
