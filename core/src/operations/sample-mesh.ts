import Joi from 'joi'
import { grouped, mm } from '../findings'
import { evenEdgeMm, sampleTextured, samplingSpacing } from '../mesh/sample-surface'
import { WORKS_ON } from './inputs'
import { defineOperation } from './operation'

interface Params {
  spacingMm: number | null
}

/** A take that came as a mesh becomes points spread over its surface, to be tidied and joined like any other. */
export const sampleMesh = defineOperation({
  name: 'take.sample',
  version: 1,
  inputs: { mesh: WORKS_ON.importedMesh },
  params: Joi.object<Params>({
    /** null: as fine as loses nothing of the mesh. */
    spacingMm: Joi.number().positive().max(1000).allow(null).default(null).label('spacing'),
  }),
  onPiece: { track: 'take', doing: ([name]) => `Taking the surface of “${name}” as points` },
  estimate: ({ mesh }) => ({ work: mesh.indices.length / 3e5 + 1, bytes: mesh.indices.byteLength * 4 + 2e7 }),
  async run({ mesh }, { spacingMm }, { decodePicture }) {
    const spacing = spacingMm ?? samplingSpacing(mesh)
    const take = await sampleTextured(mesh, spacing, decodePicture)
    const edgeMm = evenEdgeMm(mesh)
    const coarse = edgeMm > 1.5 * spacing
    return {
      outputs: { take },
      figures: { points: take.positions.length / 3, spacingMm: spacing, edgeMm, triangles: mesh.indices.length / 3 },
      findings: [
        {
          id: 'take.sample',
          verdict: coarse ? 'doubtful' : 'sound',
          text:
            `${grouped(take.positions.length / 3)} points, ${mm(spacing)} apart, from triangles about ${mm(edgeMm)} long` +
            (coarse ? ': between their corners nothing was measured.' : '.'),
        },
      ],
    }
  },
  describe: (_params, f) =>
    `Took the surface of ${grouped(Number(f.triangles))} triangles as ${grouped(Number(f.points))} points`,
})
