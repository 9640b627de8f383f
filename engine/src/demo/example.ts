import { invertRigid, LAMP_TAKES, motionRows, OIL_LAMP, roughMotion, trueMotion, type Shape } from '@holosoma/core'
import { compose } from '@holosoma/core/linear'
import { requirementsOf } from '@holosoma/core/brief'
import { proposeTidy, type TidyStep } from '@holosoma/core/plan'
import type { Database } from '../store/database'
import { writeBrief } from '../ledger/documents'
import { claimJob, completeJob, submitJob } from '../jobs/jobs'
import type { Track } from '../ledger/ledger'
import { runRecipe } from '../jobs/recipe'
import { createResult, resultTrack } from '../pieces/results'
import { createTake } from '../pieces/takes'
import { pieceState } from '../pieces/state'
import { createPiece } from '../pieces/pieces'
import { runDemoJob } from './demo-jobs'
import { LAMP } from './seed-briefs'
import { loadShape } from '../blobs/shape-store'

const POSES: Readonly<Record<string, string>> = { upright: 'upright', side: 'on its side' }
/** Light for terracotta. */
const LIGHT = 3
/** Sample reading of the invented lamp's length, mm. */
const LENGTH_MM = OIL_LAMP.lengthMm

/**
 * A second piece that has been all the way, so that every station has something to show. Runs the same jobs as the
 * worker would.
 */
export async function seedExample(db: Database): Promise<void> {
  const pieceId = await createPiece(db, {
    name: 'Lamp, a worked example',
    number: 'HQ-014 b',
    sample: true,
    benchPiece: 'lamp',
  })
  // A plain print of it: coarser than the record the other lamp is to become.
  const brief = { ...LAMP, purposes: ['print'] as const, detailMm: 2.4 }
  await writeBrief(db, pieceId, brief)
  const run = (
    track: Track,
    title: string,
    operation: string,
    params: Record<string, unknown>,
    inputs: Record<string, string | string[]>,
    output?: string,
  ): Promise<void> => runDemoJob(db, pieceId, track, title, { operation, params, inputs, ...(output && { output }) })
  const tidy = async (track: Track, name: string, acts: readonly TidyStep[]): Promise<void> => {
    const request = {
      kind: 'recipe' as const,
      take: await shapeOf(name),
      steps: acts.map(({ operation, params }) => ({ operation, params: { ...params } })),
    }
    await submitJob(db, pieceId, track, `Tidying “${name}”`, request)
    const job = (await claimJob(db, 'demo'))!
    const steps = await runRecipe(db, request, { progress: () => undefined, cancelled: () => false })
    await completeJob(db, job, ...steps.map((step) => ({ ...step, track, durationMs: step.durationMs ?? 0 })))
  }
  const now = async () => (await pieceState(db, pieceId))!
  const shapeOf = async (name: string): Promise<string> => (await now()).takes.find((t) => t.name === name)!.shape!.hash
  for (const planned of LAMP_TAKES) {
    const { name } = planned
    const take = await createTake(db, pieceId, name, POSES[name] ?? name)
    const track: Track = `take:${take.id}`
    await run(
      track,
      `Taking “${name}”`,
      'take.simulate',
      { piece: 'lamp', take: planned, seed: 1, lights: [LIGHT], faults: true },
      {},
    )
    await tidy(
      track,
      name,
      proposeTidy({
        planned,
        dots: null,
        bench: false,
        deviceTable: planned.kind === 'turntable',
        keepBase: false,
        has: { frames: true, colours: true },
      }),
    )
  }
  const names = LAMP_TAKES.map((t) => t.name)
  const hashes = await Promise.all(names.map(shapeOf))
  const of = (await now()).takes.map((t) => String(t.id))
  await run(
    'check',
    'Looking for what is missing',
    'take.complete',
    { names, planned: LAMP_TAKES, motions: null, fixed: names[0], brief },
    { takes: hashes, of },
  )
  const [first, second] = LAMP_TAKES.map((plan) => trueMotion(OIL_LAMP, plan, 1))
  // As rough as a person's placing: eight degrees and five millimetres off.
  const placed = roughMotion(compose(first, invertRigid(second)), [0, 0, 20], 5, 8, 5)
  await run(
    'join',
    'Matching the takes',
    'join.match',
    {
      names,
      fixed: names[0],
      initial: { [names[1]]: motionRows(placed) },
      toleranceMm: requirementsOf(brief).toleranceMm,
    },
    { takes: hashes, of },
  )
  const joined = await now()
  const result = resultTrack((await createResult(db, pieceId, 'skin')).id)
  await run(
    result,
    'Making the skin',
    'skin.make',
    { names, spacingMm: 0.8 },
    { takes: hashes, of, motions: joined.join!.step.outputs.motions },
  )
  const skin = async (): Promise<string> => (await now()).mesh!.shape.hash
  await run(result, 'Checking the skin', 'mend.health', {}, { mesh: await skin() })
  const hash = await skin()
  const [from, to] = endsAlongX(await loadShape(db, hash))
  await run(
    result,
    'Scaling',
    'size.scale',
    { pairs: [{ from, to, readingMm: LENGTH_MM, uncertaintyMm: 0.05 }] },
    { shape: hash },
    'mesh',
  )
}

/** The upright take lies with its length along x: spout and handle are the ends. */
function endsAlongX({ positions: p }: Shape): [number[], number[]] {
  let low = 0
  let high = 0
  for (let i = 0; i < p.length; i += 3) {
    if (p[i] < p[low]) low = i
    if (p[i] > p[high]) high = i
  }
  return [Array.from(p.subarray(low, low + 3)), Array.from(p.subarray(high, high + 3))]
}
