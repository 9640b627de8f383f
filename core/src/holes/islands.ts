import { faceCross } from '../linear/face-cross'
import { poseOfCurve, type CurvePose } from '../mesh/curve-pose'
import { meshComponents } from '../mesh/components'
import type { BoundaryLoop } from '../mesh/topology'
import type { TriangleMesh } from '../shapes'

/** An island lies at most this far above or below a hole's mean plane, in radii of the hole. */
const MAX_ABOVE = 0.5

/**
 * Patches of surface that lie loose in a hole: a part of the mesh with one rim of its own, inside the outline of a
 * longer rim of another part, that faces the way the hole's fill will.
 * @returns for each loop the longer one it lies in, −1 for none
 */
export function islandsOf(mesh: TriangleMesh, loops: readonly BoundaryLoop[]): Int32Array {
  const out = new Int32Array(loops.length).fill(-1)
  if (loops.length < 2) return out
  const { label } = meshComponents(mesh)
  const rims = new Map<number, number>()
  for (const { vertices } of loops) rims.set(label[vertices[0]], (rims.get(label[vertices[0]]) ?? 0) + 1)
  const facing = facingOfParts(mesh, label)
  const outlines = loops.map(({ vertices }) =>
    poseOfCurve(Array.from(vertices).flatMap((v) => Array.from(mesh.positions.subarray(v * 3, v * 3 + 3)))),
  )
  for (let i = 0; i < loops.length; i++) {
    const part = label[loops[i].vertices[0]]
    if (rims.get(part) !== 1) continue
    const island = outlines[i]
    const normal = facing.subarray(part * 3, part * 3 + 3)
    for (let k = 0; k < i; k++) {
      if (label[loops[k].vertices[0]] === part || out[k] >= 0) continue
      const hole = outlines[k]
      if (dot(hole.facing, normal) <= 0 || !liesIn(mesh.positions, loops[k].vertices, hole, island)) continue
      // The shortest rim it lies in is the one it is an island of.
      out[i] = k
    }
  }
  return out
}

/** Whether an island's middle lies over the inside of a hole (crossing number in the hole's plane). */
function liesIn(p: Float32Array, loop: Int32Array, hole: CurvePose, island: CurvePose): boolean {
  const away = island.middle.map((v, c) => v - hole.middle[c])
  if (Math.abs(dot(away, hole.facing)) > MAX_ABOVE * hole.radiusMm || island.radiusMm > hole.radiusMm) return false
  const k = hole.facing.findIndex((v) => Math.abs(v) === Math.max(...hole.facing.map(Math.abs)))
  const [u, v] = [(k + 1) % 3, (k + 2) % 3]
  let isInside = false
  for (let i = 0, j = loop.length - 1; i < loop.length; j = i++) {
    const [ax, ay, bx, by] = [p[loop[i] * 3 + u], p[loop[i] * 3 + v], p[loop[j] * 3 + u], p[loop[j] * 3 + v]]
    if (ay > island.middle[v] !== by > island.middle[v]) {
      const x = ax + ((island.middle[v] - ay) / (by - ay)) * (bx - ax)
      if (x > island.middle[u]) isInside = !isInside
    }
  }
  return isInside
}

/** Sum of the faces' cross products of each part. */
function facingOfParts({ positions: p, indices }: TriangleMesh, label: Int32Array): Float64Array {
  let parts = 0
  for (const l of label) parts = Math.max(parts, l + 1)
  const out = new Float64Array(parts * 3)
  const cross = new Float64Array(3)
  for (let f = 0; f < indices.length; f += 3) {
    faceCross(p, indices[f] * 3, indices[f + 1] * 3, indices[f + 2] * 3, cross)
    const o = label[indices[f]] * 3
    for (let c = 0; c < 3; c++) out[o + c] += cross[c]
  }
  return out
}

const dot = (a: ArrayLike<number>, b: ArrayLike<number>): number => a[0] * b[0] + a[1] * b[1] + a[2] * b[2]
