/** Mean of interleaved xyz points, mm. */
export function meanPoint(p: ArrayLike<number>): [number, number, number] {
  let x = 0,
    y = 0,
    z = 0
  for (let i = 0; i < p.length; i += 3) {
    x += p[i]
    y += p[i + 1]
    z += p[i + 2]
  }
  const n = p.length / 3
  return [x / n, y / n, z / n]
}
