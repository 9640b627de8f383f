import { massProperties } from '../mesh/health'
import { edgeTopology } from '../mesh/topology'
import { meshComponents } from '../mesh/components'
import { pickTriangles, type TriangleMesh } from '../shapes'
import { without } from './tidy-faces'
import { windingNumber } from './winding'

export interface Outward {
  readonly mesh: TriangleMesh
  /** Parts that were turned inside out. */
  readonly turned: number
  /** Parts that lay wholly inside another and were taken out. */
  readonly buried: number
}

/** Parts that are looked at one by one, the largest first. */
const MOST_PARTS = 200

/**
 * Turns closed parts so that they face outward, or inward where they are a hollow in another, and takes out solid parts
 * that lie inside another: of those the outer side is inside the piece already.
 */
export function faceOutward(mesh: TriangleMesh): Outward {
  const { indices } = mesh
  const { label, count } = meshComponents(mesh)
  const { twin } = edgeTopology(mesh)
  const open = new Set<number>()
  for (let h = 0; h < twin.length; h++) if (twin[h] < 0) open.add(label[indices[h]])
  const facesOf = new Map<number, number[]>()
  for (let f = 0; f < indices.length; f += 3) {
    const l = label[indices[f]]
    const list = facesOf.get(l)
    if (list) list.push(f / 3)
    else facesOf.set(l, [f / 3])
  }
  const parts = [...facesOf]
    .filter(([l]) => !open.has(l))
    .map(([, faces]) => ({ faces, volume: massProperties(pickTriangles(mesh, faces)).volumeMm3 }))
    .sort((a, b) => Math.abs(b.volume) - Math.abs(a.volume))
  // A body that faces inward as a whole does so with its hollows.
  const isInsideOut = parts.reduce((sum, { volume }) => sum + volume, 0) < 0
  const now = { positions: mesh.positions, indices: indices.slice() }
  const turn = (faces: readonly number[]): void => {
    for (const f of faces) {
      const b = now.indices[f * 3 + 1]
      now.indices[f * 3 + 1] = now.indices[f * 3 + 2]
      now.indices[f * 3 + 2] = b
    }
  }
  if (isInsideOut) for (const { faces } of parts) turn(faces)
  const gone = new Uint8Array(indices.length / 3)
  const own = new Uint8Array(indices.length / 3)
  let turned = isInsideOut ? parts.length : 0,
    buried = 0
  // Smaller ones are judged by the larger ones as they face by then.
  const later = new Uint8Array(indices.length / 3)
  for (const { faces } of parts) for (const f of faces) later[f] = 1
  for (const { faces, volume: was } of parts.slice(0, MOST_PARTS)) {
    const volume = isInsideOut ? -was : was
    for (const f of faces) later[f] = 0
    own.set(later)
    for (const f of faces) own[f] = 1
    for (let f = 0; f < gone.length; f++) if (gone[f]) own[f] = 1
    const v = indices[faces[0] * 3] * 3
    const around =
      count === 1 ? 0 : windingNumber(now, mesh.positions[v], mesh.positions[v + 1], mesh.positions[v + 2], own)
    if (around > 0.5 && volume > 0) {
      for (const f of faces) gone[f] = 1
      buried++
    } else if (around <= 0.5 && volume < 0) {
      turn(faces)
      turned++
    }
  }
  if (turned === 0 && buried === 0) return { mesh, turned, buried }
  return { mesh: without({ ...mesh, indices: now.indices }, gone, buried).mesh, turned, buried }
}
