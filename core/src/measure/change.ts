import type { RunContext } from '../context'
import { weldIndex } from '../mesh/weld'
import { pickPoints, type PointCloud, type TriangleMesh } from '../shapes'
import { compareShapes } from './compare'

/**
 * How far the points of a mesh lie from what became of it, mm: the mean over all and the largest. Points that are there
 * still are not looked up; what was added does not count.
 */
export function changeMm(
  before: TriangleMesh,
  after: TriangleMesh,
  context: RunContext,
): { mean: number; max: number } {
  const n = before.positions.length / 3
  const both = new Float32Array(before.positions.length + after.positions.length)
  both.set(after.positions)
  both.set(before.positions, after.positions.length)
  const { remap, kept } = weldIndex(both)
  const there = new Uint8Array(kept.length)
  const points = after.positions.length / 3
  for (const v of after.indices) there[remap[v]] = 1
  const gone: number[] = []
  for (let v = 0; v < n; v++) if (!there[remap[points + v]]) gone.push(v)
  if (gone.length === 0) return { mean: 0, max: 0 }
  const { positions } = pickPoints<PointCloud>({ kind: 'cloud', positions: before.positions }, gone)
  const { unsignedMeanMm, maxMm } = compareShapes({ kind: 'cloud', positions }, after, context)
  return { mean: (unsignedMeanMm * gone.length) / n, max: maxMm }
}
