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
