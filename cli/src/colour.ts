import { readdir } from 'node:fs/promises'
import { join } from 'node:path'
import Joi from 'joi'
import { bakeColour, encodeWith, GeometryError, runOperation, type RunContext } from '@holosoma/core'
import { cameraRecordsSchema, type CameraRecord } from '@holosoma/core/colour'
import { unwrap } from '@holosoma/core/unwrap'
import { context, type Common } from './commands'
import { decode, loadJson, loadMesh, saveShape, writeFormatOf } from './files'
import { readPhoto } from './photos'
import { print } from './report'

/** Dots an inch of places that nobody asked for, as much as hand-held copies are usually given (common practice). */
const USUAL_DPI = 100
const INCH_MM = 25.4

interface SheetSize {
  dpi?: number
  sheet?: number
}

/** A mesh with a place for each of its corners on one sheet, for those who paint elsewhere. */
export async function unwrapFile(
  input: string,
  output: string,
  { dpi, sheet, ...options }: Common & SheetSize,
): Promise<void> {
  if (writeFormatOf(output) !== 'glb')
    throw new GeometryError('FORMAT', `"${output}": places on a sheet are written into GLB alone.`)
  refuseBoth({ dpi, sheet })
  const mesh = await loadMesh(input)
  const size = sheet === undefined ? { texelMm: INCH_MM / (dpi ?? USUAL_DPI) } : { sheetPx: sheet }
  const { mesh: laid, texelMm, ...told } = unwrap(mesh, size, context(options))
  await saveShape(laid, output)
  print({ output, ...told, texelMm, dpi: INCH_MM / texelMm }, !!options.json)
}

/** Paints a mesh from photos whose cameras are known. */
export async function colourFile(
  input: string,
  output: string,
  { dpi, sheet, photos, cameras, ...options }: Common & SheetSize & { photos: string; cameras: string },
): Promise<void> {
  const format = writeFormatOf(output)
  if (format !== 'glb' && format !== 'obj' && format !== 'ply')
    throw new GeometryError(
      'FORMAT',
      `"${output}": colour is written as GLB or OBJ with its picture, or as PLY by points.`,
    )
  refuseBoth({ dpi, sheet })
  const records = await loadCameras(cameras)
  const here = new Set(await readdir(photos).catch(() => [] as string[]))
  const missing = records.find((r) => !here.has(r.file))
  if (missing) throw new GeometryError('FORMAT', `"${photos}" has no photo "${missing.file}".`)
  const mesh = await loadMesh(input)
  const begun = performance.now()
  const host: RunContext = {
    ...context(options),
    decodePicture: decode,
    encodePicture: async (pixels) => encodeWith((await import('sharp')).default)(pixels),
  }
  const { outputs, figures, findings } = await runOperation(
    bakeColour,
    { mesh, photos: { kind: 'photos', photos: records.map((r) => ({ read: () => readPhoto(join(photos, r.file)) })) } },
    { cameras: records, dpi: dpi ?? null, sheetPx: sheet ?? null },
    host,
  )
  const coloured = outputs.mesh
  if (coloured?.kind !== 'mesh') throw new Error('colouring gave no mesh')
  await saveShape(coloured, output)
  print(
    {
      output,
      ...figures,
      seconds: (performance.now() - begun) / 1000,
      peakMb: process.resourceUsage().maxRSS / 1024,
      findings,
    },
    !!options.json,
  )
}

function refuseBoth({ dpi, sheet }: SheetSize): void {
  if (dpi !== undefined && sheet !== undefined)
    throw new GeometryError('PARAMS', 'Say how dense the texels are, or how large the sheet is, not both.')
}

const fileSchema = Joi.object<{ photos: CameraRecord[] }>({ photos: cameraRecordsSchema.required() }).unknown(true)

async function loadCameras(path: string): Promise<CameraRecord[]> {
  const { value, error } = fileSchema.validate(await loadJson<unknown>(path), { convert: false })
  if (error) throw new GeometryError('FORMAT', `"${path}": ${error.details[0].message.replaceAll('"', '')}.`)
  const outside = value.photos.find((p) => /[/\\]/.test(p.file))
  if (outside) throw new GeometryError('FORMAT', `"${path}": "${outside.file}" is no plain file name.`)
  return value.photos
}
