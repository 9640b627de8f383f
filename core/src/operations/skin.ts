import Joi from 'joi'
import { stage } from '../context'
import type { EdgeChoice } from '../crease/keep-edges'
import { evidenceShares } from '../fuse/evidence'
import { insideOut } from '../fuse/inside-out'
import { forecastSkin, spacingForFaces, type SkinGround } from '../fuse/predict'
import { makeSkin } from '../fuse/skin'
import { trialSkin } from '../fuse/trial'
import { GeometryError } from '../errors'
import { grouped, type Finding } from '../findings'
import { massProperties } from '../mesh/health'
import { isIdentity } from '../linear/rigid'
import { uprightOf } from '../linear/upright'
import { optional, WORKS_ON } from './inputs'
import { defineOperation, ONE_NAME_EACH } from './operation'
import {
  apartFinding,
  edgeFigures,
  edgesFinding,
  evidenceFinding,
  facesInwards,
  partsFinding,
  thinFinding,
  turnedFinding,
} from './skin-findings'
import { placedTakes, takesInSkin, turnedOver } from './skin-takes'

interface Params {
  names: string[]
  spacingMm: number
  /** So many triangles in place of a spacing. */
  triangles: number | null
  largeWhereFlat: boolean
  dense: boolean
  edges: EdgeChoice
  /** Takes that face into the piece are turned over. */
  turn: boolean
  closed: boolean
  allParts: boolean
  /** Which way is up in the fixed take's frame, as the table it stood on showed; null: its third axis. */
  up: number[] | null
}

/** Fewer cannot follow anything; more no machine here could hold. */
const LEAST_TRIANGLES = 500
const MOST_TRIANGLES = 20_000_000

/** How fine the skin is to be: as said, or as so many triangles on what it will cover ask. */
function spacingOf({ spacingMm, triangles }: Params, ground: SkinGround | null): number {
  if (triangles === null || !ground) return spacingMm
  if (!(ground.areaMm2 > 0)) throw new GeometryError('EMPTY', 'The takes enclose nothing that triangles could cover.')
  return spacingForFaces(ground.areaMm2, triangles)
}

/** A length as it is told: three digits. */
const short = (lengthMm: number): number => Number(lengthMm.toPrecision(3))

/** One closed surface from joined takes. Takes without normals get them first. */
export const skinTakes = defineOperation({
  name: 'skin.make',
  version: 2,
  inputs: { takes: WORKS_ON.takes, motions: optional(WORKS_ON.join) },
  params: Joi.object<Params>({
    names: Joi.array().items(Joi.string()).min(1).unique().required().messages(ONE_NAME_EACH),
    // Left out only where a number of triangles says how fine.
    spacingMm: Joi.number()
      .positive()
      .when('triangles', { is: Joi.number().required(), then: Joi.optional(), otherwise: Joi.required() })
      .messages({
        'number.positive': 'The spacing must be larger than 0 mm',
        'any.required': 'Say how fine the skin is to be: a spacing, or a number of triangles',
      }),
    triangles: Joi.number()
      .integer()
      .min(LEAST_TRIANGLES)
      .max(MOST_TRIANGLES)
      .allow(null)
      .default(null)
      .messages({
        'number.min': `A skin has at least ${LEAST_TRIANGLES} triangles`,
        'number.max': `A skin has at most ${grouped(MOST_TRIANGLES)} triangles`,
      }),
    largeWhereFlat: Joi.boolean().default(false),
    dense: Joi.boolean().default(false),
    edges: Joi.string().valid('off', 'careful', 'strong').default('off'),
    turn: Joi.boolean().default(false),
    closed: Joi.boolean().default(true),
    allParts: Joi.boolean().default(false),
    up: Joi.array().items(Joi.number()).length(3).allow(null).default(null),
  }),
  onPiece: { track: 'mesh', doing: () => 'Making the skin' },
  estimate: (inputs, params) => {
    const laid = placedTakes(inputs, params.names)
    const ground = trialSkin(laid, params.closed)
    const forecast = forecastSkin(ground, spacingOf(params, ground), params)
    return { work: forecast.work, bytes: forecast.memoryBytes }
  },
  run(inputs, params, context) {
    if (params.dense && params.triangles !== null)
      throw new GeometryError(
        'PARAMS',
        'A dense skin has as many triangles as its spacing makes: ask for one or the other.',
      )
    const given = takesInSkin(inputs, params, stage(context, 0, 0.2))
    const wrong = insideOut(given)
    // Where such a take lies on another, the two cancel out: what came of it would be no surface at all.
    if (wrong.length > 0 && !params.turn) throw facesInwards(wrong.map((i) => params.names[i]))
    const takes = given.map((t, i) => (wrong.includes(i) ? turnedOver(t) : t))
    const spacingMm = spacingOf(params, params.triangles === null ? null : trialSkin(takes, params.closed))
    const {
      mesh: local,
      pointSpacingMm,
      parts,
      partsDropped,
      deviation,
      edges,
      apart,
      thin,
    } = makeSkin(
      takes,
      {
        spacingMm,
        closed: params.closed,
        allParts: params.allParts,
        dense: params.dense,
        largeWhereFlat: params.largeWhereFlat,
        edges: params.edges,
        ...(params.triangles !== null && { triangles: params.triangles }),
        ...(context.memoryBytes !== undefined && { maxBytes: context.memoryBytes }),
      },
      stage(context, 0.2, 1),
    )
    // The common frame is the fixed take's, with the place it holds in its file; stood upright it has no place there
    // any more.
    const originMm = uprightOf(params.up) ? undefined : takes.find((t) => isIdentity(t.motion))?.cloud.originMm
    const mesh = originMm ? { ...local, originMm } : local
    const shares = evidenceShares(mesh)
    const { areaMm2, volumeMm3 } = massProperties(mesh)
    const fine = spacingMm < pointSpacingMm / 2
    const findings: Finding[] = [evidenceFinding(shares)]
    if (edges) findings.push(edgesFinding(edges, params.edges))
    if (wrong.length > 0) findings.push(turnedFinding(wrong.map((i) => params.names[i])))
    const walls = thinFinding(thin, spacingMm)
    if (walls) findings.push(walls)
    if (apart.shared > 0) findings.push(apartFinding(apart))
    if (fine) {
      findings.push({
        id: 'skin.finerThanPoints',
        verdict: 'doubtful',
        text:
          `A spacing of ${short(spacingMm)} mm asks more than the points hold; they lie about ` +
          `${pointSpacingMm.toFixed(2)} mm apart. A coarser skin says as much.`,
      })
    }
    if (partsDropped.length > 0 || parts.length > 1) findings.push(partsFinding(parts, partsDropped, spacingMm))
    return {
      outputs: { mesh },
      figures: {
        spacingMm: short(spacingMm),
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
        // Where fewer triangles stand for the fused points, how far they lie off them.
        ...(deviation && { offRmsMm: deviation.rmsMm, offMostMm: deviation.mostMm }),
        ...(edges && edgeFigures(edges)),
        insideOut: wrong.length,
        thinWalls: thin.share,
        thinWallsMm: thin.thicknessMm,
        seenTwice: apart.shared,
        takesApart: apart.apart,
        takesApartMm: apart.meanMm,
        closed: params.closed,
      },
      findings,
    }
  },
  describe: (params, figures) =>
    `Made a ${params.closed ? 'closed' : 'open'}${params.dense ? ', dense' : ''} skin ` +
    `${params.edges === 'off' ? '' : 'with its edges '}at ${figures.spacingMm} mm: ` +
    `${grouped(Number(figures.faces))} triangles`,
})
