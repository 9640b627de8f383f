import { readdir, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import Joi from 'joi'
import { GeometryError, type TriangleMesh } from '@holosoma/core'
import { cameraFindings, picksRecordSchema, solveTurn, type PicksRecord, type SolvedTurn } from '@holosoma/core/cameras'
import { recordOf } from '@holosoma/core/colour'
import { context, type Common } from './commands'
import { decode, loadJson, loadMesh } from './files'
import { readPhoto } from './photos'
import { print } from './report'

const PHOTO = /\.(jpe?g|png)$/i
/** Lens makers round what is written to whole millimetres of a 36 mm wide picture (common practice). */
const WRITTEN_SURE = 0.02
const TOLD_SURE = 0.005
const FULL_WIDTH_MM = 36
/** Steps that somebody told, and those of a whole turn parted evenly. */
const STEPS_SURE = 0.003

const fileSchema = Joi.alternatives(picksRecordSchema, Joi.array().items(picksRecordSchema).min(1).max(100))

/** Finds where the cameras of a turn of photos stood, from picks on one of them. */
export async function camerasFile(
  input: string,
  { photos: folder, picks, out, ...options }: Common & { photos: string; picks: string; out: string },
): Promise<void> {
  const { value, error } = fileSchema.validate(await loadJson<unknown>(picks), { convert: false })
  if (error) throw new GeometryError('FORMAT', `"${picks}": ${error.details[0].message.replaceAll('"', '')}.`)
  const turns = [value].flat()
  const here = (await readdir(folder).catch(() => [] as string[])).filter((n) => PHOTO.test(n))
  here.sort((a, b) => a.localeCompare(b, 'en', { numeric: true }))
  if (turns.length > 1 && turns.some((t) => !t.photos))
    throw new GeometryError('FORMAT', `"${picks}": of several turns, each says which photos are its own.`)
  const mesh = await loadMesh(input)
  const begun = performance.now()
  const solved: SolvedTurn[] = []
  for (const turn of turns) solved.push(await solveOne(mesh, folder, turn.photos ?? here, here, turn, options))
  const photos = solved.flatMap((s) => s.photos)
  const kept = photos.filter((p) => !p.bad)
  await writeFile(out, JSON.stringify({ photos: kept.map((p) => recordOf(p.name, p.camera)) }, null, 1))
  print(
    {
      output: out,
      photos: kept.length,
      residualPx: Object.fromEntries(photos.map((p) => [p.name, p.residualPx])),
      bad: photos.filter((p) => p.bad).map((p) => p.name),
      focalPx: solved.map((s) => s.turn.camera.focalPx),
      axis: solved.map((s) => ({ at: s.turn.axisAt, direction: s.turn.axis })),
      picksPx: solved.map((s) => s.picked.residualsPx),
      seconds: (performance.now() - begun) / 1000,
      findings: solved.flatMap(cameraFindings),
    },
    !!options.json,
  )
}

async function solveOne(
  mesh: TriangleMesh,
  folder: string,
  names: readonly string[],
  here: readonly string[],
  { file, pairs, turn, focalPx }: PicksRecord,
  options: Common,
): Promise<SolvedTurn> {
  const missing = [file, ...names].find((n) => !here.includes(n))
  if (missing !== undefined) throw new GeometryError('FORMAT', `"${folder}" has no photo "${missing}".`)
  if (!names.includes(file)) throw new GeometryError('FORMAT', `"${file}" is not among the photos of its turn.`)
  if (names.length < 2) throw new GeometryError('PARAMS', 'A turn is two photos or more.')
  const facts: PhotoFacts[] = []
  for (const name of names) facts.push(await factsOf(join(folder, name)))
  const written = facts[names.indexOf(file)].focalPx
  const guess = {
    anglesDeg: names.map((_, i) => i * (turn.stepDeg ?? 360 / names.length)),
    stepsSure: STEPS_SURE,
    axis: turn.axis ?? null,
    picked: names.indexOf(file),
    picks: pairs,
    focal:
      focalPx !== undefined
        ? { focalPx, sure: TOLD_SURE }
        : written === null
          ? null
          : { focalPx: written, sure: WRITTEN_SURE },
  }
  const unknown = names.map((name, i) => ({
    name,
    ...facts[i],
    read: async (most: number) => decode(await readPhoto(join(folder, name)), most, true),
  }))
  return solveTurn(mesh, unknown, guess, context(options))
}

interface PhotoFacts {
  readonly widthPx: number
  readonly heightPx: number
  readonly focalPx: number | null
}

/** As its camera was held; what it wrote of its lens. */
async function factsOf(path: string): Promise<PhotoFacts> {
  const [{ default: sharp }, { default: exifr }] = await Promise.all([import('sharp'), import('exifr')])
  const { bytes } = await readPhoto(path)
  const { autoOrient, exif } = await sharp(bytes)
    .metadata()
    .catch(() => {
      throw new GeometryError('FORMAT', `"${path}" is no photo that can be read; JPEG and PNG are.`)
    })
  const said =
    exif &&
    ((await exifr.parse(exif.subarray(6), ['FocalLengthIn35mmFormat']).catch(() => undefined)) as
      { FocalLengthIn35mmFormat?: unknown } | undefined)
  const focal = Number(said?.FocalLengthIn35mmFormat)
  const { width: widthPx, height: heightPx } = autoOrient
  return {
    widthPx,
    heightPx,
    focalPx: focal > 0 && focal < 2000 ? (focal / FULL_WIDTH_MM) * Math.max(widthPx, heightPx) : null,
  }
}
