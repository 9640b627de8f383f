import { PLAIN_PRESET, presetSchema, type ImportPreset } from '@holosoma/core/measure/preset'
import { listZip, nameOf, POSE_LIST, READ_EXTENSIONS, readPoseList, readZipEntry } from '@holosoma/core'
import { createTake, pieceState, storeBlob, submitJob, type Database, type PieceState } from '@holosoma/engine'
import { PHOTO_ENDINGS } from '@/lib/import-files'
import { answer, database, idFrom, Refusal } from '@/lib/server'
import { chainOf } from '@/lib/stations'

export const dynamic = 'force-dynamic'

/** An archive is unpacked in memory; larger sets come as a folder. */
const MOST_ARCHIVE_BYTES = 512 * 2 ** 20

interface Answer { ids: number[]; takes: string[]; refused: string[] }

/**
 * One file as the request's body, streamed into the database as it comes; reading it is a job. An archive becomes a take for each file in it; with
 * `?store=1` a file is only kept, as a frame of a take to come.
 */
export function POST(request: Request, { params }: { params: Promise<{ id: string }> }): Promise<Response> {
  return answer(async () => {
    const db = database()
    const pieceId = idFrom((await params).id)
    const search = new URL(request.url).searchParams
    const fileName = nameOf(search.get('name') ?? '')
    const ending = fileName.toLowerCase().split('.').at(-1) ?? ''
    const storeOnly = search.get('store') === '1'
    const { value: preset, error } = presetSchema.validate({ unit: search.get('unit') ?? PLAIN_PRESET.unit, up: search.get('up') ?? PLAIN_PRESET.up })
    if (error) throw new Refusal(400, 'A file’s unit is auto, mm, cm, m or in; up is x, y or z.')
    if (!(storeOnly && PHOTO_ENDINGS.includes(ending)) && ending !== 'zip' && !READ_EXTENSIONS.includes(ending)) throw new Refusal(415, `“${fileName}” is of no kind that can be read. Known: ${READ_EXTENSIONS.join(', ')}, and zip.`)
    const state = await pieceState(db, pieceId)
    if (!state) throw new Refusal(404, 'There is no such piece on the shelf.')
    if (!request.body) throw new Refusal(400, `“${fileName}” is empty (0 bytes).`)
    if (ending === 'zip') return Response.json(await unpack(db, state, fileName, await wholeBody(request), preset), { status: 202 })
    const { sha256, bytes } = await storeBlob(db, request.body as unknown as AsyncIterable<Uint8Array>, 'application/octet-stream')
    if (bytes === 0) throw new Refusal(400, `“${fileName}” is empty (0 bytes).`)
    if (storeOnly) return Response.json({ upload: sha256 })
    const here = takeOf(state, sha256)
    if (here) throw new Refusal(409, `“${fileName}” is here already, as “${here}”; nothing was added.`)
    const { id, take } = await importOne(db, pieceId, fileName, sha256, preset)
    return Response.json({ ids: [id], takes: [take], refused: [] } satisfies Answer, { status: 202 })
  })
}

/** The take a file has become, if it was imported before and stands. */
function takeOf(state: PieceState, upload: string): string | undefined {
  return state.takes.find((t) => t.shape && chainOf(state, `take:${t.id}`)[0]?.inputs.upload === upload)?.name
}

async function importOne(db: Database, pieceId: number, fileName: string, upload: string, preset: ImportPreset): Promise<{ id: number; take: string }> {
  const take = await createTake(db, pieceId, fileName.replace(/\.[^.]+$/, ''), 'as imported')
  const id = await submitJob(db, pieceId, `take:${take.id}`, `Reading ${fileName}`, { kind: 'import', upload, fileName, preset })
  return { id, take: take.name }
}

async function wholeBody(request: Request): Promise<Uint8Array> {
  const parts: Uint8Array[] = []
  let bytes = 0
  for await (const part of request.body as unknown as AsyncIterable<Uint8Array>) {
    bytes += part.length
    if (bytes > MOST_ARCHIVE_BYTES) throw new Refusal(413, 'The archive is larger than 512 MB. Unpack it, and drop the folder.')
    parts.push(part)
  }
  const all = new Uint8Array(bytes)
  parts.reduce((at, p) => (all.set(p, at), at + p.length), 0)
  return all
}

async function unpack(db: Database, state: PieceState, archive: string, bytes: Uint8Array, preset: ImportPreset): Promise<Answer> {
  const entries = listZip(bytes)
  const out: Answer = { ids: [], takes: [], refused: [] }
  const list = entries.find((e) => POSE_LIST.test(e.name))
  const scans = entries.filter((e) => READ_EXTENSIONS.includes(e.name.toLowerCase().split('.').at(-1) ?? '') && e !== list)
  if (scans.length === 0) throw new Refusal(415, `There is no scan file in “${archive}”. Known: ${READ_EXTENSIONS.join(', ')}.`)
  const store = async (path: string): Promise<string> => (await storeBlob(db, [readZipEntry(bytes, path)], 'application/octet-stream')).sha256
  if (list) {
    const poses = new TextDecoder().decode(readZipEntry(bytes, list.path))
    readPoseList(poses)
    const frames = []
    for (const scan of scans) frames.push({ file: scan.name, upload: await store(scan.path) })
    const take = await createTake(db, state.piece.id, archive.replace(/\.[^.]+$/, ''), 'as imported')
    out.ids.push(await submitJob(db, state.piece.id, `take:${take.id}`, `Reading ${frames.length} frames`, { kind: 'frames', poses, frames, fileName: archive }))
    out.takes.push(take.name)
    return out
  }
  for (const scan of scans) {
    const upload = await store(scan.path)
    const here = takeOf(state, upload)
    if (here) {
      out.refused.push(`“${scan.name}” is here already, as “${here}”.`)
      continue
    }
    const { id, take } = await importOne(db, state.piece.id, scan.name, upload, preset)
    out.ids.push(id)
    out.takes.push(take)
  }
  return out
}
