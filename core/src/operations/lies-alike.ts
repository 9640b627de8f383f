import type { RunContext } from '../context'
import { isGeometryError } from '../errors'
import type { Motion } from '../linear/rigid'
import { meshAreaMm2, sampleSurface } from '../mesh/sample-surface'
import type { TriangleMesh } from '../shapes'
import type { Motions } from './artefacts'
import { joinTakes } from './join'
import { runOperation } from './operation'

/** How a mesh lies to another of its kind, and how far apart they lie there; or why that cannot be told, as a clause. */
export type Alike = { readonly motion: Motion; readonly rmsMm: number } | { readonly unknown: string }

const POINTS = 15_000
/** Sampled a little differently, so that a mesh is never compared with its own points. */
const UNLIKE = 1.03

/**
 * Where a mesh lies to another piece of its kind: a casting to its like, a part to the one before. Both are sampled and
 * joined by shape; anything but a sound join is no answer, because acts are done by it unseen.
 * @returns first mesh → second mesh
 */
export async function liesAlike(first: TriangleMesh, second: TriangleMesh, context: RunContext): Promise<Alike> {
  const sampled = (mesh: TriangleMesh, by: number) => sampleSurface(mesh, by * Math.sqrt(meshAreaMm2(mesh) / POINTS))
  try {
    const { outputs, figures, findings } = await runOperation(
      joinTakes,
      { takes: [sampled(first, UNLIKE), sampled(second, 1)] },
      { names: ['first', 'second'], fixed: 'second', ownViews: false },
      context,
    )
    const motion = (outputs.motions as Motions).motions.first
    const against = findings.find((f) => f.verdict !== 'sound')
    if (!motion || against) return { unknown: 'the two shapes do not show for certain how one lies to the other' }
    return { motion, rmsMm: Number(figures.rmsMm) }
  } catch (error) {
    if (!isGeometryError(error) || error.code === 'CANCELLED' || error.code === 'MEMORY') throw error
    return { unknown: 'the two shapes have no surface in common that could be found' }
  }
}
