import { pickPoints, vertexNormals, type Shape } from '@holosoma/core'
import { splitAtSeams } from '@holosoma/core/mesh'
import type { DrawData } from './geometry.worker'

/** A mesh as the stage draws it in its colours; its evidence is that of the colour. */
export async function colouredOf(shape: Shape): Promise<DrawData> {
  if (shape.kind !== 'mesh') throw new Error('Only a mesh is drawn in its colours.')
  const normals = shape.normals ?? vertexNormals(shape)
  const picture = shape.pictures?.length === 1 ? shape.pictures[0] : null
  if (!shape.uvs || !picture)
    return {
      kind: 'mesh',
      positions: shape.positions.slice(),
      normals: normals.slice(),
      indices: shape.indices.slice(),
      evidence: shape.colourEvidence?.slice() ?? null,
      colours: shape.colours?.slice() ?? null,
    }
  const { mesh, pointOf, uvs } = splitAtSeams(shape, shape.uvs)
  const split = pickPoints({ ...mesh, normals }, pointOf)
  return {
    kind: 'mesh',
    positions: split.positions,
    normals: split.normals,
    indices: mesh.indices,
    evidence: split.colourEvidence ?? null,
    colours: split.colours ?? null,
    texture: {
      uvs,
      // As it stands: neither turned over nor its colours changed on the way.
      picture: await createImageBitmap(new Blob([picture.bytes.slice()], { type: picture.mime }), {
        imageOrientation: 'from-image',
        colorSpaceConversion: 'none',
      }),
    },
  }
}
