import Joi from 'joi'
import { stage } from '../context'
import { bytesText, grouped, mm, type Finding } from '../findings'
import { checkHealth } from '../mesh/health'
import { WRITE_FORMATS, type WriteFormat } from '../formats/kinds'
import { simplifyMesh } from '../simplify/simplify'
import { simplifyToFile } from './file-size'
import { healthDetails, healthFigures, healthFindings, pictureGone } from './mend'
import { WORKS_ON } from './inputs'
import { ANYWHERE, defineOperation } from './operation'

interface Params {
  faces: number | null
  deviationMm: number | null
  /** As a file of this format it is to be no larger than so much, bytes. */
  fileBytes: number | null
  fileKind: WriteFormat
  /** What the brief allows any act of mending to move the surface; null: nothing is said. */
  capMm: number | null
}

/** Of the triangles asked for: with so many more, the cap is why. */
const FAR_FROM_ASKED = 1.1

/** A file that came out larger than was asked for, and why it may have. */
const tooLarge = (bytes: number | null, { fileBytes, fileKind, capMm, deviationMm }: Params): Finding[] =>
  bytes !== null && fileBytes !== null && bytes > fileBytes
    ? [
        {
          id: 'mend.fileSize',
          verdict: 'doubtful',
          text:
            `As ${fileKind.toUpperCase()} it takes ${bytesText(bytes)}, not ${bytesText(fileBytes)}` +
            ((capMm ?? deviationMm) ? ': with fewer triangles the surface would move farther than it may.' : '.'),
        },
      ]
    : []

export const simplify = defineOperation({
  name: 'mend.simplify',
  version: 1,
  inputs: { mesh: WORKS_ON.skin },
  params: Joi.object<Params>({
    faces: Joi.number().integer().min(4).allow(null).default(null),
    deviationMm: Joi.number().positive().allow(null).default(null),
    fileBytes: Joi.number().integer().min(200).allow(null).default(null).label('size of the file'),
    fileKind: Joi.string()
      .valid(...WRITE_FORMATS)
      .default('stl'),
    capMm: Joi.number().positive().allow(null).default(null),
  }),
  onPiece: { track: 'mesh', doing: () => 'Simplifying' },
  again: ANYWHERE,
  estimate: ({ mesh }) => ({
    work: mesh.indices.length / 5e5,
    bytes: mesh.indices.byteLength * 10,
  }),
  run(inputs, params, context) {
    const before = inputs.mesh
    const allowed = Math.min(params.deviationMm ?? Infinity, params.capMm ?? Infinity)
    const limits = {
      ...(params.faces !== null && { faces: params.faces }),
      ...(Number.isFinite(allowed) && { deviationMm: allowed }),
    }
    const here = stage(context, 0, 0.5)
    const { simplified: result, bytes } =
      params.fileBytes === null
        ? { simplified: simplifyMesh(before, limits, here), bytes: null }
        : simplifyToFile(before, params.fileKind, params.fileBytes, limits, here)
    const health = checkHealth(result.mesh, stage(context, 0.5, 1))
    return {
      outputs: { mesh: result.mesh },
      figures: {
        before: before.indices.length / 3,
        deviationMm: result.deviationMm,
        faultyPoints: result.faultyPoints,
        ...(bytes !== null && { fileBytes: bytes, fileKind: params.fileKind }),
        ...healthFigures(health),
      },
      details: healthDetails(result.mesh, health),
      findings: [
        ...healthFindings(health),
        ...pictureGone(before),
        ...(params.faces !== null &&
        params.capMm !== null &&
        allowed === params.capMm &&
        result.mesh.indices.length / 3 > FAR_FROM_ASKED * params.faces
          ? [
              {
                id: 'mend.cap',
                verdict: 'doubtful' as const,
                text:
                  `The brief allows the surface to move by ${mm(params.capMm)}; with that, ` +
                  `${grouped(result.mesh.indices.length / 3)} triangles are left, not ${grouped(params.faces)}.`,
                nextMove: 'Widen the tolerance in the brief, if fewer triangles matter more',
              },
            ]
          : []),
        ...tooLarge(bytes, params),
        ...(result.faultyPoints > 0
          ? [
              {
                id: 'mend.simplify',
                verdict: 'doubtful' as const,
                text:
                  `The mesh folds or pinches at ${grouped(result.faultyPoints)} points where it did not ` +
                  'before; so few triangles cannot hold its shape there.',
                nextMove: 'Undo, and ask for more triangles',
              },
            ]
          : []),
      ],
    }
  },
  describe: (_params, figures) =>
    `Simplified from ${grouped(Number(figures.before))} to ${grouped(Number(figures.faces))} ` +
    `triangles, deviation ${mm(Number(figures.deviationMm), 3)}` +
    (figures.fileBytes === undefined
      ? ''
      : `; as ${String(figures.fileKind).toUpperCase()} ${bytesText(Number(figures.fileBytes))}`),
})
