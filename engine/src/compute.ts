import { freemem } from 'node:os'
import { assembleFrames, checkParams, cloudOfMesh, GeometryError, inspectShape, operationNamed, quietContext, readPoseList, readShape, runOperation, type Artefact, type Inputs, type Operation, type PointCloud, type RunContext } from '@holosoma/core'
import { blobSize, readBlob, readWholeBlob } from './blobs'
import { applyPreset, PLAIN_PRESET, saysItsUnit } from '@holosoma/core/measure/preset'
import { UNIT_WORDS, type Unit } from '@holosoma/core/measure/scale'
import type { Database } from './database'
import type { JobRecord } from './jobs'
import { importPhotos, takePhotos, type PhotosDone } from './photos'
import { secondsPerUnit, type NewStep } from './ledger'
import { findShape, loadMotions, loadShape, storeArtefact } from './shape-store'

export type StepDraft = Omit<NewStep, 'durationMs' | 'track'>

const SEED = 1
/** Before an operation has run here for the first time. */
const USUAL_SECONDS_PER_UNIT = 1

/** What a host gives the job it runs. */
export type Host = Pick<RunContext, 'progress' | 'cancelled' | 'endEarly' | 'parallel'> & { expected?(seconds: number): void }

export const contextOf = ({ expected: _told, ...host }: Host): RunContext => ({ ...quietContext(SEED), memoryBytes: freemem() * 0.7, ...host })

/** Tells the host how long so much work should take here, as far as it is known. */
export const tellExpected = async (db: Database, operation: string, work: number, expected: Host['expected']): Promise<void> => expected?.(work * ((await secondsPerUnit(db, operation)) ?? USUAL_SECONDS_PER_UNIT))

/** Does a job's work and stores its outputs; the step is returned and not yet written. */
export async function computeJob(db: Database, job: JobRecord, host: Host): Promise<StepDraft> {
  const context = contextOf(host)
  if (job.request.kind === 'frames') return importFrames(db, job.request, context)
  if (job.request.kind === 'photos') return stepOfPhotos('photos.take', await takePhotos(db, job.request, context), { phone: job.request.phone, take: job.request.take.name, wanted: job.request.wanted })
  if (job.request.kind === 'photoImport') return stepOfPhotos('photos.import', await importPhotos(db, job.request, context), { pose: job.request.pose })
  if (job.request.kind === 'recipe' || job.request.kind === 'settle') throw new GeometryError('PARAMS', 'What leaves several steps is run by itself.')
  return job.request.kind === 'import' ? importFile(db, job.request, context) : runStored(db, job.request, context, host.expected)
}

function stepOfPhotos(operation: string, done: PhotosDone, params: Record<string, unknown>): StepDraft {
  return { operation, version: 1, params, inputs: {}, outputs: {}, figures: done.figures, findings: done.findings, description: done.description, who: 'bench', work: null, photos: done.photos }
}

async function importFile(db: Database, request: Extract<JobRecord['request'], { kind: 'import' }>, context: RunContext): Promise<StepDraft> {
  const sizeBytes = await blobSize(db, request.upload)
  if (sizeBytes === null) throw new GeometryError('TRUNCATED', `"${request.fileName}" did not arrive whole; nothing was saved. Drop it again.`)
  let arrived = 0
  const counted = async function* (): AsyncGenerator<Uint8Array> {
    for await (const part of readBlob(db, request.upload)) {
      if (context.cancelled()) throw new GeometryError('CANCELLED', 'Stopped at your request; nothing was changed.')
      arrived += part.length
      context.progress((arrived / sizeBytes) * 0.6, `Reading ${request.fileName}`)
      yield part
    }
  }
  const read = await readShape({ chunks: counted(), sizeBytes }, request.fileName)
  const preset = request.preset && !saysItsUnit(request.fileName) ? request.preset : PLAIN_PRESET
  const shape = applyPreset(read, preset)
  context.progress(0.7, 'Storing')
  const info = await storeArtefact(db, shape)
  const { figures, findings } = await runOperation(inspectShape, { shape }, { full: false }, context)
  const n = info.points
  return {
    operation: 'take.import', version: 1, params: { fileName: request.fileName, ...preset }, inputs: { upload: request.upload }, outputs: { take: info.hash },
    figures: { ...figures, faces: info.faces, bytes: sizeBytes },
    findings: preset.unit === 'auto' ? findings : findings.map((f) => (f.id === 'take.inspect' ? { ...f, verdict: 'sound' as const, nextMove: undefined, text: `Read in ${UNIT_WORDS[preset.unit as Unit]}, as chosen: ${f.text.charAt(0).toLowerCase()}${f.text.slice(1)}` } : f)),
    description: `Imported ${request.fileName}: ${n.toLocaleString('en')} points${info.faces > 0 ? `, ${info.faces.toLocaleString('en')} triangles` : ''}`, who: 'bench', work: sizeBytes / 1e7,
  }
}

