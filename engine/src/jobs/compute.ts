import {
  checkParams,
  GeometryError,
  operationNamed,
  runOperation,
  pictureOf,
  unpackSelection,
  type Artefact,
  type AnyOperation,
  type InputsOf,
  type InputSpecs,
  type Photos,
  type Picture,
  type PointCloud,
  type RunContext,
} from '@holosoma/core'
import { readWholeBlob } from '../blobs/blobs'
import { whileAway, type Database } from '../store/database'
import { asCloud, contextOf, readerOf, tellExpected, type Host, type StepDraft } from './host'
import { importFile, importFrames } from './imports'
import type { JobRecord } from './jobs'
import { importPhotos, takePhotos, type PhotosDone } from '../photos/photos'
import { findShape, loadMotions, loadShape, storeArtefact } from '../blobs/shape-store'

/** Does a job's work and stores its outputs; the step is returned and not yet written. */
export async function computeJob(db: Database, job: JobRecord, host: Host): Promise<StepDraft> {
  const context = contextOf(host)
  if (job.request.kind === 'frames') return importFrames(db, job.request, context, host)
  if (job.request.kind === 'photos')
    return stepOfPhotos('photos.take', await takePhotos(db, job.request, context), {
      phone: job.request.phone,
      take: job.request.take.name,
      wanted: job.request.wanted,
    })
  if (job.request.kind === 'photoImport')
    return stepOfPhotos('photos.import', await photosFrom(db, job.request, context, host), { pose: job.request.pose })
  if (job.request.kind === 'import') return importFile(db, job.request, context, host)
  if (job.request.kind === 'operation') return runStored(db, job.request, context, host.expected)
  throw new GeometryError('PARAMS', 'What leaves several steps is run by itself.')
}

async function photosFrom(
  db: Database,
  request: Extract<JobRecord['request'], { kind: 'photoImport' }>,
  context: RunContext,
  host: Host,
): Promise<PhotosDone> {
  const reader = readerOf(context, host)
  return importPhotos(db, request, context, reader).finally(() => reader.close())
}

function stepOfPhotos(operation: string, done: PhotosDone, params: Record<string, unknown>): StepDraft {
  return {
    operation,
    version: 1,
    params,
    inputs: {},
    outputs: {},
    figures: done.figures,
    findings: done.findings,
    description: done.description,
    work: null,
    photos: done.photos,
  }
}

/** One operation on stored artefacts. */
export async function runStored(
  db: Database,
  request: Extract<JobRecord['request'], { kind: 'operation' }>,
  context: RunContext,
  expected?: (seconds: number) => void,
): Promise<StepDraft> {
  const operation = operationNamed(request.operation)
  const checks: Promise<void>[] = []
  const inputs = await loadInputs(db, operation, request.inputs, checks)
  const { work } = operation.estimate(inputs, checkParams(operation, request.params))
  await tellExpected(db, operation.name, work, expected)
  const result = await runOperation(operation, inputs, request.params, context).catch(async (error: unknown) => {
    // What failed on damaged bytes failed because of them.
    await Promise.all(checks)
    throw error
  })
  await Promise.all(checks)
  const outputs: Record<string, string> = {}
  for (const [name, artefact] of Object.entries(result.outputs))
    outputs[request.output && name === 'shape' ? request.output : name] = (await storeArtefact(db, artefact)).hash
  return {
    operation: operation.name,
    version: operation.version,
    params: result.params,
    inputs: request.inputs,
    outputs,
    figures: result.figures,
    findings: result.findings,
    details: result.details,
    description: operation.describe(result.params, result.figures),
    work,
  }
}

async function loadInputs(
  db: Database,
  operation: AnyOperation,
  hashes: Record<string, string | string[]>,
  checks: Promise<void>[],
): Promise<InputsOf<InputSpecs>> {
  const inputs: Record<string, Artefact | PointCloud[] | Photos> = {}
  for (const [name, { kind }] of Object.entries(operation.inputs)) {
    const given = hashes[name]
    if (given === undefined) continue
    if (kind === 'clouds') {
      inputs[name] = await Promise.all((given as string[]).map(async (h) => asCloud(await loadShape(db, h, checks))))
      continue
    }
    if (kind === 'photos') {
      inputs[name] = {
        kind: 'photos',
        photos: (given as string[]).map((hash) => ({ read: () => readPhoto(db, hash) })),
      }
      continue
    }
    const info = await whileAway(() => findShape(db, given as string))
    if (!info) throw new GeometryError('PARAMS', 'What this step works on is no longer there.')
    if (info.kind === 'motions') inputs[name] = await loadMotions(db, given as string)
    else if (info.kind === 'selection')
      inputs[name] = unpackSelection(await whileAway(() => readWholeBlob(db, info.hash)), info.points)
    else {
      const shape = await loadShape(db, given as string, checks)
      inputs[name] = kind === 'cloud' ? await asCloud(shape) : shape
    }
  }
  return inputs as InputsOf<InputSpecs>
}

/** A photo as it was taken in. @throws DAMAGED when it is gone or is no picture any more */
async function readPhoto(db: Database, hash: string): Promise<Picture> {
  const picture = pictureOf(await whileAway(() => readWholeBlob(db, hash)))
  if (!picture) throw new GeometryError('DAMAGED', 'One of the photos cannot be read any more; take it again.')
  return picture
}
