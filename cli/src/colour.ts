import { GeometryError } from '@holosoma/core'
import { unwrap } from '@holosoma/core/unwrap'
import { context, type Common } from './commands'
import { loadMesh, saveShape, writeFormatOf } from './files'
import { print } from './report'

/** Dots an inch of places that nobody asked for, as much as hand-held copies are usually given (common practice). */
const USUAL_DPI = 100
const INCH_MM = 25.4

/** A mesh with a place for each of its corners on one sheet, for those who paint elsewhere. */
export async function unwrapFile(
  input: string,
  output: string,
  { dpi, sheet, ...options }: Common & { dpi?: number; sheet?: number },
): Promise<void> {
  if (writeFormatOf(output) !== 'glb')
    throw new GeometryError('FORMAT', `"${output}": places on a sheet are written into GLB alone.`)
  if (dpi !== undefined && sheet !== undefined)
    throw new GeometryError('PARAMS', 'Say how dense the texels are, or how large the sheet is, not both.')
  const mesh = await loadMesh(input)
  const size = sheet === undefined ? { texelMm: INCH_MM / (dpi ?? USUAL_DPI) } : { sheetPx: sheet }
  const { mesh: laid, texelMm, ...told } = unwrap(mesh, size, context(options))
  await saveShape(laid, output)
  print({ output, ...told, texelMm, dpi: INCH_MM / texelMm }, !!options.json)
}
