import type { TriangleMesh } from '../shapes'
import { closestOnTriangle } from './closest-on-triangle'
import { radixOrder, spreadBits } from './cell-index'
import { rayFaceMm } from './ray-face'

const LEAF = 4

/** What `closest` found: in `result`, because a query must not allocate. */
export interface ClosestHit {
  distance2: number
  face: number
  x: number
  y: number
  z: number
  /** Barycentric coordinates of the hit in its face. */
  u: number
  v: number
  w: number
}

/**
 * Boxes over triangles: faces sorted by the Morton code of their middles, then a complete binary tree of boxes over
 * leaves of four (linear bounding volume hierarchy: Lauterbach et al. 2009, with the splits of the implicit complete
 * tree). O(n log n) build; not re-entrant.
 */
export class TriangleBvh {
  /** Faces in tree order. */
  readonly order: Uint32Array
  private readonly boxes: Float32Array
  private readonly leaves: number
  private readonly stack = new Int32Array(128)
  private readonly share = new Float64Array(2)
  readonly result: ClosestHit = { distance2: Infinity, face: -1, x: 0, y: 0, z: 0, u: 1, v: 0, w: 0 }

  constructor(readonly mesh: TriangleMesh) {
    const { positions: p, indices } = mesh
    const faces = indices.length / 3
    this.order = mortonOrder(p, indices)
    let leaves = 1
    while (leaves * LEAF < faces) leaves *= 2
    this.leaves = leaves
    const boxes = (this.boxes = new Float32Array(2 * leaves * 6))
    for (let i = 0; i < boxes.length; i += 6) {
      boxes[i] = boxes[i + 1] = boxes[i + 2] = Infinity
      boxes[i + 3] = boxes[i + 4] = boxes[i + 5] = -Infinity
    }
    for (let k = 0; k < faces; k++) {
      // Spread faces evenly over the leaves so that no branch is empty.
      const b = (leaves + this.leafOf(k, faces)) * 6
      const f = this.order[k] * 3
      for (let c = 0; c < 3; c++) {
        const v = indices[f + c] * 3
        for (let a = 0; a < 3; a++) {
          const x = p[v + a]
          if (x < boxes[b + a]) boxes[b + a] = x
          if (x > boxes[b + 3 + a]) boxes[b + 3 + a] = x
        }
      }
    }
    for (let n = leaves - 1; n >= 1; n--) {
      for (let a = 0; a < 3; a++) {
        boxes[n * 6 + a] = Math.min(boxes[n * 12 + a], boxes[n * 12 + 6 + a])
        boxes[n * 6 + 3 + a] = Math.max(boxes[n * 12 + 3 + a], boxes[n * 12 + 9 + a])
      }
    }
  }

  private leafOf(k: number, faces: number): number {
    return Math.floor((k * this.leaves) / faces)
  }

  /** The first of a leaf's faces, in tree order. */
  private leafStart(leaf: number, faces: number): number {
    return Math.ceil((leaf * faces) / this.leaves)
  }

  /** Nearest point of the surface within √`maxDistance2`; answer in `result`, false when there is none. */
  closest(x: number, y: number, z: number, maxDistance2 = Infinity): boolean {
    const { boxes, stack, leaves, order, result } = this
    const faces = order.length
    result.distance2 = maxDistance2
    result.face = -1
    let top = 0
    stack[0] = 1
    while (top >= 0) {
      const n = stack[top--]
      if (boxDistance2(boxes, n * 6, x, y, z) >= result.distance2) continue
      if (n >= leaves) {
        const to = this.leafStart(n - leaves + 1, faces)
        for (let k = this.leafStart(n - leaves, faces); k < to; k++) this.closestOnFace(order[k], x, y, z)
        continue
      }
      const a = boxDistance2(boxes, n * 12, x, y, z)
      const b = boxDistance2(boxes, n * 12 + 6, x, y, z)
      if (a < b) {
        if (b < result.distance2) stack[++top] = 2 * n + 1
        if (a < result.distance2) stack[++top] = 2 * n
      } else {
        if (a < result.distance2) stack[++top] = 2 * n
        if (b < result.distance2) stack[++top] = 2 * n + 1
      }
    }
    return result.face >= 0
  }

  /** Faces whose leaves' boxes meet a box: least x, y, z, greatest x, y, z. */
  facesIn(box: ArrayLike<number>): number[] {
    const { boxes, leaves, order, stack } = this
    const out: number[] = []
    let top = 0
    stack[0] = 1
    while (top >= 0) {
      const n = stack[top--]
      const b = n * 6
      if (
        boxes[b] > box[3] ||
        boxes[b + 3] < box[0] ||
        boxes[b + 1] > box[4] ||
        boxes[b + 4] < box[1] ||
        boxes[b + 2] > box[5] ||
        boxes[b + 5] < box[2]
      )
        continue
      if (n < leaves) {
        stack[++top] = 2 * n + 1
        stack[++top] = 2 * n
        continue
      }
      const to = this.leafStart(n - leaves + 1, order.length)
      for (let k = this.leafStart(n - leaves, order.length); k < to; k++) out.push(order[k])
    }
    return out
  }