async function importFrames(db: Database, request: Extract<JobRecord['request'], { kind: 'frames' }>, context: RunContext): Promise<StepDraft> {
  const poses = readPoseList(request.poses)
  const frames: { motion: Float64Array; cloud: PointCloud }[] = []
  for (const [i, { file, motion }] of poses.entries()) {
    if (context.cancelled()) throw new GeometryError('CANCELLED', 'Stopped at your request; nothing was changed.')
    context.progress((0.7 * i) / poses.length, `Reading frame ${i + 1} of ${poses.length}`)
    const stored = request.frames.find((f) => f.file === file)
    const sizeBytes = stored ? await blobSize(db, stored.upload) : null
    if (!stored || sizeBytes === null) throw new GeometryError('FORMAT', `The list of poses names “${file}”, which was not among the files.`)
    frames.push({ motion, cloud: asCloud(await readShape({ chunks: readBlob(db, stored.upload), sizeBytes }, file)) })
  }
  const cloud = assembleFrames(frames)
  const { hash, points } = await storeArtefact(db, cloud)
  const { figures, findings } = await runOperation(inspectShape, { shape: cloud }, { full: false }, context)
  return {
    operation: 'take.import', version: 1, params: { fileName: request.fileName, frames: poses.length }, inputs: { upload: request.frames.map((f) => f.upload) }, outputs: { take: hash },
    figures: { ...figures, frames: poses.length }, findings, description: `Imported ${poses.length} frames from ${request.fileName}: ${points.toLocaleString('en')} points`, who: 'bench', work: points / 1e6,
  }
}

/** One operation on stored artefacts. */
export async function runStored(db: Database, request: Extract<JobRecord['request'], { kind: 'operation' }>, context: RunContext, expected?: (seconds: number) => void): Promise<StepDraft> {
  const operation = operationNamed(request.operation)
  const inputs = await loadInputs(db, operation, request.inputs)
  const { work } = operation.estimate(inputs, checkParams(operation, request.params))
  await tellExpected(db, operation.name, work, expected)
  const result = await runOperation(operation, inputs, request.params, context)
  const outputs: Record<string, string> = {}
  for (const [name, artefact] of Object.entries(result.outputs)) outputs[request.output && name === 'shape' ? request.output : name] = (await storeArtefact(db, artefact)).hash
  return {
    operation: operation.name, version: operation.version, params: result.params, inputs: request.inputs, outputs,
    figures: result.figures, findings: result.findings, description: operation.describe(result.params, result.figures), who: 'bench', work,
  }
}

async function loadInputs(db: Database, operation: Operation, hashes: Record<string, string | string[]>): Promise<Inputs> {
  const inputs: Record<string, Artefact | PointCloud[]> = {}
  for (const [name, kind] of Object.entries(operation.inputs)) {
    const given = hashes[name]
    if (given === undefined) {
      // A single take needs no motions.
      if (kind === 'motions') inputs[name] = { kind: 'motions', motions: {} }
      continue
    }
    if (kind === 'clouds' || kind === 'clouds?') {
      inputs[name] = await Promise.all((given as string[]).map(async (h) => asCloud(await loadShape(db, h))))
      continue
    }
    const info = await findShape(db, given as string)
    if (!info) throw new GeometryError('PARAMS', 'What this step works on is no longer there.')
    if (info.kind === 'motions') inputs[name] = await loadMotions(db, given as string)
    else if (info.kind === 'selection') inputs[name] = { kind: 'selection', count: info.points, bits: await readWholeBlob(db, info.hash) }
    else {
      const shape = await loadShape(db, given as string)
      inputs[name] = kind === 'cloud' ? asCloud(shape) : shape
    }
  }
  return inputs
}

export function asCloud(shape: Awaited<ReturnType<typeof loadShape>>): PointCloud {
  return shape.kind === 'mesh' ? cloudOfMesh(shape) : shape
}
