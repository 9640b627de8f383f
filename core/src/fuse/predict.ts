import { BRICK, BRICK_NODES } from './brick-grid'

/** Bytes a grid node costs through the whole run, measured on the demo piece. */
export const BYTES_PER_NODE = 22

/**
 * Faces expected at a spacing: marching tetrahedra on Kuhn's subdivision cut 4.49 edges per spacing² on average, twice
 * that many faces.
 */
export function predictFaces(areaMm2: number, spacingMm: number): number {
  return (8.97 * areaMm2) / (spacingMm * spacingMm)
}

/** Memory a skin over so much surface will take, bytes. */
export function predictBytes(areaMm2: number, spacingMm: number): number {
  // A band of bricks about 2.4 deep, plus what the faces need (three indices, half a vertex with its neighbours).
  const bricks = (areaMm2 / (spacingMm * BRICK) ** 2) * 2.4
  return bricks * BRICK_NODES * BYTES_PER_NODE + predictFaces(areaMm2, spacingMm) * 90
}

/** What is known of joined takes before their skin is made. */
export interface SkinGround {
  /** Of the surface they show together. */
  readonly areaMm2: number
  readonly points: number
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

/** Kernel radius in grid nodes, and in point spacings where points lie far apart: as the skin lays it. */
const KERNEL_NODES = 2.3
const KERNEL_POINTS = 2.2

/**
 * The one forecast of a skin, for every station that speaks of it before it is made. Work: a start, a visit to each
 * point, each point's kernel, and the faces; the weights are fitted to the lamp at 0.25 to 2.5 mm with 57,000 to 342,000
 * points.
 */
export function forecastSkin({ areaMm2, points }: SkinGround, spacingMm: number): SkinForecast {
  const faces = predictFaces(areaMm2, spacingMm)
  const pointSpacingMm = points > 0 ? Math.sqrt(areaMm2 / points) : 0
  const radius = Math.max(KERNEL_NODES, (KERNEL_POINTS * pointSpacingMm) / spacingMm)
  return {
    faces,
    memoryBytes: predictBytes(areaMm2, spacingMm),
    stlBytes: stlBytes(faces),
    work: 0.25 + (points / 1e6) * (0.9 + 0.17 * radius ** 3) + (faces / 1e6) * 3.2,
  }
}

/** Of the distance points lie apart: finer says no more than the points do. */
const OF_POINTS = 0.85

/** A spacing for a skin where nobody says how fine it is to be, mm: what the points hold, to two digits. */
export const spacingForPoints = (pointSpacingMm: number): number => Number((OF_POINTS * pointSpacingMm).toPrecision(2))
