import { stage, type RunContext } from '../context'
import { vertexNormals } from '../mesh/normals'
import { meshAreaMm2 } from '../mesh/sample-surface'
import { deviationFrom, type Deviation } from '../remesh/deviation'
import type { Ground } from '../remesh/relax'
import { edgeForFaces, remesh, type RemeshOptions } from '../remesh/remesh'
import type { TriangleMesh } from '../shapes'
import type { FusePoints } from './points'
import { supportOf } from './support'

export interface EvenOptions {
  /** Length edges are to have, mm. */
  readonly spacingMm: number
  /** So many triangles, whatever their edges come to. */
  readonly triangles?: number
  /** Larger triangles where the surface is flat and was seen. @defaultValue false */
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

/**
 * A contour's surface with triangles of the size that was asked for, their points on the field it was drawn from. Where
 * they may grow, they do so from an even surface and only where points hold it: a large triangle over a place that no
 * take saw would have corners that were measured.
 */
export function withEvenTriangles(
  dense: TriangleMesh,
  ground: Ground,
  points: FusePoints,
  { spacingMm, triangles, largeWhereFlat }: EvenOptions,
  context: RunContext,
): { readonly mesh: TriangleMesh; readonly deviation: Deviation } {
  const grows = largeWhereFlat === true
  let from = dense,
    grown: Partial<RemeshOptions> = {}
  if (grows) {
    from = remesh(dense, ground, { edgeMm: spacingMm, offMm: MOST_OFF * spacingMm }, stage(context, 0, 0.6))
    const { measured } = supportOf(from.positions, vertexNormals(from), points, stage(context, 0.6, 0.65))
    grown = { growth: GROWTH, capsMm: Float64Array.from(measured, (m) => (m ? Infinity : spacingMm)) }
  }
  const rest = stage(context, grows ? 0.65 : 0, 1)
  let edgeMm = triangles === undefined ? spacingMm : edgeForFaces(meshAreaMm2(dense), triangles)
  for (let attempt = 1; ; attempt++) {
    const part =
      triangles === undefined ? rest : stage(rest, (attempt - 1) / TRIES, attempt === TRIES ? 1 : attempt / TRIES)
    const mesh = remesh(from, ground, { edgeMm, offMm: MOST_OFF * edgeMm, ...grown }, part)
    const ratio = triangles === undefined ? 1 : mesh.indices.length / 3 / triangles
    if (Math.abs(ratio - 1) <= NEAR_ENOUGH || attempt === TRIES || mesh === from)
      return { mesh, deviation: deviationFrom(mesh, ground) }
    edgeMm *= Math.sqrt(ratio)
  }
}
