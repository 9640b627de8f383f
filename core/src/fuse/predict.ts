import type { EdgeChoice } from '../crease/keep-edges'
import { edgeForFaces, facesForEdge } from '../remesh/remesh'
import { BRICK, BRICK_NODES } from './brick-grid'

/** Bytes a grid node costs through the whole run, measured on the demo piece. */
export const BYTES_PER_NODE = 22

/** Marching tetrahedra on Kuhn's subdivision cut 4.49 edges per spacing² on average, twice that many faces. */
const DENSE_FACES = 8.97

/** Triangles of one size on an edge squared (geometry), and the most that bends can make of them. */
const FLAT_FACES = 4 / Math.sqrt(3)
const MOST_FACES = 4 * FLAT_FACES

/**
 * How the smaller triangles along bends grow in number with the spacing, up to the one they were counted at: between a
 * sharp edge, whose band of them is as wide as the spacing, and a round, which a finer spacing follows. Beyond, as edges.
 */
const BEND_POWER = 1.5

/** How much a surface bends: how many more triangles there were on an edge squared than of one size, at which spacing. */
export interface Bend {
  readonly more: number
  readonly atMm: number
}

/** Even triangles expected at a spacing. @param bend left out: of a smooth piece */
export function predictFaces(areaMm2: number, spacingMm: number, bend?: Bend): number {
  if (!bend) return facesForEdge(areaMm2, spacingMm)
  const ratio = spacingMm / bend.atMm
  const more = bend.more * (ratio < 1 ? ratio ** BEND_POWER : ratio)
  return (Math.min(MOST_FACES, FLAT_FACES + more) * areaMm2) / spacingMm ** 2
}

/** What so many triangles at a spacing say of how a surface bends. */
export const bendOf = (areaMm2: number, spacingMm: number, faces: number): Bend => ({
  more: Math.max(0, (faces * spacingMm ** 2) / areaMm2 - FLAT_FACES),
  atMm: spacingMm,
})

/** Faces of the contour they are made from: a dense skin. */
export const predictDenseFaces = (areaMm2: number, spacingMm: number): number =>
  (DENSE_FACES * areaMm2) / spacingMm ** 2
/** The spacing at which a surface has so many even triangles, mm. */
export const spacingForFaces = edgeForFaces

/** Bytes a face of the contour costs while triangles are evened out: three indices, twins and their sorting, points. */
export const BYTES_PER_DENSE_FACE = 180

/** Memory a skin over so much surface will take, bytes. */
export function predictBytes(areaMm2: number, spacingMm: number): number {
  // A band of bricks about 2.4 deep, plus what the faces need.
  const bricks = (areaMm2 / (spacingMm * BRICK) ** 2) * 2.4
  return bricks * BRICK_NODES * BYTES_PER_NODE + predictDenseFaces(areaMm2, spacingMm) * BYTES_PER_DENSE_FACE
}

/** What is known of joined takes before their skin is made. */
export interface SkinGround {
  /** Of the surface the skin will have. */
  readonly areaMm2: number
  /** How much it bends, see `predictFaces`; without it the triangles are told as of a smooth piece. */
  readonly bend?: Bend
  /** Of the box round the piece; without it the work is told too small by what closing takes. */
  readonly extentMm?: readonly number[]
  /** Of all takes; without it the work is told too small by what fusing them takes. */
  readonly points?: number
}

/** How the skin's triangles are asked for. */
export interface SkinAsked {
  /** All triangles of the contour. */
  readonly dense?: boolean
  /** So many, whatever the spacing. */
  readonly triangles?: number | null
  /** Edges are looked for and kept. */
  readonly edges?: EdgeChoice
}

/** What a skin will come to. */
export interface SkinForecast {
  readonly faces: number
  readonly memoryBytes: number
  /** Of a binary STL: 84 bytes, and 50 for each face. */
  readonly stlBytes: number
  /** Units of work; how long one takes on a machine follows from the skins it made. */
  readonly work: number
}

/** A binary STL: 84 bytes and 50 for each face (the format's own layout). */
export const stlBytes = (faces: number): number => 84 + 50 * faces

/** Nodes of the coarse grid on which what no take saw is closed: at most so many. */
export const MAX_COARSE_NODES = 1_500_000

/** How much coarser that grid is, for a fine one of so many nodes: a power of two. */
export function coarseFactor(nodes: readonly number[]): number {
  let factor = 2
  while (coarseNodes(nodes, factor) > MAX_COARSE_NODES) factor *= 2
  return factor
}
const coarseNodes = (nodes: readonly number[], factor: number): number =>
  nodes.reduce((n, v) => n * (Math.ceil(v / factor) + 1), 1)

/** Room round the points, in spacings, as the skin's grid has it. */
const ROOM_NODES = 2 * 9

/**
 * The one forecast of a skin, for every station that speaks of it before it is made. Work: a start, the contour's faces,
 * the coarse grid and the points; the weights are fitted to skins at 0.29 to 2.2 mm with 5,000 to 28,000 points
 * (`benchmarks/skin-forecast.ts`).
 */
export function forecastSkin(
  { areaMm2, extentMm, bend, points = 0 }: SkinGround,
  spacingMm: number,
  { dense = false, triangles, edges = 'off' }: SkinAsked = {},
): SkinForecast {
  const contour = predictDenseFaces(areaMm2, spacingMm)
  const faces = dense ? contour : (triangles ?? predictFaces(areaMm2, spacingMm, bend))
  const nodes = extentMm?.map((e) => e / spacingMm + ROOM_NODES)
  const coarse = nodes ? coarseNodes(nodes, coarseFactor(nodes)) : 0
  return {
    faces,
    memoryBytes: predictBytes(areaMm2, spacingMm),
    stlBytes: stlBytes(faces),
    work:
      WORK.start +
      (contour / 1e6) * ((dense ? WORK.dense : WORK.even) + (edges === 'off' ? 0 : WORK.edges)) +
      (coarse / 1e6) * WORK.coarse +
      (points / 1e6) * WORK.points,
  }
}

/** Units of work to begin with, and for a million faces of the contour, nodes of the coarse grid, and points. */
const WORK = { start: 0.09, dense: 2.7, even: 6.5, edges: 5, coarse: 0.9, points: 15 } as const

/** Of the distance points lie apart: finer says no more than the points do. */
const OF_POINTS = 0.85

/** A spacing for a skin where nobody says how fine it is to be, mm: what the points hold, to two digits. */
export const spacingForPoints = (pointSpacingMm: number): number => Number((OF_POINTS * pointSpacingMm).toPrecision(2))
