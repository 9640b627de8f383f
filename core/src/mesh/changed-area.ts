import { faceCross } from '../linear/face-cross'
import type { TriangleMesh } from '../shapes'
import { weldIndex } from './weld'

/**
 * How much surface of a mesh is not in another any more, and how much there is new, mm²: faces are the same where their
 * corners lie at the same places, however they face.
 */
export function changedAreaMm2(before: TriangleMesh, after: TriangleMesh): { goneMm2: number; addedMm2: number } {
  const both = new Float32Array(before.positions.length + after.positions.length)
  both.set(before.positions)
  both.set(after.positions, before.positions.length)
  const { remap } = weldIndex(both)
  const first = before.positions.length / 3
  const known = new Map<string, number>()
  const key = (mesh: TriangleMesh, f: number, offset: number): string =>
    [0, 1, 2]
      .map((c) => remap[mesh.indices[f + c] + offset])
      .sort((a, b) => a - b)
      .join(' ')
  let goneMm2 = 0,
    addedMm2 = 0
  for (let f = 0; f < before.indices.length; f += 3) {
    const name = key(before, f, 0)
    known.set(name, (known.get(name) ?? 0) + 1)
  }
  for (let f = 0; f < after.indices.length; f += 3) {
    const name = key(after, f, first)
    const left = known.get(name) ?? 0
    if (left > 0) known.set(name, left - 1)
    else addedMm2 += areaMm2(after, f)
  }
  for (let f = 0; f < before.indices.length; f += 3) {
    const name = key(before, f, 0)
    const left = known.get(name)!
    if (left === 0) continue
    known.set(name, left - 1)
    goneMm2 += areaMm2(before, f)
  }
  return { goneMm2, addedMm2 }
}

const cross = new Float64Array(3)
const areaMm2 = ({ positions: p, indices }: TriangleMesh, f: number): number =>
  faceCross(p, indices[f] * 3, indices[f + 1] * 3, indices[f + 2] * 3, cross) / 2
