import { createReadStream, createWriteStream } from 'node:fs'
import { mkdir, readdir, readFile, stat, writeFile } from 'node:fs/promises'
import { basename, dirname, extname, join } from 'node:path'
import { Readable } from 'node:stream'
import { pipeline } from 'node:stream/promises'
import {
  decodeWith,
  GeometryError,
  readShape,
  WRITE_FORMATS,
  writeFilesIn,
  type PictureDecoder,
  type PointCloud,
  sampleTextured,
  samplingSpacing,
  type Shape,
  type TriangleMesh,
  type WriteFormat,
} from '@holosoma/core'

/** The name of a take: its file name without folder and ending. */
export function takeName(path: string): string {
  return basename(path, extname(path))
}

/** Reads a scan file by streaming; frames beside a PLY are attached. */
export async function loadShape(path: string): Promise<Shape> {
  const info = await stat(path).catch(() => {
    throw new GeometryError('FORMAT', `There is no file "${path}".`)
  })
  if (!info.isFile()) throw new GeometryError('FORMAT', `"${path}" is not a file.`)
  const shape = await readShape(
    { chunks: createReadStream(path, { highWaterMark: 1 << 18 }), sizeBytes: info.size },
    basename(path),
    undefined,
    { decode, find: (name) => besides(path, name) },
  ).catch((error: unknown) => {
    throw error instanceof GeometryError ? new GeometryError(error.code, `${basename(path)}: ${error.message}`) : error
  })
  return shape.kind === 'cloud' && shape.frame ? withFrames(shape, path) : shape
}

/** The library is loaded when there is a picture: most files have none. */
export const decode: PictureDecoder = async (picture, most, upright) =>
  decodeWith((await import('sharp')).default)(picture, most, upright)

/** Largest picture or buffer that is read beside a file. */
const MAX_BESIDE_BYTES = 2 ** 30

/** A file of the same folder, whatever folders the name speaks of; its letters may be large or small. */
async function besides(path: string, name: string): Promise<Uint8Array<ArrayBuffer> | null> {
  const there = (await readdir(dirname(path))).find((n) => n.toLowerCase() === name.toLowerCase())
  if (there === undefined) return null
  const file = join(dirname(path), there)
  const info = await stat(file)
  return info.isFile() && info.size <= MAX_BESIDE_BYTES ? Uint8Array.from(await readFile(file)) : null
}

interface FramesFile {
  frames: { originMm: [number, number, number]; tableDeg?: number }[]
}

async function withFrames(cloud: PointCloud, path: string): Promise<PointCloud> {
  const side = join(dirname(path), `${takeName(path)}.frames.json`)
  const text = await readFile(side, 'utf8').catch(() => null)
  if (text === null) return { ...cloud, frame: undefined }
  const { frames } = parseJson<FramesFile>(text, side)
  if (
    !Array.isArray(frames) ||
    frames.some((f) => !Array.isArray(f.originMm) || f.originMm.length !== 3 || !f.originMm.every(Number.isFinite))
  ) {
    throw new GeometryError('FORMAT', `"${side}" should hold { "frames": [ { "originMm": [x, y, z] } ] }.`)
  }
  let highest = 0
  for (const f of cloud.frame!) if (f > highest) highest = f
  if (highest >= frames.length)
    throw new GeometryError(
      'RANGE',
      `"${path}" names frame ${highest}, but "${basename(side)}" lists only ${frames.length}.`,
    )
  const o = cloud.originMm ?? [0, 0, 0]
  return { ...cloud, frameOrigins: Float64Array.from(frames.flatMap((f) => f.originMm.map((v, c) => v - o[c]))) }
}

export async function loadCloud(path: string): Promise<PointCloud> {
  const shape = await loadShape(path)
  if (shape.kind === 'cloud') return shape
  return sampleTextured(shape, samplingSpacing(shape), decode)
}

export async function loadMesh(path: string): Promise<TriangleMesh> {
  const shape = await loadShape(path)
  if (shape.kind !== 'mesh')
    throw new GeometryError(
      'SHAPE',
      `"${path}" holds points without triangles; this command needs a mesh. Make a skin first.`,
    )
  return shape
}

/** The kind a file is written in, by its ending. */
export function writeFormatOf(path: string): WriteFormat {
  const format = extname(path).slice(1).toLowerCase() as WriteFormat
  if (!WRITE_FORMATS.includes(format))
    throw new GeometryError(
      'FORMAT',
      `"${path}": the kind "${format}" cannot be written. Known: ${WRITE_FORMATS.join(', ')}.`,
    )
  return format
}

export async function saveShape(shape: Shape, path: string): Promise<void> {
  const format = writeFormatOf(path)
  await mkdir(dirname(path) || '.', { recursive: true })
  for (const { name, chunks } of writeFilesIn(shape, format, 'mm', takeName(path)))
    await pipeline(
      Readable.from(chunks),
      createWriteStream(name.endsWith(`.${format}`) ? path : join(dirname(path), name)),
    )
  if (shape.kind === 'cloud' && shape.frame && shape.frameOrigins && format === 'ply') {
    const o = shape.frameOrigins
    const home = shape.originMm ?? [0, 0, 0]
    const frames = Array.from({ length: o.length / 3 }, (_, i) => ({ originMm: home.map((h, c) => o[i * 3 + c] + h) }))
    await saveJson({ frames }, join(dirname(path), `${takeName(path)}.frames.json`))
  }
}

export function parseJson<T>(text: string, path: string): T {
  try {
    return JSON.parse(text) as T
  } catch (error) {
    throw new GeometryError('FORMAT', `"${path}" is not valid JSON: ${(error as Error).message}.`)
  }
}

export async function loadJson<T>(path: string): Promise<T> {
  const text = await readFile(path, 'utf8').catch(() => {
    throw new GeometryError('FORMAT', `There is no file "${path}".`)
  })
  return parseJson<T>(text, path)
}

export async function saveJson(value: unknown, path: string): Promise<void> {
  await mkdir(dirname(path) || '.', { recursive: true })
  await writeFile(path, `${JSON.stringify(value, null, 1)}\n`)
}
