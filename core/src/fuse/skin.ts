import { stage, type RunContext } from '../context'
import { GeometryError } from '../errors'
import type { TriangleMesh } from '../shapes'
import { median } from '../linear/samples'
import { medianSpacing } from '../cloud/spacing'
import { keepParts, type MeshPart } from '../mesh/components'
import { vertexNormals } from '../mesh/normals'
import { keepEdges, type EdgeChoice, type EdgeLines } from '../crease/keep-edges'
import { unbend } from '../remesh/calm'
import type { Deviation } from '../remesh/deviation'
import { apartShare, whereApart, type ApartShare } from './apart'
import { BRICK, BRICK_NODES, type BrickGrid } from './brick-grid'
import { activateCrossings, coarseField } from './coarse-field'
import { contourBricks } from './contour'
import { withEvenTriangles, type EvenOptions } from './even'
import { withEvidence, withoutInvented } from './evidence'
import { fieldGround } from './field-ground'
import { fineField } from './fine-field'
import { kernelRadius, layGrid } from './lay-grid'
import { gatherPoints, type FusePoints, type FuseTake } from './points'
import { splatPlanes, unbias, type SplatField } from './splat'
import { firmly, supportOf } from './support'
import { thinWalls, type ThinWalls } from './thin-walls'

export interface SkinOptions extends EvenOptions {
  /** Distance between grid nodes, and edge of the triangles, mm, > 0. */
  readonly spacingMm: number
  /** false leaves unseen parts open instead of closing them. @defaultValue true */
  readonly closed?: boolean
  /** Keep parts that stand apart from the largest one, where points show them. @defaultValue false */
  readonly allParts?: boolean
  /** All triangles of the contour, about nine to a spacing squared, instead of even ones. @defaultValue false */
  readonly dense?: boolean
  /** Whether edges that the points tell of are kept, and how readily they are believed. @defaultValue 'off' */
  readonly edges?: EdgeChoice
  /** Memory the fusing may use, bytes. @defaultValue 2 GiB */
  readonly maxBytes?: number
}

export const SKIN_DEFAULTS = { closed: true, allParts: false, maxBytes: 2 * 2 ** 30 } as const

export interface SkinResult {
  readonly mesh: TriangleMesh
  readonly pointSpacingMm: number
  readonly bricks: number
  /** Connected parts, the largest first: those that are in the mesh, and those that were left off. */
  readonly parts: readonly MeshPart[]
  readonly partsDropped: readonly MeshPart[]
  /** How far the even triangles lie off the fused field, mm; null for a dense skin. */
  readonly deviation: Deviation | null
  /** The edges that were kept; null where none were asked for. */
  readonly edges: EdgeLines | null
  /** Where takes that saw the same do not agree. */
  readonly apart: ApartShare
  /** Walls that this spacing does not hold. */
  readonly thin: ThinWalls
}

/** Share of the usual weight below which a node is unknown. */
const MIN_WEIGHT = 0.04
/** Share of the usual weight from which a part is shown by points. */
const SHOWN_WEIGHT = 0.12

/**
 * One surface from joined takes: oriented points are splatted into a sparse grid of signed distances, what no frame saw
 * is filled by a membrane that respects free space, and the zero surface is drawn by marching tetrahedra. The result is
 * closed, 2-manifold, outward-oriented, with `evidence` per vertex.
 * @throws PARAMS spacing not positive · MEMORY with the smallest spacing that fits · EMPTY
 */
