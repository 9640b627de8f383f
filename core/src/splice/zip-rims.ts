/**
 * A band between two rims that run along each other a little apart: from the nearest pair of points on, each next
 * triangle takes the shorter of the two diagonals (after Christiansen & Sederberg 1978, Conversion of complex contour
 * line definitions into polygonal element mosaics).
 * @param first points of a rim in the order in which a filling runs @param second likewise; it runs the other way round
 * @returns corners of the faces, three each
 */
export function zipRims(p: Float32Array, first: Int32Array, second: Int32Array): number[] {
  const n = first.length,
    m = second.length
  const gap2 = (a: number, b: number): number =>
    (p[a * 3] - p[b * 3]) ** 2 + (p[a * 3 + 1] - p[b * 3 + 1]) ** 2 + (p[a * 3 + 2] - p[b * 3 + 2]) ** 2
  // Any point of the first will do to begin with; of the second, the nearest to it.
  let start = 0
  for (let k = 1; k < m; k++) if (gap2(first[0], second[k]) < gap2(first[0], second[start])) start = k
  const a = (i: number): number => first[i % n]
  const b = (j: number): number => second[(((start - j) % m) + m) % m]
  const faces: number[] = []
  let i = 0,
    j = 0
  while (i < n || j < m) {
    const alongFirst = j >= m || (i < n && gap2(a(i + 1), b(j)) <= gap2(a(i), b(j + 1)))
    if (alongFirst) faces.push(a(i), a(++i), b(j))
    else faces.push(b(j + 1), b(j++), a(i))
  }
  return faces
}
