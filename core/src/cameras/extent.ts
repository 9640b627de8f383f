import { boundsOf, type TriangleMesh } from '../shapes'

/** Middle of a surface's box, and half its diagonal, mm. */
export function extentOf({ positions }: TriangleMesh): { middle: [number, number, number]; size: number } {
  const { min, max } = boundsOf(positions)
  const middle = [0, 1, 2].map((c) => (min[c] + max[c]) / 2) as [number, number, number]
  return { middle, size: Math.hypot(max[0] - min[0], max[1] - min[1], max[2] - min[2]) / 2 }
}
