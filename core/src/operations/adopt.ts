import Joi from 'joi'
import { stage } from '../context'
import { checkHealth } from '../mesh/health'
import { healthFigures, healthFindings } from './mend'
import { defineOperation, meshOf } from './operation'

/** An imported mesh becomes the piece's skin, as it is. */
export const adoptMesh = defineOperation<Record<string, never>>({
  name: 'skin.adopt',
  version: 1,
  inputs: { mesh: 'mesh' },
  params: Joi.object<Record<string, never>>({}),
  estimate: ({ mesh }) => ({
    work: (mesh as { indices: Uint32Array }).indices.length / 6e5,
    bytes: (mesh as { indices: Uint32Array }).indices.byteLength * 10,
  }),
  run(inputs, _params, context) {
    const mesh = meshOf(inputs, 'mesh')
    const health = checkHealth(mesh, stage(context, 0, 1))
    return { outputs: { mesh }, figures: healthFigures(health), findings: healthFindings(health) }
  },
  describe: () => 'Took the imported mesh as the skin',
})
