import { cameraRows } from '../colour/camera-rows'
import { finestOf } from '../colour/finest'
import { scoreKernel } from '../colour/score-views'
import { vertexNormals } from '../mesh/normals'
import { itemCounter } from '../parallel/items'
import { WHOLE } from '../parallel/part'
import type { TriangleMesh } from '../shapes'
import type { Camera } from '../view/camera'

/** Places of a surface that photos are held against each other at. */
export interface Places {
  readonly positions: Float32Array
  readonly normals: Float32Array
  /** photos×places: how well each photo shows each, 0 not at all. */
  readonly scores: Uint8Array
}

/** An even share of a surface's points, with what each camera sees of them. */
export function surfacePlaces(mesh: TriangleMesh, cameras: readonly Camera[], most: number): Places {
  const { positions, indices } = mesh
  const points = positions.length / 3,
    count = cameras.length
  const normals = vertexNormals(mesh)
  const rows = cameraRows(cameras, false)
  const scores = new Uint8Array(points * count)
  const finest = finestOf(positions, rows, count)
  const work = { positions, indices, normals, cameras: rows, count, finest, scores, counter: itemCounter(false) }
  scoreKernel.loop(work, WHOLE, () => undefined)
  const step = Math.max(1, points / most)
  const kept: number[] = []
  for (let i = 0; i < points; i += step) kept.push(Math.floor(i))
  const out = {
    positions: new Float32Array(kept.length * 3),
    normals: new Float32Array(kept.length * 3),
    scores: new Uint8Array(kept.length * count),
  }
  kept.forEach((i, k) => {
    out.positions.set(positions.subarray(i * 3, i * 3 + 3), k * 3)
    out.normals.set(normals.subarray(i * 3, i * 3 + 3), k * 3)
    for (let p = 0; p < count; p++) out.scores[p * kept.length + k] = scores[p * points + i]
  })
  return out
}
