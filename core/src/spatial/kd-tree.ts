import { GeometryError } from '../errors'
import { allocate } from '../parallel/allocate'

const LEAF = 8
const STACK = 256

/** A tree's arrays: n×3 coordinates in tree order, their original indices, and the axis each splits. */
export interface TreeRoom {
  readonly xyz: Float32Array
  readonly ids: Int32Array
  readonly axis: Uint8Array
}

/** Memory for a tree of so many points. */
export function roomForTree(n: number, shared: boolean): TreeRoom {
  const points = Math.ceil(n)
  return {
    xyz: allocate(Float32Array, points * 3, shared),
    ids: allocate(Int32Array, points, shared),
    axis: allocate(Uint8Array, points, shared),
  }
}

/**
 * Balanced kd-tree over interleaved xyz points (Bentley 1975), medians kept in place as kdbush does: one permuted copy
 * of the coordinates, one id array, one axis byte per point. O(n log n) build, read-only afterwards.
 * Not re-entrant: queries share scratch. Points must be finite.
 */
export class KdTree {
  readonly count: number
  /** Original index of each point in tree order; walking queries in this order keeps memory local. */
  readonly ids: Int32Array
  readonly room: TreeRoom
  private readonly xyz: Float32Array
  private readonly axis: Uint8Array
  private readonly stackLow = new Int32Array(STACK)
  private readonly stackHigh = new Int32Array(STACK)
  private readonly stackBound = new Float64Array(STACK)
  /** Squared distance of the last `nearest` or `nearestTwo`. */
  lastDistance2 = Infinity
  /** Squared distance of the second nearest of the last `nearestTwo`, its bound when there is none within. */
  secondDistance2 = Infinity

  /** @param room where the tree is kept; in shared memory other threads can use it, see `KdTree.over` */
  constructor(points: Float32Array, room: TreeRoom = roomForTree(points.length / 3, false), built = false) {
    if (points.length % 3 !== 0) throw new GeometryError('SHAPE', 'Points must come as x y z triples.')
    const n = (this.count = points.length / 3)
    this.room = room
    this.ids = room.ids
    this.xyz = room.xyz
    this.axis = room.axis
    if (built) return
    for (let i = 0; i < n; i++) this.ids[i] = i
    this.xyz.set(points)
    this.axis.fill(0)
    if (n > 0) this.build()
  }

  /** A tree that was built before, by this thread or another. */
  static over(room: TreeRoom): KdTree {
    return new KdTree(room.xyz, room, true)
  }

  private build(): void {
    const { xyz, axis } = this
    const stack: number[] = [0, this.count - 1]
    while (stack.length > 0) {
      const right = stack.pop()!
      const left = stack.pop()!
      if (right - left < LEAF) continue
      let minX = Infinity,
        minY = Infinity,
        minZ = Infinity,
        maxX = -Infinity,
        maxY = -Infinity,
        maxZ = -Infinity
      for (let i = left * 3; i <= right * 3; i += 3) {
        const x = xyz[i],
          y = xyz[i + 1],
          z = xyz[i + 2]
        if (x < minX) minX = x
        if (x > maxX) maxX = x
        if (y < minY) minY = y
        if (y > maxY) maxY = y
        if (z < minZ) minZ = z
        if (z > maxZ) maxZ = z
      }
      const dx = maxX - minX,
        dy = maxY - minY,
        dz = maxZ - minZ
      const a = dx >= dy && dx >= dz ? 0 : dy >= dz ? 1 : 2
      const mid = (left + right) >> 1
      this.select(mid, left, right, a)
      axis[mid] = a
      stack.push(left, mid - 1, mid + 1, right)
    }
  }

  /** Floyd and Rivest 1975 selection: the k-th smallest along `a` comes to place k. */
  private select(k: number, left: number, right: number, a: number): void {
    const { xyz } = this
    while (right > left) {
      if (right - left > 600) {
        const n = right - left + 1
        const m = k - left + 1
        const z = Math.log(n)
        const s = 0.5 * Math.exp((2 * z) / 3)
        const sd = 0.5 * Math.sqrt((z * s * (n - s)) / n) * (m - n / 2 < 0 ? -1 : 1)
        this.select(
          k,
          Math.max(left, Math.floor(k - (m * s) / n + sd)),
          Math.min(right, Math.floor(k + ((n - m) * s) / n + sd)),
          a,
        )
      }
      const t = xyz[k * 3 + a]
      let i = left
      let j = right
      this.swap(left, k)
      if (xyz[right * 3 + a] > t) this.swap(left, right)
      while (i < j) {
        this.swap(i, j)
        i++
        j--
        while (xyz[i * 3 + a] < t) i++
        while (xyz[j * 3 + a] > t) j--
      }
      if (xyz[left * 3 + a] === t) this.swap(left, j)
      else {
        j++
        this.swap(j, right)
      }
      if (j <= k) left = j + 1
      if (k <= j) right = j - 1
    }
  }

  private swap(i: number, j: number): void {
    const { xyz, ids } = this
    const id = ids[i]
    ids[i] = ids[j]!
    ids[j] = id
    const p = i * 3
    const q = j * 3
    for (let c = 0; c < 3; c++) {
      const t = xyz[p + c]
      xyz[p + c] = xyz[q + c]!
      xyz[q + c] = t
    }
  }