  /**
   * The first face a ray meets, from either side; −1 where it meets none. Boxes are entered nearest first.
   * @param direction a unit vector @param withinMm what lies farther is not looked for
   */
  firstHit(
    origin: ArrayLike<number>,
    direction: ArrayLike<number>,
    withinMm = Infinity,
  ): { face: number; distanceMm: number } {
    const { boxes, stack, leaves, order } = this
    const { positions: p, indices } = this.mesh
    const faces = order.length
    const ox = origin[0],
      oy = origin[1],
      oz = origin[2],
      dx = direction[0],
      dy = direction[1],
      dz = direction[2]
    // Nothing is divided by nothing: along a wall of a box that would say neither in nor out.
    const ix = 1 / (dx || 1e-300),
      iy = 1 / (dy || 1e-300),
      iz = 1 / (dz || 1e-300)
    const entry = (at: number): number => rayBoxMm(boxes, at, ox, oy, oz, ix, iy, iz)
    let face = -1,
      best = withinMm,
      top = -1
    if (faces > 0 && entry(6) < best) stack[(top = 0)] = 1
    while (top >= 0) {
      const n = stack[top--]
      if (entry(n * 6) >= best) continue
      if (n >= leaves) {
        const to = this.leafStart(n - leaves + 1, faces)
        for (let k = this.leafStart(n - leaves, faces); k < to; k++) {
          const f = order[k] * 3
          const t = rayFaceMm(p, indices[f] * 3, indices[f + 1] * 3, indices[f + 2] * 3, ox, oy, oz, dx, dy, dz)
          if (t >= best) continue
          best = t
          face = order[k]
        }
        continue
      }
      const a = entry(n * 12),
        b = entry(n * 12 + 6)
      const near = a <= b ? 2 * n : 2 * n + 1
      if (Math.max(a, b) < best) stack[++top] = near ^ 1
      if (Math.min(a, b) < best) stack[++top] = near
    }
    return { face, distanceMm: best }
  }

  /**
   * Calls back once with every unordered pair of faces whose own boxes meet: the tree is walked against itself, level
   * by level. `each` may return false to stop; `tick` is called with the share done.
   */
  overlappingPairs(each: (f: number, g: number) => boolean, tick: (share: number) => void): void {
    const { boxes, leaves } = this
    const own = this.faceBoxes()
    // Node pairs of one level each; depth times the widest step is the most that can wait.
    const stack = new Int32Array(512)
    let top = 0
    stack[0] = 1
    stack[1] = 1
    let done = 0
    while (top >= 0) {
      const m = stack[top * 2]
      const n = stack[top * 2 + 1]
      top--
      if (m !== n) {
        const a = m * 6,
          b = n * 6
        if (
          boxes[b] > boxes[a + 3] ||
          boxes[b + 3] < boxes[a] ||
          boxes[b + 1] > boxes[a + 4] ||
          boxes[b + 4] < boxes[a + 1] ||
          boxes[b + 2] > boxes[a + 5] ||
          boxes[b + 5] < boxes[a + 2]
        )
          continue
      }
      if (m >= leaves) {
        if (m === n && (done++ & 255) === 0) tick(done / leaves)
        if (!this.leafPairs(m - leaves, n - leaves, own, each)) return
        continue
      }
      if (m !== n) {
        top++
        stack[top * 2] = 2 * m + 1
        stack[top * 2 + 1] = 2 * n
      }
      for (let k = 0; k < 3; k++) {
        top++
        stack[top * 2] = k === 2 ? 2 * m + 1 : 2 * m
        stack[top * 2 + 1] = k === 0 ? 2 * n : 2 * n + 1
      }
    }
  }

  private leafPairs(
    first: number,
    second: number,
    own: Float32Array,
    each: (f: number, g: number) => boolean,
  ): boolean {
    const { order } = this
    const faces = order.length
    const from = Math.ceil((first * faces) / this.leaves),
      to = Math.ceil(((first + 1) * faces) / this.leaves)
    const low = Math.ceil((second * faces) / this.leaves),
      high = Math.ceil(((second + 1) * faces) / this.leaves)
    for (let k = from; k < to; k++) {
      const i = k * 6
      for (let l = first === second ? k + 1 : low; l < high; l++) {
        const j = l * 6
        if (
          own[j] > own[i + 3] ||
          own[j + 3] < own[i] ||
          own[j + 1] > own[i + 4] ||
          own[j + 4] < own[i + 1] ||
          own[j + 2] > own[i + 5] ||
          own[j + 5] < own[i + 2]
        )
          continue
        if (!each(order[k], order[l])) return false
      }
    }
    return true
  }

