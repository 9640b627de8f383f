import Joi from 'joi'
import { stage } from '../context'
import { estimateFeatures } from '../cloud/normals'
import { evidenceShares } from '../fuse/evidence'
import { forecastSkin } from '../fuse/predict'
import { makeSkin } from '../fuse/skin'
import { trialSkin } from '../fuse/trial'
import { GeometryError } from '../errors'
import { grouped, mm, percent, type Finding } from '../findings'
import type { MeshPart } from '../mesh/components'
import { massProperties } from '../mesh/health'
import { compose, identityMotion, isIdentity } from '../linear/rigid'
import { uprightOf } from '../linear/upright'
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

/** A part of at least so many spacings may be something of the piece; a smaller one is a crumb. */
const CRUMB_SPACINGS = 6

/** What stands apart, by its size: kept, or left off. */
function partsFinding(parts: readonly MeshPart[], dropped: readonly MeshPart[], spacingMm: number): Finding {
  const sizes = (list: readonly MeshPart[]): string =>
    list
      .slice(0, 4)
      .map((p) => mm(p.sizeMm, 1))
      .join(', ') + (list.length > 4 ? ' …' : '')
  const large = dropped.filter((p) => p.sizeMm >= CRUMB_SPACINGS * spacingMm)
  const left =
    dropped.length > 0 &&
    `${dropped.length === 1 ? 'One part that stood apart was' : `${dropped.length} parts that stood apart were`} left off, ` +
      `${sizes(dropped)} across.`
  return {
    id: 'skin.parts',
    verdict: large.length > 0 ? 'doubtful' : 'sound',
    text: [parts.length > 1 && `The skin has ${parts.length} parts, ${sizes(parts)} across.`, left]
      .filter((t) => typeof t === 'string')
      .join(' '),
    ...(large.length > 0 && { nextMove: 'Keep loose parts, and make the skin again, if they belong to the piece' }),
  }
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
  estimate: ({ takes, motions }, { names, spacingMm, closed }) => {
    const placed = motions?.motions ?? {}
    const laid = takes.map((cloud, i) => ({
      cloud,
      motion: Object.hasOwn(placed, names[i]) ? placed[names[i]] : identityMotion(),
    }))
    const forecast = forecastSkin(trialSkin(laid, closed), spacingMm)
    return { work: forecast.work, bytes: forecast.memoryBytes }
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
      parts,
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
    if (partsDropped.length > 0 || parts.length > 1) findings.push(partsFinding(parts, partsDropped, params.spacingMm))
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
        parts: parts.length,
        partsDropped: partsDropped.length,
        closed: params.closed,
      },
      findings,
    }
  },
  describe: (params, figures) =>
    `Made a ${params.closed ? 'closed' : 'open'} skin at ${params.spacingMm} mm: ` +
    `${grouped(Number(figures.faces))} triangles`,
})