export function makeSkin(takes: readonly FuseTake[], options: SkinOptions, context: RunContext): SkinResult {
  const h = options.spacingMm
  if (!(h > 0) || !Number.isFinite(h))
    throw new GeometryError('PARAMS', `The spacing must be larger than 0 mm, not ${h}.`)
  // Evening out the triangles takes as long as all that comes before it.
  const edges = options.edges ?? 'off'
  const done = edges === 'off' ? 0.95 : 0.65
  const drawn = options.dense ? done : 0.47 * done
  const work = stage(context, 0, drawn)
  const points = gatherPoints(takes)
  if (points.positions.length < 300)
    throw new GeometryError('EMPTY', `A skin needs at least 100 points; there are ${points.positions.length / 3}.`)
  const pointSpacing = medianSpacing(points)
  const radius = kernelRadius(h, pointSpacing)
  const grid = layGrid(
    points,
    pointSpacing,
    h,
    radius,
    options.maxBytes ?? SKIN_DEFAULTS.maxBytes,
    stage(work, 0, 0.08),
  )
  const splat = measuredField(grid, points, radius, stage(work, 0.08, 0.35))
  const usual = usualWeight(splat, h)
  const threshold = usual * MIN_WEIGHT
  const coarse = coarseField(grid, splat, threshold, points, stage(work, 0.35, 0.65))
  const splatSlots = grid.slotCount
  activateCrossings(grid, coarse)
  const values = fineField(grid, splatSlots, splat, threshold, coarse, stage(work, 0.65, 0.87))
  const whole: TriangleMesh = { kind: 'mesh', ...contourBricks(grid, values, 2 * h, stage(work, 0.87, 1)) }
  if (whole.indices.length === 0)
    throw new GeometryError('EMPTY', 'No surface came out: the points do not enclose anything at this spacing.')
  // A bubble that nobody measured is no part of the piece.
  const shown = shownBy(grid, splatSlots, splat.weight, usual * SHOWN_WEIGHT)
  const {
    mesh: dense,
    kept: parts,
    dropped,
  } = keepParts(whole, options.allParts ? (v) => shown(whole.positions, v) : undefined)
  const ground = fieldGround(grid, values)
  const { mesh: even, deviation } = options.dense
    ? { mesh: dense, deviation: null }
    : withEvenTriangles(dense, ground, points, options, stage(context, drawn, done))
  const before = supportOf(even.positions, vertexNormals(even), points, stage(context, done, done + 0.05))
  const calm = options.dense ? even : unbend(even, firmly(before), h, stage(context, done + 0.05, done + 0.05))
  const kept = edges === 'off' ? null : keepEdges(calm, points, edges, stage(context, done + 0.05, 0.95))
  const mesh = kept?.mesh ?? calm
  const support =
    mesh === calm ? before : supportOf(mesh.positions, vertexNormals(mesh), points, stage(context, 0.95, 1))
  const told = withEvidence(mesh, support, Math.max(h, pointSpacing))
  return {
    mesh: options.closed === false ? withoutInvented(told) : told,
    pointSpacingMm: pointSpacing,
    bricks: grid.slotCount,
    parts,
    partsDropped: dropped,
    deviation,
    edges: kept?.edges ?? null,
    apart: apartShare(mesh, whereApart(mesh.indices, support, h)),
    thin: thinWalls(points, h, stage(context, 1, 1)),
  }
}

/** The field near the points: the points' planes, less what they lie off on the mean. */
function measuredField(grid: BrickGrid, points: FusePoints, radiusMm: number, context: RunContext): SplatField {
  const field = splatPlanes(grid, points, radiusMm, stage(context, 0, 0.5))
  unbias(grid, points, radiusMm, field, stage(context, 0.5, 1))
  return field
}

/** Median weight of nodes next to the surface. */
function usualWeight({ field, weight }: SplatField, h: number): number {
  const found: number[] = []
  const step = Math.max(1, Math.floor(weight.length / 400000))
  for (let i = 0; i < weight.length; i += step)
    if (weight[i] > 0 && Math.abs(field[i] / weight[i]) < h / 2) found.push(weight[i])
  return median(found)
}

/** Whether points show a place of the contour: the node next to it has weight. */
function shownBy(
  grid: BrickGrid,
  splatSlots: number,
  weight: Float32Array,
  enough: number,
): (positions: Float32Array, vertex: number) => boolean {
  return (positions, vertex) => {
    const [x, y, z] = grid.originMm.map((o, c) => Math.round((positions[vertex * 3 + c] - o) / grid.spacingMm))
    const slot = grid.at(x >> 3, y >> 3, z >> 3)
    const node = slot * BRICK_NODES + ((z & 7) * BRICK + (y & 7)) * BRICK + (x & 7)
    return slot >= 0 && slot < splatSlots && weight[node] >= enough
  }
}
