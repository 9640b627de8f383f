import {
  assembleFrames,
  GeometryError,
  inspectShape,
  readPoseList,
  runOperation,
  type Finding,
  type PointCloud,
  type RunContext,
} from '@holosoma/core'
import { applyPreset, PLAIN_PRESET, saysItsUnit, UNIT_WORDS, type Unit } from '@holosoma/core/measure'
import { blobSize, readBlob } from '../blobs/blobs'
import type { Companion } from '../foreign/foreign-reader'
import { asCloud, readerOf, type Host, type StepDraft } from './host'
import type { Database } from '../store/database'
import type { JobRequest } from './jobs'
import { storeArtefact } from '../blobs/shape-store'

/* Files that came from elsewhere become takes. They are read by a process of their own (see foreign/). */

type FileRequest = Extract<JobRequest, { kind: 'import' }>
type FramesRequest = Extract<JobRequest, { kind: 'frames' }>
type Left = readonly (readonly [string, number])[]

const cancelled = (): GeometryError => new GeometryError('CANCELLED', 'Stopped at your request; nothing was changed.')

/** Reads a file that was sent in as a take. @throws what the reader refuses, in words */
export async function importFile(
  db: Database,
  request: FileRequest,
  context: RunContext,
  host: Host,
): Promise<StepDraft> {
  const { fileName, upload } = request
  const sizeBytes = await blobSize(db, upload)
  if (sizeBytes === null)
    throw new GeometryError('TRUNCATED', `“${fileName}” did not arrive whole; nothing was saved. Drop it again.`)
  let arrived = 0
  const counted = async function* (): AsyncGenerator<Uint8Array> {
    for await (const part of readBlob(db, upload)) {
      if (context.cancelled()) throw cancelled()
      arrived += part.length
      context.progress((arrived / sizeBytes) * 0.6, `Reading ${fileName}`)
      yield part
    }
  }
  const reader = readerOf(context, host)
  const { shape: read, left } = await reader
    .shape({ chunks: counted(), sizeBytes, name: fileName }, await companionsOf(db, request))
    .finally(() => reader.close())
  const preset = request.preset && !saysItsUnit(fileName) ? request.preset : PLAIN_PRESET
  const shape = applyPreset(read, preset)
  context.progress(0.7, 'Storing')
  const info = await storeArtefact(db, shape)
  const { figures, findings } = await runOperation(inspectShape, { shape }, { full: false }, context)
  const asChosen = (f: Finding): Finding =>
    f.id !== 'take.inspect'
      ? f
      : {
          ...f,
          verdict: 'sound',
          nextMove: undefined,
          text:
            `Read in ${UNIT_WORDS[preset.unit as Unit]}, as chosen: ` +
            `${f.text.charAt(0).toLowerCase()}${f.text.slice(1)}`,
        }
  return {
    operation: 'take.import',
    version: 1,
    params: { fileName, ...preset },
    inputs: { upload, ...(request.companions && { companions: request.companions.map((c) => c.upload) }) },
    outputs: { take: info.hash },
    figures: { ...figures, faces: info.faces, bytes: sizeBytes, leftOut: total(left) },
    findings: [...(preset.unit === 'auto' ? findings : findings.map(asChosen)), ...leftOut(fileName, left)],
    description:
      `Imported ${fileName}: ${info.points.toLocaleString('en')} ` +
      `points${info.faces > 0 ? `, ${info.faces.toLocaleString('en')} triangles` : ''}`,
    work: sizeBytes / 1e7,
  }
}

/** The files that came with one. @throws TRUNCATED where one did not arrive */
async function companionsOf(db: Database, { companions = [] }: FileRequest): Promise<Companion[]> {
  const out: Companion[] = []
  for (const { name, upload } of companions) {
    const sizeBytes = await blobSize(db, upload)
    if (sizeBytes === null)
      throw new GeometryError('TRUNCATED', `“${name}” did not arrive whole; nothing was saved. Drop it again.`)
    out.push({ name, sizeBytes, chunks: readBlob(db, upload) })
  }
  return out
}

/** Reads frames with their list of poses as one take. @throws what the reader refuses, in words */
export async function importFrames(
  db: Database,
  request: FramesRequest,
  context: RunContext,
  host: Host,
): Promise<StepDraft> {
  const poses = readPoseList(request.poses)
  const frames: { motion: Float64Array; cloud: PointCloud }[] = []
  const left: (readonly [string, number])[] = []
  const reader = readerOf(context, host)
  try {
    for (const [i, { file, motion }] of poses.entries()) {
      if (context.cancelled()) throw cancelled()
      context.progress((0.7 * i) / poses.length, `Reading frame ${i + 1} of ${poses.length}`)
      const stored = request.frames.find((f) => f.file === file)
      const sizeBytes = stored ? await blobSize(db, stored.upload) : null
      if (!stored || sizeBytes === null)
        throw new GeometryError('FORMAT', `The list of poses names “${file}”, which was not among the files.`)
      const read = await reader.shape({ chunks: readBlob(db, stored.upload), sizeBytes, name: file })
      left.push(...read.left)
      frames.push({ motion, cloud: await asCloud(read.shape) })
    }
  } finally {
    reader.close()
  }
  const cloud = assembleFrames(frames)
  const { hash, points } = await storeArtefact(db, cloud)
  const { figures, findings } = await runOperation(inspectShape, { shape: cloud }, { full: false }, context)
  return {
    operation: 'take.import',
    version: 1,
    params: { fileName: request.fileName, frames: poses.length },
    inputs: { upload: request.frames.map((f) => f.upload) },
    outputs: { take: hash },
    figures: { ...figures, frames: poses.length, leftOut: total(left) },
    findings: [...findings, ...leftOut(request.fileName, left)],
    description: `Imported ${poses.length} frames from ${request.fileName}: ${points.toLocaleString('en')} points`,
    work: points / 1e6,
  }
}

const total = (left: Left): number => left.reduce((n, [, count]) => n + count, 0)

/** What a reader passed over is told, each kind with its number. */
function leftOut(fileName: string, left: Left): Finding[] {
  const kinds = new Map<string, number>()
  for (const [what, count] of left) kinds.set(what, (kinds.get(what) ?? 0) + count)
  if (kinds.size === 0) return []
  const list = [...kinds].map(([what, count]) => `${count.toLocaleString('en')} ${what}`).join('; ')
  return [{ id: 'take.leftOut', verdict: 'doubtful', text: `Not taken from ${fileName}: ${list}.` }]
}
