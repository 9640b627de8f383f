import Joi from 'joi'
import { connectedComponents } from '../cloud/components'
import { medianSpacing } from '../cloud/spacing'
import { grouped, type Finding } from '../findings'
import { guessUnit, GUESS_MM } from '../measure/scale'
import { checkHealth } from '../mesh/health'
import { boundsOf, diagonal } from '../shapes'
import { healthFigures } from './mend'
import { WORKS_ON } from './inputs'
import { defineOperation } from './operation'

declare module './details' {
  interface OperationDetails {
    'take.inspect': {
      /** Rims of a mesh's holes, the largest first; empty for points. */
      readonly perimetersMm: readonly number[]
    }
  }
}

/**
 * What is in a shape: kind, counts, bounds, parts, and whether the numbers look like millimetres. Works on what was
 * just read from a file.
 */
export const inspectShape = defineOperation({
  name: 'take.inspect',
  version: 1,
  inputs: { shape: WORKS_ON.givenShape },
  params: Joi.object<{ full: boolean }>({ full: Joi.boolean().default(true) }),
  estimate: ({ shape }) => ({
    work: shape.positions.length / 1e6,
    bytes: shape.positions.byteLength * 4,
  }),
  run(inputs, { full }, context) {
    const shape = inputs.shape
    const { min, max } = boundsOf(shape.positions)
    const origin = shape.originMm ?? [0, 0, 0]
    const sizeMm = diagonal({ min, max })
    const guess = guessUnit(sizeMm)
    const common = {
      kind: shape.kind,
      points: shape.positions.length / 3,
      unitGuess: guess.unit,
      unitReason: guess.reason,
      sizeMm,
      minX: min[0] + origin[0],
      minY: min[1] + origin[1],
      minZ: min[2] + origin[2],
      maxX: max[0] + origin[0],
      maxY: max[1] + origin[1],
      maxZ: max[2] + origin[2],
      normals: !!shape.normals,
      colours: !!shape.colours,
      farFromZero: !!shape.originMm,
    }
    const findings: Finding[] = [
      {
        id: 'take.inspect',
        verdict: guess.unit === 'mm' ? 'sound' : 'doubtful',
        text:
          `${grouped(common.points)} ` +
          `points${shape.kind === 'mesh' ? ` and ${grouped(shape.indices.length / 3)} triangles` : ''}; ` +
          `${guess.reason}.`,
        ...(guess.unit !== 'mm' && { nextMove: `Bring it to millimetres at Size (× ${GUESS_MM[guess.unit]})` }),
      },
    ]
    if (!full) return { outputs: {}, figures: common, findings, details: { perimetersMm: [] } }
    if (shape.kind === 'cloud') {
      const spacingMm = medianSpacing(shape)
      const { sizes } = connectedComponents(shape, Math.max(6 * spacingMm, 1e-9), context)
      return {
        outputs: {},
        figures: { ...common, spacingMm, components: sizes.length },
        findings,
        details: { perimetersMm: [] },
      }
    }
    const health = checkHealth(shape, context)
    return {
      outputs: {},
      figures: {
        ...common,
        ...healthFigures(health),
      },
      details: { perimetersMm: health.loops.map((l) => l.perimeterMm) },
      findings,
    }
  },
  describe: (_params, figures) => `Looked at it: ${grouped(Number(figures.points))} points`,
})
