import Joi from 'joi'
import { stage } from '../context'
import { GeometryError } from '../errors'
import { mm } from '../findings'
import { movedPlaces } from '../linear/similarity'
import { fillHoles, type FillKind } from '../holes/fill-holes'
import { checkHealth } from '../mesh/health'
import { curveLengthMm, findRim, rimsOfMesh } from '../mesh/rims'
import { weldVertices } from '../mesh/weld'
import { HAND_INPUTS, handEstimate } from './hand-work'
import { healthDetails, healthFigures, healthFindings, type HealthDetails } from './mend'
import { defineOperation } from './operation'
import { freeSpaceUnder, UNDER_SKIN, type UnderSkin } from './skin-takes'

interface Params extends UnderSkin {
  /** The rim as a closed curve, x, y, z of its corners. */
  rim: number[]
  kind: FillKind
  names: string[]
  up: number[] | null
  scale: number
  /** How far the rim may lie from the curve. */
  withinMm: number
}

declare module './details' {
  interface OperationDetails {
    'mend.closeHole': HealthDetails
  }
}

/** A closed curve, x, y, z of its corners. */
export const rimSchema = (label: string): Joi.ArraySchema<number[]> =>
  Joi.array<number[]>()
    .items(Joi.number())
    .min(9)
    .max(3000)
    .required()
    .custom((v: number[]) => {
      if (v.length % 3 !== 0) throw new Error('it is no list of places')
      return v
    })
    .label(label)

/** Closes one hole, found by its rim. */
export const closeHole = defineOperation({
  name: 'mend.closeHole',
  // Version 2: no patch crosses the surface, sharp bends are avoided first. Version 3: membranes that free space allows.
  version: 3,
  inputs: HAND_INPUTS,
  params: Joi.object<Params>({
    rim: rimSchema('rim'),
    kind: Joi.string().valid('curved', 'flat', 'membrane').default('curved'),
    ...UNDER_SKIN,
    withinMm: Joi.number().positive().max(1e4).default(0.5),
  }),
  onPiece: { track: 'mesh', doing: () => 'Closing a hole' },
  again: {
    moved: (params, map) => ({
      ...params,
      rim: movedPlaces(map, params.rim),
      withinMm: params.withinMm * map.scale,
    }),
    fit(params, _told, mesh, withinMm) {
      const welded = weldVertices(mesh)
      const found = findRim(welded, rimsOfMesh(welded), params.rim, withinMm)
      return found.loop === null
        ? { unfit: `only ${Math.round(found.share * 100)} % of its rim is found` }
        : { ...params, withinMm }
    },
  },
  estimate: handEstimate,
  run({ mesh, takes = [], motions }, { rim, kind, withinMm, ...under }, context) {
    const welded = weldVertices(mesh)
    const { loop } = findRim(welded, rimsOfMesh(welded), rim, withinMm)
    if (loop === null) throw new GeometryError('EMPTY', 'There is no hole with this rim any more; nothing was closed.')
    const inFree =
      kind === 'membrane' && takes.length > 0
        ? freeSpaceUnder({ takes, ...(motions && { motions }) }, under, stage(context, 0, 0.2))
        : null
    const filled = fillHoles(welded, { perimeterMm: Infinity, only: [loop], kind, inFree }, stage(context, 0.2, 0.5))
    if (filled.refused.length > 0)
      throw new GeometryError(
        'CONFLICT',
        inFree
          ? 'The takes looked through here: a skin over this hole would stand in space that was seen to be empty, or cross ' +
              'the surface. Leave it open, bridge a part of it first, or close it another way.'
          : 'Whatever is laid over this hole would cross the surface; cut the surface round it wider, or leave it open.',
      )
    const health = checkHealth(filled.mesh, stage(context, 0.5, 1))
    return {
      outputs: { mesh: filled.mesh },
      figures: {
        rimMm: curveLengthMm(rim),
        facesAdded: filled.facesAdded,
        flatter: filled.flatter,
        freeSpace: inFree !== null,
        ...healthFigures(health),
      },
      findings: [
        ...healthFindings(health),
        ...(kind === 'membrane' && !inFree
          ? [
              {
                id: 'mend.membrane',
                verdict: 'doubtful' as const,
                text: 'No take tells where it looked from, so free space is not known; the hole was closed following the curvature.',
              },
            ]
          : []),
      ],
      details: healthDetails(filled.mesh, health),
    }
  },
  describe: ({ kind }, figures) =>
    `Closed a hole with a rim of ${mm(Number(figures.rimMm), 1)}` +
    (kind === 'flat'
      ? ', flat'
      : kind === 'membrane' && figures.freeSpace === true
        ? ', by a membrane that free space allows'
        : Number(figures.flatter ?? 0) > 0
          ? ', flatter than the curve, which would have crossed the surface'
          : ', following the curve'),
})