  /** Box of each face, in tree order. */
  private faceBoxes(): Float32Array {
    const { positions: p, indices } = this.mesh
    const out = new Float32Array(this.order.length * 6)
    for (let k = 0; k < this.order.length; k++) {
      const f = this.order[k] * 3
      const a = indices[f] * 3,
        b = indices[f + 1] * 3,
        c = indices[f + 2] * 3
      for (let d = 0; d < 3; d++) {
        out[k * 6 + d] = Math.min(p[a + d], p[b + d], p[c + d])
        out[k * 6 + 3 + d] = Math.max(p[a + d], p[b + d], p[c + d])
      }
    }
    return out
  }

  private closestOnFace(face: number, x: number, y: number, z: number): void {
    const { positions: p, indices } = this.mesh
    const { result: r, share } = this
    const a = indices[face * 3] * 3,
      b = indices[face * 3 + 1] * 3,
      c = indices[face * 3 + 2] * 3
    const d = closestOnTriangle(p, a, b, c, x, y, z, share)
    if (!(d < r.distance2)) return
    const v = share[0],
      w = share[1]
    r.distance2 = d
    r.face = face
    r.x = p[a] + v * (p[b] - p[a]) + w * (p[c] - p[a])
    r.y = p[a + 1] + v * (p[b + 1] - p[a + 1]) + w * (p[c + 1] - p[a + 1])
    r.z = p[a + 2] + v * (p[b + 2] - p[a + 2]) + w * (p[c + 2] - p[a + 2])
    r.u = 1 - v - w
    r.v = v
    r.w = w
  }
}

function boxDistance2(b: Float32Array, at: number, x: number, y: number, z: number): number {
  const dx = Math.max(b[at] - x, 0, x - b[at + 3])
  const dy = Math.max(b[at + 1] - y, 0, y - b[at + 4])
  const dz = Math.max(b[at + 2] - z, 0, z - b[at + 5])
  return dx * dx + dy * dy + dz * dz
}

/**
 * Where a ray enters a box, 0 from within, Infinity where it passes it by (slabs: Kay and Kajiya 1986). A hair wider than
 * the box, so that a face in its wall is not missed by rounding.
 * @param ix,iy,iz one over each component of the direction
 */
function rayBoxMm(
  b: Float32Array,
  at: number,
  ox: number,
  oy: number,
  oz: number,
  ix: number,
  iy: number,
  iz: number,
): number {
  const x0 = (b[at] - ox) * ix,
    x1 = (b[at + 3] - ox) * ix
  let enter = 0,
    leave = Infinity
  if (x0 < x1) {
    if (x0 > enter) enter = x0
    if (x1 < leave) leave = x1
  } else {
    if (x1 > enter) enter = x1
    if (x0 < leave) leave = x0
  }
  const y0 = (b[at + 1] - oy) * iy,
    y1 = (b[at + 4] - oy) * iy
  if (y0 < y1) {
    if (y0 > enter) enter = y0
    if (y1 < leave) leave = y1
  } else {
    if (y1 > enter) enter = y1
    if (y0 < leave) leave = y0
  }
  const z0 = (b[at + 2] - oz) * iz,
    z1 = (b[at + 5] - oz) * iz
  if (z0 < z1) {
    if (z0 > enter) enter = z0
    if (z1 < leave) leave = z1
  } else {
    if (z1 > enter) enter = z1
    if (z0 < leave) leave = z0
  }
  return enter <= leave * (1 + 1e-9) ? enter : Infinity
}

/** Faces by the 30-bit Morton code of their middles, stable. */
function mortonOrder(p: Float32Array, indices: Uint32Array): Uint32Array {
  const faces = indices.length / 3
  const mid = new Float32Array(faces * 3)
  const min = [Infinity, Infinity, Infinity],
    max = [-Infinity, -Infinity, -Infinity]
  for (let f = 0; f < faces; f++)
    for (let a = 0; a < 3; a++) {
      const m = (p[indices[f * 3] * 3 + a] + p[indices[f * 3 + 1] * 3 + a] + p[indices[f * 3 + 2] * 3 + a]) / 3
      mid[f * 3 + a] = m
      if (m < min[a]) min[a] = m
      if (m > max[a]) max[a] = m
    }
  const scale = 1023 / Math.max(max[0] - min[0], max[1] - min[1], max[2] - min[2], 1e-30)
  const codes = new Uint32Array(faces)
  for (let f = 0; f < faces; f++) {
    codes[f] =
      spreadBits((mid[f * 3] - min[0]) * scale) |
      (spreadBits((mid[f * 3 + 1] - min[1]) * scale) << 1) |
      (spreadBits((mid[f * 3 + 2] - min[2]) * scale) << 2)
  }
  return radixOrder(codes)
}
