import type { WorkingMesh } from './working-mesh'

/** A face may turn by so much under one edit (cosine); more would fold it. */
const MOST_TURN = 0.5
/** Faces round a point after an edge there has gone. */
const MOST_FACES = 11
/** A new face's smallest height over its longest edge; less is a sliver. */
const LEAST_SHAPE = 0.12

/** Splits edges longer than `over` times what is wanted there, the longest first by falling bounds. @returns how many */
export function splitLong(mesh: WorkingMesh, over: number): number {
  const { topology } = mesh
  let longest = 0
  for (let h = 0; h < topology.halfEdges; h++)
    if (isOnce(mesh, h)) longest = Math.max(longest, mesh.squaredLength(h) / mesh.wanted(h) ** 2)
  let done = 0
  // Each new edge is at most half as long as the one that was split, or as the longest of its faces.
  for (let bound = Math.sqrt(longest) / 1.5; ; bound /= 1.5) {
    const least = Math.max(over, bound)
    const end = topology.halfEdges
    for (let h = 0; h < end; h++) {
      if (!isOnce(mesh, h)) continue
      if (mesh.squaredLength(h) <= (least * mesh.wanted(h)) ** 2) continue
      mesh.split(h)
      done++
    }
    if (bound <= over) return done
  }
}

/** Takes away edges shorter than `under` times what is wanted, where no edge gets longer than `over`. @returns how many */
export function collapseShort(
  mesh: WorkingMesh,
  under: number,
  over: number,
  isFixed: (point: number) => boolean,
): number {
  const { topology } = mesh
  let done = 0
  const middle = new Float64Array(3)
  for (let h = 0; h < topology.halfEdges; h++) {
    if (!isOnce(mesh, h)) continue
    const size = mesh.wanted(h)
    if (mesh.squaredLength(h) >= (under * size) ** 2) continue
    const a = topology.origin(h),
      b = topology.tip(h)
    const aFixed = isFixed(a),
      bFixed = isFixed(b)
    if (aFixed && bFixed) continue
    if (topology.valence(a) + topology.valence(b) - 4 > MOST_FACES) continue
    const share = aFixed ? 0 : bFixed ? 1 : 0.5
    for (let c = 0; c < 3; c++)
      middle[c] = mesh.places[a * 3 + c] + share * (mesh.places[b * 3 + c] - mesh.places[a * 3 + c])
    if (!topology.canCollapse(h)) continue
    const most = (over * size) ** 2
    if (!staysSound(mesh, a, b, middle, most) || !staysSound(mesh, b, a, middle, most)) continue
    // The tip stays; where the beginning is held, the edge goes the other way.
    if (aFixed) {
      const t = topology.twin(h)
      if (t < 0) continue
      topology.shrink(t)
      mesh.places.set(middle, a * 3)
      mesh.sizes[a] = size
    } else {
      topology.shrink(h)
      mesh.places.set(middle, b * 3)
      mesh.sizes[b] = size
    }
    done++
  }
  return done
}

/** Each edge by one of its halves. */
const isOnce = (mesh: WorkingMesh, h: number): boolean => !mesh.topology.isGone(h) && mesh.topology.twin(h) < h

/**
 * Whether the faces round `point`, but for those that hold `other`, stay as they face, keep a shape, and get no edge
 * longer than √`most`, when it moves to `to`.
 */
function staysSound(mesh: WorkingMesh, point: number, other: number, to: Float64Array, most: number): boolean {
  const { topology, places: p } = mesh
  const start = topology.first(point)
  const o = point * 3
  for (let h = start; h >= 0;) {
    const u = topology.tip(h) * 3,
      w = topology.apex(h) * 3
    if (u !== other * 3 && w !== other * 3) {
      const ex = p[w] - p[u],
        ey = p[w + 1] - p[u + 1],
        ez = p[w + 2] - p[u + 2]
      const ax = p[o] - p[u],
        ay = p[o + 1] - p[u + 1],
        az = p[o + 2] - p[u + 2]
      const bx = to[0] - p[u],
        by = to[1] - p[u + 1],
        bz = to[2] - p[u + 2]
      const long = bx * bx + by * by + bz * bz
      if (long > most) return false
      const cx = to[0] - p[w],
        cy = to[1] - p[w + 1],
        cz = to[2] - p[w + 2]
      const along = cx * cx + cy * cy + cz * cz
      if (along > most) return false
      const mx = ey * az - ez * ay,
        my = ez * ax - ex * az,
        mz = ex * ay - ey * ax
      const nx = ey * bz - ez * by,
        ny = ez * bx - ex * bz,
        nz = ex * by - ey * bx
      const old = mx * mx + my * my + mz * mz
      const fresh = nx * nx + ny * ny + nz * nz
      const dot = mx * nx + my * ny + mz * nz
      if (dot < MOST_TURN * Math.sqrt(old * fresh)) return false
      const longest = Math.max(long, along, ex * ex + ey * ey + ez * ez)
      if (fresh < (LEAST_SHAPE * longest) ** 2 && fresh < old) return false
    }
    h = topology.onward(h)
    if (h === start) break
  }
  return true
}
