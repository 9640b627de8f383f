/** Half-edges that leave each vertex, in one list: those of vertex v are items[start[v]] … items[start[v + 1] − 1]. */
export interface VertexRings {
  readonly start: Uint32Array
  readonly items: Uint32Array
}

export function vertexRings(indices: Uint32Array, vertices: number): VertexRings {
  const start = new Uint32Array(vertices + 1)
  for (let h = 0; h < indices.length; h++) start[indices[h] + 1]++
  for (let v = 0; v < vertices; v++) start[v + 1] += start[v]
  const items = new Uint32Array(indices.length)
  const at = start.slice(0, vertices)
  for (let h = 0; h < indices.length; h++) items[at[indices[h]]++] = h
  return { start, items }
}
