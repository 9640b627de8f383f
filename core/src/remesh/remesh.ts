import { checkpoint, stage, type RunContext } from '../context'
import { GeometryError } from '../errors'
import { findCrossings } from '../mesh/crossings'
import type { TriangleMesh } from '../shapes'
import { CellIndex } from '../spatial/cell-index'
import { collapseShort, splitLong } from './edits'
import { flipForAngles, flipForValence } from './flips'
import { balance, relax, type Ground } from './relax'
import { sizeByCurvature } from './sizes'
import { uncross } from './calm'
import { WorkingMesh } from './working-mesh'

export interface RemeshOptions {
  /** Length edges are to have, mm, > 0: the longest there are to be, unless they may grow. */
  readonly edgeMm: number
  /** A triangle may lie so far off the surface it spans, mm: edges get shorter where it bends more. */
  readonly offMm?: number
  /** Where the surface bends little edges may grow to so many times `edgeMm`. @defaultValue 1 */
  readonly growth?: number
  /** How long edges may be at each point of the mesh at most, mm; left out, as long as the rest says. */
  readonly capsMm?: Float64Array
  /** 1 for points of the mesh that stay where they are. */
  readonly held?: Uint8Array
  /** Rounds of splitting, collapsing, turning and relaxing. @defaultValue 4 */
  readonly rounds?: number
}

export const REMESH_DEFAULTS = { rounds: 4, growth: 1 } as const

/** An edge is split over, and taken away under, so many times the wanted length (Botsch and Kobbelt 2004). */
const LONG = 4 / 3
const SHORT = 4 / 5
/** Bounds under which edges go when many have to: from a dense mesh to the wanted length by stages. */
const STAGES = [0.35, 0.5, 0.65, SHORT]
/** The round from which edges are as long as the surface there allows; before, it is too rough to say. */
const SIZED_FROM = 2
/** Edges do not get shorter than so much of what was asked, however the surface bends. */
const SHORTEST = 0.5
/** So often it is tried to keep what is needed of the surface's own triangles. */
const ATTEMPTS = 3
/** Triangles on an edge squared: 2.309 were all of one size (geometry), some more as bends ask for smaller ones. */
const FACES_PER_EDGE2 = 2.36

/** Even triangles of an edge over an area. */
export const facesForEdge = (areaMm2: number, edgeMm: number): number => (FACES_PER_EDGE2 * areaMm2) / edgeMm ** 2
/** The edge of so many of them, mm. */
export const edgeForFaces = (areaMm2: number, faces: number): number => Math.sqrt((FACES_PER_EDGE2 * areaMm2) / faces)

/**
 * The same surface with triangles as even as can be: edges near one length, six faces round most points. Borders stay.
 * Points are laid on `ground` after each move, so nothing drifts. Where triangles of that size cannot follow the surface
 * without crossing (the two sides of a blade), those it had are kept: a surface without crossings stays one.
 * Source: Botsch and Kobbelt 2004, "A remeshing approach to multiresolution modeling" (SGP), from memory.
 * @throws PARAMS edge not positive · SHAPE the mesh is no surface
 */
export function remesh(mesh: TriangleMesh, ground: Ground, options: RemeshOptions, context: RunContext): TriangleMesh {
  const { edgeMm } = options
  if (!(edgeMm > 0) || !Number.isFinite(edgeMm))
    throw new GeometryError('PARAMS', `Edges must be longer than 0 mm, not ${edgeMm}.`)
  const held = options.held?.slice() ?? new Uint8Array(mesh.positions.length / 3)
  for (let attempt = 0; attempt < ATTEMPTS; attempt++) {
    // Hardly ever is there a second.
    const part = stage(context, 1 - 0.1 ** attempt, 1 - 0.1 ** (attempt + 1))
    const last = stage(part, 1, 1)
    const even = evenOut(mesh, ground, options, held, stage(part, 0, 0.8))
    const crossings = findCrossings(even, stage(part, 0.8, 1))
    if (crossings.length === 0) return even
    const free = uncross(even, crossings, edgeMm, last)
    // What was smoothed may have come upon something farther off.
    if (free && findCrossings(free, last).length === 0) return free
    holdNear(mesh, even, crossings, (attempt + 1) * edgeMm, held)
  }
  return mesh
}

function evenOut(
  mesh: TriangleMesh,
  ground: Ground,
  { edgeMm, offMm, capsMm, growth = REMESH_DEFAULTS.growth, rounds = REMESH_DEFAULTS.rounds }: RemeshOptions,
  heldPoints: Uint8Array,
  context: RunContext,
): TriangleMesh {
  let held = heldPoints
  const working = new WorkingMesh(mesh, edgeMm)
  if (capsMm) working.caps.set(capsMm)
  const { topology } = working
  const isFixed = (point: number): boolean => held[point] === 1 || topology.isBorderPoint(point)
  /** A point between two that stay on a line stays on it, too. */
  const holdBetween = (point: number, a: number, b: number): void => {
    if (held[a] !== 1 || held[b] !== 1) return
    if (point >= held.length) {
      const more = new Uint8Array(Math.ceil(point * 1.5) + 1)
      more.set(held)
      held = more
    }
    held[point] = 1
  }
  const isHeld = (h: number): boolean => held[topology.origin(h)] === 1 && held[topology.tip(h)] === 1
  for (let round = 0; round < rounds; round++) {
    checkpoint(context, round, rounds, 'Evening out the triangles')
    if (offMm !== undefined && (round === SIZED_FROM || (round > SIZED_FROM && round === rounds - 1)))
      sizeByCurvature(working, { shortestMm: SHORTEST * edgeMm, longestMm: growth * edgeMm, offMm })
    if (round > 0) splitLong(working, LONG, holdBetween)
    const many = round === 0 || (growth > 1 && round >= SIZED_FROM)
    for (const under of many ? STAGES : [SHORT]) collapseShort(working, under, LONG, isFixed)
    if (many) {
      // Most of a dense mesh is gone now; what is left is walked faster closed up.
      const was = working.compact()
      const before = held
      held = Uint8Array.from(was, (v) => before[v] ?? 0)
    }
    flipForValence(working, isHeld)
    relax(working, ground, isFixed)
  }
  flipForAngles(working, isHeld)
  relax(working, ground, isFixed)
  balance(working, ground, isFixed)
  return working.toMesh()
}

/** Marks the points of a mesh that lie near faces of another which cross. */
function holdNear(
  { positions: p }: TriangleMesh,
  other: TriangleMesh,
  faces: Uint32Array,
  reachMm: number,
  held: Uint8Array,
): void {
  const cells = new CellIndex(p, reachMm)
  for (const corner of new Set(Array.from(faces, (f) => [0, 1, 2].map((c) => other.indices[f * 3 + c])).flat())) {
    const [x, y, z] = other.positions.subarray(corner * 3, corner * 3 + 3)
    for (const cell of cells.around(x, y, z))
      for (let i = cells.start[cell]; i < cells.start[cell + 1]; i++) {
        const v = cells.items[i] * 3
        if (Math.hypot(p[v] - x, p[v + 1] - y, p[v + 2] - z) <= reachMm) held[v / 3] = 1
      }
  }
}
