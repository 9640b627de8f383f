import { movedFace } from './moved-face'
import type { WorkingMesh } from './working-mesh'

/** A face may turn by so much under one edit (cosine); more would fold it. */
const MOST_TURN = 0.5
/** Faces round a point after an edge there has gone. */
const MOST_FACES = 11
/** A new face's smallest height over its longest edge; less is a sliver. */
const LEAST_SHAPE = 0.12

/**
 * Splits edges longer than `over` times what is wanted there, the longest first by falling bounds.
 * @param onSplit hears of each new point and the ends it lies between
 */
export function splitLong(
  mesh: WorkingMesh,
  over: number,
  onSplit: (point: number, a: number, b: number) => void = () => undefined,
): void {
  const { topology } = mesh
  let longest = 0
  for (let h = 0; h < topology.halfEdges; h++)
    if (isOnce(mesh, h)) longest = Math.max(longest, mesh.squaredLength(h) / mesh.wanted(h) ** 2)
  // Each new edge is at most half as long as the one that was split, or as the longest of its faces.
  for (let bound = Math.sqrt(longest) / 1.5; ; bound /= 1.5) {
    const least = Math.max(over, bound)
    const end = topology.halfEdges
    for (let h = 0; h < end; h++) {
      if (!isOnce(mesh, h)) continue
      if (mesh.squaredLength(h) <= (least * mesh.wanted(h)) ** 2) continue
      const a = topology.origin(h),
        b = topology.tip(h)
      onSplit(mesh.split(h), a, b)
    }
    if (bound <= over) return
  }
}

/** Takes away edges shorter than `under` times what is wanted, where no edge gets longer than `over`. */
export function collapseShort(
  mesh: WorkingMesh,
  under: number,
  over: number,
  isFixed: (point: number) => boolean,
): void {
  const { topology } = mesh
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
      keep(mesh, a, b, size)
    } else {
      topology.shrink(h)
      mesh.places.set(middle, b * 3)
      keep(mesh, b, a, size)
    }
  }
}

/** One point stands for both ends of an edge that went. */
function keep(mesh: WorkingMesh, stays: number, goes: number, size: number): void {
  mesh.sizes[stays] = size
  mesh.caps[stays] = Math.min(mesh.caps[stays], mesh.caps[goes])
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
      const long = squared(p, u, to),
        along = squared(p, w, to)
      if (long > most || along > most) return false
      movedFace(p, o, u, w, to, face)
      const old = face[0] ** 2 + face[1] ** 2 + face[2] ** 2
      const fresh = face[3] ** 2 + face[4] ** 2 + face[5] ** 2
      const dot = face[0] * face[3] + face[1] * face[4] + face[2] * face[5]
      if (dot < MOST_TURN * Math.sqrt(old * fresh)) return false
      const longest = Math.max(
        long,
        along,
        (p[w] - p[u]) ** 2 + (p[w + 1] - p[u + 1]) ** 2 + (p[w + 2] - p[u + 2]) ** 2,
      )
      if (fresh < (LEAST_SHAPE * longest) ** 2 && fresh < old) return false
    }
    h = topology.onward(h)
    if (h === start) break
  }
  return true
}

const face = new Float64Array(6)
const squared = (p: Float64Array, at: number, to: Float64Array): number =>
  (to[0] - p[at]) ** 2 + (to[1] - p[at + 1]) ** 2 + (to[2] - p[at + 2]) ** 2
