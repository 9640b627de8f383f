import { PLAIN_PRESET, presetSchema, type ImportPreset } from '@holosoma/core/measure'
import {
  COMPANION_ENDINGS,
  companionsAmong,
  isGeometryError,
  LOOKED_AT_BYTES,
  nameOf,
  namesOthers,
  POSE_LIST,
  READ_EXTENSIONS,
  readPoseList,
} from '@holosoma/core'
import { POSE_WORDS } from '@holosoma/core/plan'
import {
  blobSize,
  createTake,
  ForeignReader,
  importTake,
  pieceState,
  readBlob,
  storeBlob,
  submitJob,
  type Database,
} from '@holosoma/engine'
import { MAX_ARCHIVE_BYTES } from '@/lib/limits'
import { answer, bodyParts, database, existingPiece, needRoom, Refusal } from '@/lib/server'
import { NO_POSE } from '@/lib/take-groups'

export const dynamic = 'force-dynamic'

interface Answer {
  ids: number[]
  takes: string[]
  refused: string[]
}

const endingOf = (name: string): string => name.toLowerCase().split('.').at(-1) ?? ''
const isCompanion = (name: string): boolean => (COMPANION_ENDINGS as readonly string[]).includes(endingOf(name))

/**
 * One file as the request's body, streamed into the database as it comes; reading it is a job. An archive becomes a
 * take for each file in it; with `?store=1` a file is only kept, as a frame of a take to come.
 */
export function POST(request: Request, { params }: { params: Promise<{ id: string }> }): Promise<Response> {
  return answer(async () => {
    const db = database()
    const pieceId = await existingPiece((await params).id)
    const search = new URL(request.url).searchParams
    const fileName = nameOf(search.get('name') ?? '')
    const ending = endingOf(fileName)
    const storeOnly = search.get('store') === '1'
    const { value: preset, error } = presetSchema.validate({
      unit: search.get('unit') ?? PLAIN_PRESET.unit,
      up: search.get('up') ?? PLAIN_PRESET.up,
    })
    if (error) throw new Refusal(400, 'A file’s unit is auto, mm, cm, m or in; up is x, y or z.')
    if (!(storeOnly && isCompanion(fileName)) && ending !== 'zip' && !READ_EXTENSIONS.includes(ending)) {
      throw new Refusal(
        415,
        `“${fileName}” is of no kind that can be read. Known: ${READ_EXTENSIONS.join(', ')}, and zip.`,
      )
    }
    needRoom(Number(request.headers.get('content-length') ?? 0), `“${fileName}”`)
    if (!request.body) throw new Refusal(400, `“${fileName}” is empty (0 bytes).`)
    const parts = ending === 'zip' ? archiveParts(request) : bodyParts(request)
    const { sha256, bytes } = await storeBlob(db, parts, 'application/octet-stream')
    if (bytes === 0) throw new Refusal(400, `“${fileName}” is empty (0 bytes).`)
    if (ending === 'zip')
      return Response.json(await unpack(db, pieceId, fileName, sha256, preset, request.signal), { status: 202 })
    if (storeOnly) return Response.json({ upload: sha256 })
    const { id, take } = await importTake(db, pieceId, fileName, sha256, preset, {
      planned: await plannedAs(pieceId, search.get('take')),
    })
    return Response.json({ ids: [id], takes: [take], refused: [] } satisfies Answer, { status: 202 })
  })
}

/** The planned take a file is said to be of. */
async function plannedAs(pieceId: number, name: string | null): Promise<{ name: string; pose: string } | undefined> {
  if (name === null) return undefined
  const planned = (await pieceState(database(), pieceId))?.plan?.content.takes.find((t) => t.name === name)
  if (!planned) throw new Refusal(404, `No take called “${nameOf(name)}” is planned.`)
  return { name: planned.name, pose: POSE_WORDS[planned.pose] }
}

async function* archiveParts(request: Request): AsyncGenerator<Uint8Array> {
  try {
    yield* bodyParts(request, MAX_ARCHIVE_BYTES)
  } catch (error) {
    if (error instanceof Refusal)
      throw new Refusal(413, 'The archive is larger than 512 MB. Unpack it, and drop the folder.')
    throw error
  }
}

/** Unpacks a stored archive in a process of its own, each file into the database as it comes. */
async function unpack(
  db: Database,
  pieceId: number,
  archive: string,
  sha256: string,
  preset: ImportPreset,
  signal: AbortSignal,
): Promise<Answer> {
  const scans: { name: string; upload: string }[] = []
  const others = new Map<string, string>()
  const texts = new Map<string, string>()
  let poses: string | null = null
  const reader = new ForeignReader({ cancelled: () => signal.aborted })
  try {
    await reader.archive(
      { name: archive, sizeBytes: (await blobSize(db, sha256)) ?? 0, chunks: readBlob(db, sha256) },
      async (name, bytes) => {
        if (poses === null && POSE_LIST.test(name)) poses = new TextDecoder().decode(bytes)
        else if (READ_EXTENSIONS.includes(endingOf(name))) {
          needRoom(bytes.length, `“${name}”`)
          scans.push({ name, upload: (await storeBlob(db, [bytes], 'application/octet-stream')).sha256 })
        } else if (isCompanion(name)) {
          needRoom(bytes.length, `“${name}”`)
          others.set(name, (await storeBlob(db, [bytes], 'application/octet-stream')).sha256)
        }
        if (namesOthers(name)) texts.set(name, new TextDecoder().decode(bytes.subarray(0, LOOKED_AT_BYTES)))
      },
    )
  } finally {
    reader.close()
  }
  if (scans.length === 0)
    throw new Refusal(415, `There is no scan file in “${archive}”. Known: ${READ_EXTENSIONS.join(', ')}.`)
  const out: Answer = { ids: [], takes: [], refused: [] }
  if (poses !== null) {
    readPoseList(poses)
    const take = await createTake(db, pieceId, archive.replace(/\.[^.]+$/, ''), NO_POSE)
    const frames = scans.map(({ name, upload }) => ({ file: name, upload }))
    out.ids.push(
      await submitJob(db, pieceId, `take:${take.id}`, `Reading ${frames.length} frames`, {
        kind: 'frames',
        poses,
        frames,
        fileName: archive,
      }),
    )
    out.takes.push(take.name)
    return out
  }
  const belongs = await companionsAmong([...scans.map((s) => s.name), ...others.keys()], (name) =>
    Promise.resolve(texts.get(name) ?? ''),
  )
  for (const { name, upload } of scans) {
    try {
      const companions = (belongs.get(name) ?? []).flatMap((n) => {
        const stored = others.get(n)
        return stored === undefined ? [] : [{ name: n, upload: stored }]
      })
      const { id, take } = await importTake(db, pieceId, name, upload, preset, { companions })
      out.ids.push(id)
      out.takes.push(take)
    } catch (error) {
      if (!isGeometryError(error)) throw error
      out.refused.push(error.message)
    }
  }
  return out
}
