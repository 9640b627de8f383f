import { GeometryError } from '../errors'
import { boundaryLoops, edgeTopology } from '../mesh/topology'
import { weldVertices } from '../mesh/weld'
import type { TriangleMesh } from '../shapes'
import { filledMesh, type FillResult } from './fill-holes'
import { joinRings } from './join-rings'
import { RingFiller, type FillKind } from './ring-filler'

/**
 * Closes two rims that face each other with one band from the one to the other, so that a gap all round a piece, or a
 * crack, is closed along and not with two caps.
 * @param pair places of the two in the list of rims (`rimsOfMesh` of the welded mesh)
 * @throws EMPTY where there are no such rims, CONFLICT where a band would cross the surface
 */
export function bridgeHoles(input: TriangleMesh, pair: readonly [number, number], kind: FillKind): FillResult {
  const welded = weldVertices(input)
  const loops = boundaryLoops(welded, edgeTopology(welded))
  const [first, second] = pair.map((i) => loops[i])
  if (!first || !second || first === second)
    throw new GeometryError('EMPTY', 'A bridge needs two different rims; nothing was bridged.')
  const filler = new RingFiller(welded, [first.vertices, second.vertices])
  const ring = joinRings(welded.positions, first.vertices, second.vertices, (a, b) => filler.hasEdge(a, b))
  if (!ring) throw new GeometryError('CONFLICT', 'The two rims touch each other, so no band fits between them.')
  const plain = filler.plan(ring)
  const how = plain ? filler.closePlainly(plain, kind) : 'open'
  if (how === 'open')
    throw new GeometryError('CONFLICT', 'Every band between the two rims would cross the surface; nothing was bridged.')
  return {
    mesh: filledMesh(welded, [first, second], filler, kind),
    closedHoles: 2,
    leftOpen: loops.length - 2,
    refused: [],
    flatter: how === 'asked' ? 0 : 1,
    facesAdded: filler.facesAdded,
  }
}
