import { stage, type RunContext } from '../context'
import { writeShape } from '../formats/write'
import type { WriteFormat } from '../formats/kinds'
import type { TriangleMesh } from '../shapes'
import { simplifyMesh, type SimplifyResult } from '../simplify/simplify'

/** A file that comes out larger, or a good deal smaller, is tried again so often, each time for so much of its room. */
const ROUNDS = 4
const LESS = 0.995
/** A file that fills less of its room than this could hold more. */
const FULL = 0.95
/** No closed mesh has fewer faces. */
const LEAST_FACES = 4
const HELD = 1.02

/** How large a shape is as a file of a format, bytes: it is written, and not kept. */
export function fileBytes(mesh: TriangleMesh, format: WriteFormat): number {
  let bytes = 0
  for (const part of writeShape(mesh, format)) bytes += part.byteLength
  return bytes
}

export interface Fitted {
  readonly simplified: SimplifyResult
  readonly bytes: number
}

/**
 * The most triangles whose file is no larger than so much. Files grow evenly with their triangles, so that what a
 * triangle takes is told by writing the mesh, and told anew by each one that came out wrong.
 * @param limits what else holds it @param room bytes
 */
export function simplifyToFile(
  mesh: TriangleMesh,
  format: WriteFormat,
  room: number,
  limits: { readonly faces?: number; readonly deviationMm?: number },
  context: RunContext,
): Fitted {
  const all = mesh.indices.length / 3
  const most = Math.min(all, limits.faces ?? Infinity)
  let faces = Math.min(most, Math.floor((room * all) / fileBytes(mesh, format)))
  for (let round = 1; ; round++) {
    const simplified = simplifyMesh(
      mesh,
      { ...limits, faces: Math.max(LEAST_FACES, faces) },
      stage(context, (round - 1) / ROUNDS, round / ROUNDS),
    )
    const bytes = fileBytes(simplified.mesh, format)
    const left = simplified.mesh.indices.length / 3
    // With more than was asked for something else held it, and asking for less would change nothing.
    const isHeld = left > Math.max(LEAST_FACES, faces) * HELD
    const fits = bytes <= room && (bytes > FULL * room || faces >= most)
    if (fits || isHeld || round === ROUNDS) return { simplified, bytes }
    faces = Math.min(most, Math.floor((LESS * room * left) / bytes))
  }
}
