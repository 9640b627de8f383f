import { MeshoptSimplifier } from 'meshoptimizer'
import { quietContext, stage, type RunContext } from '../context'
import { GeometryError } from '../errors'
import { withOtherFaces, type TriangleMesh } from '../shapes'
import { chunksNear, chunksOf, type Chunks } from '../spatial/chunks'
import { findCrossings } from './crossings'
import { splitVertices } from './health'
import { edgeTopology } from './topology'
import { dropUnusedVertices, weldVertices } from './weld'

export interface SimplifyOptions {
  /** Faces wanted, ≥ 4. */
  readonly faces?: number
  /** Largest deviation allowed, mm, > 0. */
  readonly deviationMm?: number
  /** How often faulty places are given back and the rest simplified again. @defaultValue 12 */
  readonly rounds?: number
}

export interface SimplifyResult {
  readonly mesh: TriangleMesh
  /** Deviation as the simplifier estimates it, mm. */
  readonly deviationMm: number
  /** Points at places that became faulty and could not be given back; 0 as a rule. */
  readonly faultyPoints: number
}

/** Times the faces wanted: from more it goes there in strides. */
const FAR = 6
const STRIDE = 4

export const SIMPLIFY_DEFAULTS = { rounds: 12 } as const

/**
 * Fewer faces by quadric edge collapse (meshoptimizer; Garland and Heckbert 1997), borders held. Give a face count, a
 * deviation, or both: the first limit reached stops it. Positions and indices are checked first, as the library takes
 * anything.
 *
 * The library may fold the surface or pinch it (edges with more than two faces, faces that cross or have no area). Such
 * places are found by exact predicates on the result, their surroundings are locked at full density, and the whole is
 * simplified again until no fault is left that the input did not have: a sound mesh stays sound, with a few more faces
 * than asked for. What is left after many rounds is told.
 */
export async function simplifyMesh(
  input: TriangleMesh,
  options: SimplifyOptions,
  context: RunContext = quietContext(),
): Promise<SimplifyResult> {
  const { faces, deviationMm, rounds = SIMPLIFY_DEFAULTS.rounds } = options
  if (faces === undefined && deviationMm === undefined)
    throw new GeometryError('PARAMS', 'Say how many faces to keep, or how far the surface may move.')
  if (faces !== undefined && !(Number.isInteger(faces) && faces >= 4))
    throw new GeometryError('PARAMS', `A closed mesh has at least 4 faces; ${faces} is too few.`)
  if (deviationMm !== undefined && !(deviationMm > 0))
    throw new GeometryError('PARAMS', `The deviation must be larger than 0 mm, not ${deviationMm}.`)
  await MeshoptSimplifier.ready
  const mesh = weldVertices(input)
  // Far below the input's density places that are given back are too dense to get there: part of the way first.
  if (faces !== undefined && mesh.indices.length / 3 > FAR * faces) {
    const part = deviationMm !== undefined && { deviationMm: deviationMm / 2 }
    const before = await simplifyMesh(mesh, { faces: faces * STRIDE, rounds, ...part }, stage(context, 0, 0.7))
    if (before.mesh.indices.length < 0.7 * mesh.indices.length) {
      const rest = await simplifyMesh(before.mesh, { faces, rounds, ...part }, stage(context, 0.7, 1))
      return {
        ...rest,
        deviationMm: before.deviationMm + rest.deviationMm,
        faultyPoints: before.faultyPoints + rest.faultyPoints,
      }
    }
  }
  const n = mesh.positions.length / 3
  const known = new Set(faultyVertices(mesh, context))
  const lock = new Uint8Array(n)
  let chunks: Chunks | undefined
  for (let round = 1; ; round++) {
    const [found, error] = MeshoptSimplifier.simplifyWithAttributes(
      mesh.indices,
      mesh.positions,
      3,
      new Float32Array(0),
      0,
      [],
      lock,
      faces === undefined ? 0 : Math.min(mesh.indices.length, faces * 3),
      deviationMm ?? 1e30,
      ['LockBorder', 'ErrorAbsolute'],
    )
    // Numbers of the input, so that a fault can be given back there.
    const coarse = withOtherFaces(mesh, Uint32Array.from(found))
    const faulty = faultyVertices(coarse, context).filter((v) => !known.has(v))
    if (faulty.length === 0 || round >= rounds) {
      // Normals of merged corners are no longer those of the surface.
      const { normals: _gone, ...rest } = dropUnusedVertices(coarse)
      return { mesh: rest, deviationMm: error, faultyPoints: faulty.length }
    }
    lockAround(mesh, (chunks ??= chunksOf(mesh.positions)), coarse, faulty, lock)
  }
}

