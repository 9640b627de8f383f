import Joi from 'joi'
import { stage } from '../context'
import { estimateFeatures } from '../cloud/normals'
import { evidenceShares } from '../fuse/evidence'
import { predictBytes, predictFaces } from '../fuse/predict'
import { makeSkin } from '../fuse/skin'
import { GeometryError } from '../errors'
import { grouped, percent, type Finding } from '../findings'
import { boundsOf, diagonal } from '../shapes'
import { massProperties } from '../mesh/health'
import { compose, identityMotion, isIdentity, rotationMotion, type Motion } from '../linear/rigid'
import { optional, WORKS_ON } from './inputs'
import { defineOperation, ONE_NAME_EACH } from './operation'

interface Params {
  names: string[]
  spacingMm: number
  closed: boolean
  allParts: boolean
  /** Which way is up in the fixed take's frame, as the table it stood on showed; null: its third axis. */
  up: number[] | null
}

/** A table's plane is found to a small part of this; what is nearer to level stays as it was taken, rad. */
const LEVEL_ENOUGH = (1 * Math.PI) / 180

/** Turns what is up to the third axis, by the shortest way; null where it is so already. */
function uprightOf(up: readonly number[] | null): Motion | null {
  if (!up) return null
  const l = Math.hypot(up[0], up[1], up[2])
  if (!(l > 0)) throw new GeometryError('PARAMS', 'Up has no direction.')
  const [x, y, z] = up.map((v) => v / l) as [number, number, number]
  const angle = Math.acos(Math.max(-1, Math.min(1, z)))
  if (angle < LEVEL_ENOUGH) return null
  const across = Math.hypot(x, y)
  // Upside down any level axis will do.
  return rotationMotion(across > 1e-9 ? [y / across, -x / across, 0] : [1, 0, 0], angle)
}

/** One closed surface from joined takes. Takes without normals get them first. */
export const skinTakes = defineOperation({
  name: 'skin.make',
  version: 1,
  inputs: { takes: WORKS_ON.takes, motions: optional(WORKS_ON.join) },
  params: Joi.object<Params>({
    names: Joi.array().items(Joi.string()).min(1).unique().required().messages(ONE_NAME_EACH),
    spacingMm: Joi.number()
      .positive()
      .required()
      .messages({ 'number.positive': 'The spacing must be larger than 0 mm' }),
    closed: Joi.boolean().default(true),
    allParts: Joi.boolean().default(false),
    up: Joi.array().items(Joi.number()).length(3).allow(null).default(null),
  }),
  onPiece: { track: 'mesh', doing: () => 'Making the skin' },
  estimate: ({ takes }, { spacingMm }) => {
    // A piece's surface is near that of the box round its points.
    const area = takes.reduce((a, t) => Math.max(a, diagonal(boundsOf(t.positions)) ** 2 * 1.5), 0)
    return { work: predictFaces(area, spacingMm) / 1e5 + 1, bytes: predictBytes(area, spacingMm) }
  },
  run(inputs, params, context) {
    const clouds = inputs.takes
    const motions = inputs.motions?.motions ?? {}
    const upright = uprightOf(params.up)
    const takes = clouds.map((cloud, i) => {
      const name = params.names[i]
      const motion = name !== undefined && Object.hasOwn(motions, name) ? motions[name] : undefined
      if (!motion && clouds.length > 1)
        throw new GeometryError('PARAMS', `There is no motion for the take "${name ?? i}".`)
      const normals = cloud.normals ?? estimateFeatures(cloud, stage(context, 0, 0.2)).normals
      return {
        cloud: { ...cloud, normals },
        motion: upright ? compose(upright, motion ?? identityMotion()) : (motion ?? identityMotion()),
      }
    })
    const {
      mesh: local,
      pointSpacingMm,
      partsDropped,
    } = makeSkin(
      takes,
      { ...params, ...(context.memoryBytes !== undefined && { maxBytes: context.memoryBytes }) },
      stage(context, 0.2, 1),
    )
    // The common frame is the fixed take's, with the place it holds in its file; stood upright it has no place there
    // any more.
    const originMm = upright ? undefined : takes.find((t) => isIdentity(t.motion))?.cloud.originMm
    const mesh = originMm ? { ...local, originMm } : local
    const shares = evidenceShares(mesh)
    const { areaMm2, volumeMm3 } = massProperties(mesh)
    const fine = params.spacingMm < pointSpacingMm / 2
    const findings: Finding[] = [
      {
        id: 'skin.evidence',
        verdict: shares.invented > 0.1 ? 'doubtful' : 'sound',
        text:
          `${percent(shares.measured)} of the skin is measured, ${percent(shares.carried)} carried ` +
          `from close by, ${percent(shares.invented)} invented to close what no take saw.`,
        figures: [
          { label: 'Measured', value: percent(shares.measured) },
          { label: 'Carried', value: percent(shares.carried) },
          { label: 'Invented', value: percent(shares.invented) },
        ],
      },
    ]
    if (fine) {
      findings.push({
        id: 'skin.finerThanPoints',
        verdict: 'doubtful',
        text:
          `A spacing of ${params.spacingMm} mm asks more than the points hold; they lie about ` +
          `${pointSpacingMm.toFixed(2)} mm apart. A coarser skin says as much.`,
      })
    }
    return {
      outputs: { mesh },
      figures: {
        spacingMm: params.spacingMm,
        pointSpacingMm,
        faces: mesh.indices.length / 3,
        vertices: mesh.positions.length / 3,
        areaMm2,
        volumeMm3,
        measured: shares.measured,
        carried: shares.carried,
        invented: shares.invented,
        partsDropped,
        closed: params.closed,
      },
      findings,
    }
  },
  describe: (params, figures) =>
    `Made a ${params.closed ? 'closed' : 'open'} skin at ${params.spacingMm} mm: ` +
    `${grouped(Number(figures.faces))} triangles`,
})
