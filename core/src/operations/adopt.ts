import Joi from 'joi'
import { stage } from '../context'
import { checkHealth } from '../mesh/health'
import { healthDetails, healthFigures, healthFindings } from './mend'
import { WORKS_ON } from './inputs'
import { defineOperation } from './operation'

/** An imported mesh becomes the piece's skin, as it is. */
export const adoptMesh = defineOperation({
  name: 'skin.adopt',
  version: 1,
  inputs: { mesh: WORKS_ON.importedMesh },
  params: Joi.object<Record<string, never>>({}),
  onPiece: { track: 'mesh', doing: ([name]) => `Checking “${name}”` },
  estimate: ({ mesh }) => ({
    work: mesh.indices.length / 6e5,
    bytes: mesh.indices.byteLength * 10,
  }),
  run(inputs, _params, context) {
    const mesh = inputs.mesh
    const health = checkHealth(mesh, stage(context, 0, 1))
    return {
      outputs: { mesh },
      figures: { ...healthFigures(health), coloured: mesh.colours !== undefined || mesh.pictures !== undefined },
      findings: healthFindings(health),
      details: healthDetails(mesh, health),
    }
  },
  describe: () => 'Took the imported mesh as the skin',
})