  /** Index of the nearest point strictly within √`maxDistance2`, or −1; the squared distance is in `lastDistance2`. */
  nearest(x: number, y: number, z: number, maxDistance2 = Infinity): number {
    const { xyz, axis, stackLow, stackHigh, stackBound } = this
    let best = maxDistance2
    let found = -1
    let top = 0
    stackLow[0] = 0
    stackHigh[0] = this.count - 1
    stackBound[0] = 0
    while (top >= 0) {
      let low = stackLow[top]
      let high = stackHigh[top]
      if (stackBound[top--] >= best) continue
      for (;;) {
        if (high - low < LEAF) {
          for (let i = low; i <= high; i++) {
            const dx = xyz[i * 3] - x,
              dy = xyz[i * 3 + 1] - y,
              dz = xyz[i * 3 + 2] - z
            const d = dx * dx + dy * dy + dz * dz
            if (d < best) {
              best = d
              found = i
            }
          }
          break
        }
        const mid = (low + high) >> 1
        const a = axis[mid]
        const dx = xyz[mid * 3] - x,
          dy = xyz[mid * 3 + 1] - y,
          dz = xyz[mid * 3 + 2] - z
        const d = dx * dx + dy * dy + dz * dz
        if (d < best) {
          best = d
          found = mid
        }
        const side = a === 0 ? dx : a === 1 ? dy : dz
        const bound = side * side
        if (bound < best) {
          top++
          stackBound[top] = bound
          if (side > 0) {
            stackLow[top] = mid + 1
            stackHigh[top] = high
          } else {
            stackLow[top] = low
            stackHigh[top] = mid - 1
          }
        }
        if (side > 0) high = mid - 1
        else low = mid + 1
      }
    }
    this.lastDistance2 = best
    return found < 0 ? -1 : this.ids[found]
  }

  /**
   * As `nearest`, and the distance of the runner-up is in `secondDistance2`: by how much the answer is safe when the
   * query moves.
   */
  nearestTwo(x: number, y: number, z: number, maxDistance2 = Infinity): number {
    const { xyz, axis, stackLow, stackHigh, stackBound } = this
    let best = maxDistance2
    let second = maxDistance2
    let found = -1
    let top = 0
    stackLow[0] = 0
    stackHigh[0] = this.count - 1
    stackBound[0] = 0
    while (top >= 0) {
      let low = stackLow[top]
      let high = stackHigh[top]
      if (stackBound[top--] >= second) continue
      for (;;) {
        const leaf = high - low < LEAF
        const mid = (low + high) >> 1
        for (let i = leaf ? low : mid, e = leaf ? high : mid; i <= e; i++) {
          const dx = xyz[i * 3] - x,
            dy = xyz[i * 3 + 1] - y,
            dz = xyz[i * 3 + 2] - z
          const d = dx * dx + dy * dy + dz * dz
          if (d < best) {
            second = best
            best = d
            found = i
          } else if (d < second) second = d
        }
        if (leaf) break
        const a = axis[mid]
        const side = xyz[mid * 3 + a] - (a === 0 ? x : a === 1 ? y : z)
        const bound = side * side
        if (bound < second) {
          top++
          stackBound[top] = bound
          if (side > 0) {
            stackLow[top] = mid + 1
            stackHigh[top] = high
          } else {
            stackLow[top] = low
            stackHigh[top] = mid - 1
          }
        }
        if (side > 0) high = mid - 1
        else low = mid + 1
      }
    }
    this.lastDistance2 = best
    this.secondDistance2 = second
    return found < 0 ? -1 : this.ids[found]
  }

  /**
   * The k nearest within √`maxDistance2`, ascending, into `outIds` and `outDistance2`; returns how many were found.
   * The query point itself is returned too when it is in the tree.
   */
  knn(
    x: number,
    y: number,
    z: number,
    k: number,
    outIds: Int32Array,
    outDistance2: Float64Array,
    maxDistance2 = Infinity,
  ): number {
    const { xyz, axis, stackLow, stackHigh, stackBound, ids } = this
    let worst = maxDistance2
    let n = 0
    let top = 0
    stackLow[0] = 0
    stackHigh[0] = this.count - 1
    stackBound[0] = 0
    while (top >= 0) {
      let low = stackLow[top]
      let high = stackHigh[top]
      if (stackBound[top--] >= worst) continue
      for (;;) {
        const leaf = high - low < LEAF
        const mid = (low + high) >> 1
        const from = leaf ? low : mid
        const to = leaf ? high : mid
        for (let i = from; i <= to; i++) {
          const dx = xyz[i * 3] - x,
            dy = xyz[i * 3 + 1] - y,
            dz = xyz[i * 3 + 2] - z
          const d = dx * dx + dy * dy + dz * dz
          if (d >= worst) continue
          let j = n < k ? n++ : k - 1
          while (j > 0 && outDistance2[j - 1] > d) {
            outDistance2[j] = outDistance2[j - 1]!
            outIds[j] = outIds[j - 1]!
            j--
          }
          outDistance2[j] = d
          outIds[j] = ids[i]!
          if (n === k) worst = outDistance2[k - 1]!
        }
        if (leaf) break
        const a = axis[mid]
        const side = xyz[mid * 3 + a] - (a === 0 ? x : a === 1 ? y : z)
        const bound = side * side
        if (bound < worst) {
          top++
          stackBound[top] = bound
          if (side > 0) {
            stackLow[top] = mid + 1
            stackHigh[top] = high
          } else {
            stackLow[top] = low
            stackHigh[top] = mid - 1
          }
        }
        if (side > 0) high = mid - 1
        else low = mid + 1
      }
    }
    return n
  }
}
