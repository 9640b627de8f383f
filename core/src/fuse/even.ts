import { stage, type RunContext } from '../context'
import { meshAreaMm2 } from '../mesh/sample-surface'
import { deviationFrom, type Deviation } from '../remesh/deviation'
import type { Ground } from '../remesh/relax'
import { edgeForFaces, remesh } from '../remesh/remesh'
import type { TriangleMesh } from '../shapes'

export interface EvenOptions {
  /** Length edges are to have, mm. */
  readonly spacingMm: number
  /** So many triangles, whatever their edges come to. */
  readonly triangles?: number
  /** Larger triangles where the surface is flat. @defaultValue false */
  readonly largeWhereFlat?: boolean
}

/** A triangle may lie off the field by this share of its edge. */
const MOST_OFF = 0.05
/** Where it is flat, edges grow to so many times their length. */
const GROWTH = 6
/** A number of triangles is met within this share … */
const NEAR_ENOUGH = 0.02
/** … or as near as so many tries come. */
const TRIES = 3

/** A contour's surface with triangles of the size that was asked for, their points on the field that it was drawn from. */
export function withEvenTriangles(
  dense: TriangleMesh,
  ground: Ground,
  { spacingMm, triangles, largeWhereFlat }: EvenOptions,
  context: RunContext,
): { readonly mesh: TriangleMesh; readonly deviation: Deviation } {
  const growth = largeWhereFlat ? GROWTH : 1
  let edgeMm = triangles === undefined ? spacingMm : edgeForFaces(meshAreaMm2(dense), triangles)
  for (let attempt = 1; ; attempt++) {
    const part = stage(context, (attempt - 1) / TRIES, attempt / TRIES)
    const mesh = remesh(dense, ground, { edgeMm, offMm: MOST_OFF * edgeMm, growth }, part)
    const ratio = triangles === undefined ? 1 : mesh.indices.length / 3 / triangles
    if (Math.abs(ratio - 1) <= NEAR_ENOUGH || attempt === TRIES || mesh === dense)
      return { mesh, deviation: deviationFrom(mesh, ground) }
    edgeMm *= Math.sqrt(ratio)
  }
}