/**
 * Vertices at edges with more than two faces or faces that run the same way, at pinched points, of faces without area
 * and of crossing faces.
 */
function faultyVertices(mesh: TriangleMesh, context: RunContext): number[] {
  const { indices, positions: p } = mesh
  const out = new Set<number>()
  const face = (f: number): void => {
    for (let c = 0; c < 3; c++) out.add(indices[f * 3 + c])
  }
  const { twin } = edgeTopology(mesh)
  for (let h = 0; h < twin.length; h++) if (twin[h] === -2) face(Math.floor(h / 3))
  splitVertices(mesh, twin).forEach((s, v) => {
    if (s) out.add(v)
  })
  for (let i = 0; i < indices.length; i += 3) {
    const a = indices[i] * 3,
      b = indices[i + 1] * 3,
      c = indices[i + 2] * 3
    const ux = p[b] - p[a],
      uy = p[b + 1] - p[a + 1],
      uz = p[b + 2] - p[a + 2]
    const vx = p[c] - p[a],
      vy = p[c + 1] - p[a + 1],
      vz = p[c + 2] - p[a + 2]
    if (uy * vz - uz * vy === 0 && uz * vx - ux * vz === 0 && ux * vy - uy * vx === 0) face(i / 3)
  }
  for (const f of findCrossings(mesh, context)) face(f)
  return [...out]
}

/** Locks all input vertices as near to a faulty one as its own edges in the coarse mesh are long. */
function lockAround(
  { positions: p }: TriangleMesh,
  chunks: Chunks,
  coarse: TriangleMesh,
  faulty: readonly number[],
  lock: Uint8Array,
): void {
  const reach = new Map<number, number>(faulty.map((v) => [v, 0]))
  for (let i = 0; i < coarse.indices.length; i++) {
    const v = coarse.indices[i]
    if (!reach.has(v)) continue
    const from = i - (i % 3)
    for (let c = 0; c < 3; c++) {
      const w = coarse.indices[from + c]
      const d = Math.hypot(p[v * 3] - p[w * 3], p[v * 3 + 1] - p[w * 3 + 1], p[v * 3 + 2] - p[w * 3 + 2])
      if (d > reach.get(v)!) reach.set(v, d)
    }
  }
  for (const [v, r] of reach) {
    const at = p.subarray(v * 3, v * 3 + 3)
    for (const c of chunksNear(chunks, at, at, r)) {
      const end = Math.min(lock.length, (c + 1) * chunks.size)
      for (let i = c * chunks.size; i < end; i++) {
        const x = chunks.positions[i * 3] - at[0],
          y = chunks.positions[i * 3 + 1] - at[1],
          z = chunks.positions[i * 3 + 2] - at[2]
        if (x * x + y * y + z * z <= r * r) lock[chunks.order[i]] = 1
      }
    }
  }
}

/** Fewer faces in one pass, whatever becomes of folds and pinches: for surfaces that are only looked at. */
export async function simplifyLoosely(input: TriangleMesh, faces: number): Promise<TriangleMesh> {
  await MeshoptSimplifier.ready
  const mesh = weldVertices({ kind: 'mesh', positions: input.positions, indices: input.indices })
  if (mesh.indices.length / 3 <= faces) return mesh
  const [found] = MeshoptSimplifier.simplify(mesh.indices, mesh.positions, 3, faces * 3, 1e30, [
    'LockBorder',
    'ErrorAbsolute',
  ])
  return dropUnusedVertices(withOtherFaces(mesh, Uint32Array.from(found)))
}
