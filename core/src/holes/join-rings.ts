/**
 * Two rims made one ring by a seam that is walked twice: across the shortest gap between them that is no edge yet.
 * @param isEdge whether the mesh has an edge between two points already
 * @returns null where every gap has one, or where the rims share a point
 */
export function joinRings(
  p: Float32Array,
  first: Int32Array,
  second: Int32Array,
  isEdge: (a: number, b: number) => boolean,
): Int32Array | null {
  let best = Infinity,
    from = -1,
    to = -1
  for (let i = 0; i < first.length; i++)
    for (let k = 0; k < second.length; k++) {
      const a = first[i],
        b = second[k]
      const d = Math.hypot(p[a * 3] - p[b * 3], p[a * 3 + 1] - p[b * 3 + 1], p[a * 3 + 2] - p[b * 3 + 2])
      if (a === b) return null
      if (d >= best || isEdge(a, b)) continue
      best = d
      from = i
      to = k
    }
  if (from < 0) return null
  const turned = (ring: Int32Array, at: number): number[] => [...ring.subarray(at), ...ring.subarray(0, at + 1)]
  return Int32Array.from([...turned(first, from), ...turned(second, to)])
}
