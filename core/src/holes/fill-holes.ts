import { checkpoint, type RunContext } from '../context'
import { GeometryError } from '../errors'
import { unseenAt } from '../mesh/rims'
import { boundaryLoops, edgeTopology, type BoundaryLoop } from '../mesh/topology'
import { weldVertices } from '../mesh/weld'
import { withMoreFaces, withMorePoints, type TriangleMesh } from '../shapes'
import { facingRims } from './facing-rims'
import { islandsOf } from './islands'
import type { FreeSpace } from './lay-behind'
import { joinRings } from './join-rings'
import { RingFiller, type Closed, type FillKind, type Plain } from './ring-filler'

export type { FillKind }

export interface FillOptions {
  /** Close holes with a perimeter up to this, mm; Infinity closes all. */
  readonly perimeterMm: number
  /** Close only these, by their place in the list of rims (`rimsOfMesh` of the welded mesh). */
  readonly only?: readonly number[]
  /**
   * Follow the surface round the hole, span the rim with as little bend as can be, or follow it only as far as free
   * space allows. @defaultValue curved
   */
  readonly kind?: FillKind
  /** What a membrane must not stand in; without it, it follows the surface. */
  readonly inFree?: FreeSpace | null
  /** Rims that face each other across a gap get one band instead of two caps. @defaultValue false */
  readonly bands?: boolean
}

export interface FillResult {
  readonly mesh: TriangleMesh
  readonly closedHoles: number
  /** Not asked for, or such that everything laid over them would cross the surface. */
  readonly leftOpen: number
  /** Of those left open, the ones that were asked for, by the points of the mesh. */
  readonly refused: readonly BoundaryLoop[]
  /** Closed nearer to flat than asked for, as the curve would have crossed the surface. */
  readonly flatter: number
  readonly facesAdded: number
}

/**
 * Closes holes that follow the curvature round them: minimal triangulation of the loop, refined to the density of its
 * rim, then faired to join smoothly (Liepa 2003, "Filling holes in meshes", SGP). No patch crosses the surface or
 * another patch. An island in a hole becomes part of its patch. New points are marked as invented.
 */
export function fillHoles(input: TriangleMesh, options: FillOptions, context: RunContext): FillResult {
  if (!(options.perimeterMm > 0))
    throw new GeometryError('PARAMS', `The largest perimeter must be larger than 0 mm, not ${options.perimeterMm}.`)
  const welded = weldVertices(input)
  const loops = boundaryLoops(welded, edgeTopology(welded))
  const chosen = loops.map(
    (l, i) =>
      l.perimeterMm <= options.perimeterMm && l.vertices.length >= 3 && (!options.only || options.only.includes(i)),
  )
  const kind = options.kind ?? 'curved'
  const island = islandsOf(welded, loops)
  // An island belongs to its hole, whether it was asked for itself or not.
  island.forEach((hole, i) => (chosen[i] = hole >= 0 ? chosen[hole] : chosen[i]))
  const asked = loops.filter((_, i) => chosen[i])
  if (asked.length === 0)
    return { mesh: welded, closedHoles: 0, leftOpen: loops.length, refused: [], flatter: 0, facesAdded: 0 }
  const filler = new RingFiller(
    welded,
    asked.map((l) => l.vertices),
    context,
    options.inFree ?? null,
  )
  const holes = [...chosen.keys()].filter((i) => chosen[i] && island[i] < 0)
  const facing = options.bands
    ? facingRims(
        welded.positions,
        loops,
        (i) => chosen[i] && island[i] < 0 && !island.includes(i),
        (a, b) => filler.hasEdge(a, b),
      )
    : null
  // First the plainest way over each, so that no patch stands in the way of another; then as it was asked for.
  const plans = holes.flatMap((hole, n) => {
    checkpoint(context, n, 2 * holes.length, `Looking at hole ${n + 1} of ${holes.length}`)
    const other = facing?.[hole] ?? -1
    if (other >= 0 && other < hole) return []
    const inside = other >= 0 ? [other] : [...island.keys()].filter((i) => island[i] === hole)
    return plansFor(filler, welded.positions, loops, hole, inside)
  })
  const outcome = new Map<number, Closed>()
  plans.forEach(({ rims, ring, plain }, n) => {
    checkpoint(context, plans.length + n, 2 * plans.length, `Closing hole ${n + 1} of ${plans.length}`)
    const how = filler.close(ring, kind, plain)
    for (const i of rims) outcome.set(i, how)
  })
  checkpoint(context, 1, 1, 'Closing holes')
  const count = (...of: Closed[]): number => [...outcome.values()].filter((c) => of.includes(c)).length
  const closed = loops.filter((_, i) => outcome.has(i) && outcome.get(i) !== 'open')
  return {
    mesh: filledMesh(welded, closed, filler, kind),
    closedHoles: closed.length,
    leftOpen: loops.length - closed.length,
    refused: loops.filter((_, i) => outcome.get(i) === 'open'),
    flatter: kind === 'curved' ? count('flatter', 'fan') : count('fan'),
    facesAdded: filler.facesAdded,
  }
}

interface Planned {
  /** The rims that make up the ring, by their places in the list. */
  readonly rims: readonly number[]
  readonly ring: Int32Array
  readonly plain: Plain | null
}

/** One hole with what lies loose in it, or with the rim it faces, as one ring; where that cannot be, each for itself. */
function plansFor(
  filler: RingFiller,
  p: Float32Array,
  loops: readonly BoundaryLoop[],
  hole: number,
  inside: readonly number[],
): Planned[] {
  const rims = [hole, ...inside]
  let ring: Int32Array | null = loops[hole].vertices
  for (const i of inside) ring &&= joinRings(p, ring, loops[i].vertices, (a, b) => filler.hasEdge(a, b))
  const plain = ring && inside.length > 0 ? filler.plan(ring) : null
  if (ring && plain?.isClean) return [{ rims, ring, plain }]
  return rims.map((i) => ({ rims: [i], ring: loops[i].vertices, plain: filler.plan(loops[i].vertices) }))
}

/** What was closed is told apart from what was there; a flat patch has no points of its own to tell it by. */
export function filledMesh(
  welded: TriangleMesh,
  closed: readonly BoundaryLoop[],
  filler: RingFiller,
  kind: FillKind,
): TriangleMesh {
  const told =
    kind === 'flat'
      ? unseenAt(
          welded,
          closed.map((l) => l.vertices),
        )
      : welded.evidence
        ? welded
        : { ...welded, evidence: new Uint8Array(welded.positions.length / 3) }
  return withMoreFaces(withMorePoints(told, filler.places()), filler.indices())
}
