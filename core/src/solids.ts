import type { ManifoldToplevel } from 'manifold-3d'
import { GeometryError } from './errors'
import type { TriangleMesh } from './shapes'

/** Boolean operations on closed bodies; hosts bring the library. */
export interface Solids {
  /**
   * One body of several, each closed and facing outward (or inward where it is a hollow).
   * @throws SHAPE where one of them is none
   */
  unite(bodies: readonly TriangleMesh[]): Promise<TriangleMesh>
}

/**
 * Solids by the well-kept library of the registry (manifold-3d): hosts hand in how it is loaded, so that the core needs
 * none.
 */
export function solidsWith(load: () => Promise<ManifoldToplevel>): Solids {
  let library: Promise<ManifoldToplevel> | undefined
  return {
    async unite(bodies) {
      library ??= load().then((lib) => {
        lib.setup()
        return lib
      })
      const { Manifold, Mesh } = await library
      const solids: InstanceType<typeof Manifold>[] = []
      try {
        for (const { positions, indices } of bodies)
          solids.push(new Manifold(new Mesh({ numProp: 3, vertProperties: positions, triVerts: indices })))
        const union = Manifold.union(solids)
        solids.push(union)
        const { vertProperties, triVerts } = union.getMesh()
        return { kind: 'mesh', positions: Float32Array.from(vertProperties), indices: Uint32Array.from(triVerts) }
      } catch (e) {
        throw new GeometryError(
          'SHAPE',
          `These bodies cannot be made one: ${e instanceof Error ? e.message : String(e)}.`,
        )
      } finally {
        // The library's memory is not the page's: what is not given back stays.
        for (const s of solids) s.delete()
      }
    },
  }
}
