import type { TriangleMesh } from '../shapes'

/** Middle of a surface's box, and half its diagonal, mm. */
export function extentOf({ positions: p }: TriangleMesh): { middle: [number, number, number]; size: number } {
  const low = [Infinity, Infinity, Infinity],
    high = [-Infinity, -Infinity, -Infinity]
  for (let i = 0; i < p.length; i++) {
    low[i % 3] = Math.min(low[i % 3], p[i])
    high[i % 3] = Math.max(high[i % 3], p[i])
  }
  const middle = low.map((l, c) => (l + high[c]) / 2) as [number, number, number]
  return { middle, size: Math.hypot(...low.map((l, c) => high[c] - l)) / 2 }
}
