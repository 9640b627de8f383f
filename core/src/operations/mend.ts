import Joi from 'joi'
import { stage, type RunContext } from '../context'
import { handleLoops } from '../heal/handle-loops'
import { fillHoles, type FillKind, type FillResult } from '../holes/fill-holes'
import { checkHealth, type MeshHealth } from '../mesh/health'
import { grouped, volumeText, type Finding } from '../findings'
import { faultsOf, spikeFaults, type Fault } from '../mesh/faults'
import { curveOf, rimsOfMesh } from '../mesh/rims'
import { thinSpots, usualThinMm } from '../mesh/thin-spots'
import { weldVertices } from '../mesh/weld'
import type { TriangleMesh } from '../shapes'
import { WORKS_ON } from './inputs'
import { ANYWHERE, defineOperation, type Figures } from './operation'

interface FillParams {
  perimeterMm: number | null
  kind: FillKind
}

export type { Fault }

/** What the check tells beyond figures: the holes there are, the largest first. */
export interface HealthDetails {
  readonly holes: readonly HoleTold[]
  /** Where else something is wrong; left out by steps of before. */
  readonly faults?: readonly Fault[]
  /** Loops round handles and through them, the shortest first; only the check of health itself looks for them. */
  readonly handles?: readonly HandleTold[]
}
export interface HandleTold {
  readonly lengthMm: number
  /** The loop as a closed curve, x, y, z of its corners. */
  readonly loop: readonly number[]
}
export interface HoleTold {
  readonly perimeterMm: number
  /** Its rim as a closed curve, x, y, z of its corners. */
  readonly rim: readonly number[]
}
declare module './details' {
  interface OperationDetails {
    'mend.health': HealthDetails
    'mend.closeHoles': HealthDetails
    'mend.simplify': HealthDetails
    'skin.adopt': HealthDetails
  }
}

/** Holes that are told one by one. */
const MAX_HOLES_TOLD = 100

/** @param mesh the one that was checked */
export const healthDetails = (mesh: TriangleMesh, health: MeshHealth): HealthDetails => {
  const welded = weldVertices(mesh)
  const { crossings, nonManifoldEdges, nonManifoldVertices, flippedEdges, zeroAreaFaces, components } = health
  const counted = crossings + nonManifoldEdges + nonManifoldVertices + flippedEdges + zeroAreaFaces
  // A mesh of one part without any has spikes at most, and is looked through once.
  const faults = counted > 0 || components > 1 ? faultsOf(welded, health.crossingFaces) : spikeFaults(welded)
  if (health.loops.length === 0) return { holes: [], faults }
  return {
    holes: rimsOfMesh(welded)
      .slice(0, MAX_HOLES_TOLD)
      .map(({ vertices, perimeterMm }) => ({ perimeterMm, rim: curveOf(welded, vertices) })),
    faults,
  }
}

export const closeHoles = defineOperation({
  name: 'mend.closeHoles',
  // Version 2: no patch crosses the surface, sharp bends are avoided first.
  version: 2,
  inputs: { mesh: WORKS_ON.skin },
  params: Joi.object<FillParams>({
    perimeterMm: Joi.number().positive().allow(null).default(null),
    kind: Joi.string().valid('curved', 'flat').default('curved'),
  }),
  onPiece: { track: 'mesh', doing: () => 'Closing holes' },
  again: ANYWHERE,
  estimate: ({ mesh }) => ({
    work: mesh.indices.length / 5e5,
    bytes: mesh.indices.byteLength * 12,
  }),
  run(inputs, params, context) {
    const result = fillHoles(
      inputs.mesh,
      { perimeterMm: params.perimeterMm ?? Infinity, kind: params.kind },
      stage(context, 0, 0.5),
    )
    const health = checkHealth(result.mesh, stage(context, 0.5, 1))
    return {
      outputs: { mesh: result.mesh },
      figures: {
        closedHoles: result.closedHoles,
        leftOpen: result.leftOpen,
        refused: result.refused.length,
        flatter: result.flatter,
        facesAdded: result.facesAdded,
        ...healthFigures(health),
      },
      findings: [...healthFindings(health), ...fillFindings(result)],
      details: healthDetails(result.mesh, health),
    }
  },
  describe: (params, figures) =>
    `Closed ${figures.closedHoles} holes` +
    `${params.perimeterMm === null ? '' : ` with a rim up to ${params.perimeterMm} mm`}` +
    `${params.kind === 'flat' ? ', flat' : ''}; ${figures.leftOpen} left open`,
})

/** What did not go as asked: nothing is laid over a hole that would cross the surface. */
function fillFindings({ refused, flatter }: FillResult): Finding[] {
  const holes = (n: number): string => `${grouped(n)} ${n === 1 ? 'hole' : 'holes'}`
  return [
    ...(refused.length > 0
      ? [
          {
            id: 'mend.refused',
            verdict: 'unsound' as const,
            text: `Whatever is laid over ${holes(refused.length)} would cross the surface; left open.`,
            nextMove: 'Cut the surface round such a hole wider, and close it then',
          },
        ]
      : []),
    ...(flatter > 0
      ? [
          {
            id: 'mend.flatter',
            verdict: 'doubtful' as const,
            text: `${holes(flatter)} closed flatter than the surface round ${flatter === 1 ? 'it' : 'them'}, which would have crossed it.`,
          },
        ]
      : []),
  ]
}

export const healthCheck = defineOperation({
  name: 'mend.health',
  // Version 2: loops of handles are told. Version 3: thin spots.
  version: 3,
  inputs: { mesh: WORKS_ON.skin },
  params: Joi.object<{ thinMm: number | null }>({
    /** What is thinner is listed, mm; null: a millimetre, or a fiftieth of a small piece. */
    thinMm: Joi.number().positive().max(1e4).allow(null).default(null).label('thickness'),
  }),
  onPiece: { track: 'mesh', doing: () => 'Checking the skin' },
  estimate: ({ mesh }) => ({
    work: mesh.indices.length / 6e5,
    bytes: mesh.indices.byteLength * 10,
  }),
  run(inputs, params, context) {
    const health = checkHealth(inputs.mesh, stage(context, 0, 0.5))
    const details = healthDetails(inputs.mesh, health)
    const thinUnderMm = params.thinMm ?? usualThinMm(inputs.mesh)
    const { spots, thinnestMm } = thinSpots(weldVertices(inputs.mesh), thinUnderMm, stage(context, 0.5, 0.7))
    return {
      outputs: {},
      figures: {
        ...healthFigures(health),
        thinUnderMm,
        thinSpots: spots.length,
        ...(spots.length > 0 && { thinnestMm }),
      },
      findings: healthFindings(health),
      details: {
        ...details,
        faults: [...(details.faults ?? []), ...spots],
        handles: handlesOf(inputs.mesh, health, stage(context, 0.7, 1)),
      },
    }
  },
  describe: (_params, figures) =>
    `Checked the mesh: ${figures.closed ? 'closed' : 'open'}, ${figures.crossings} crossings`,
})

/** Other triangles than a picture was laid over. */
export const pictureGone = ({ pictures }: TriangleMesh): Finding[] =>
  pictures
    ? [
        {
          id: 'mend.picture',
          verdict: 'doubtful',
          text: 'The picture on the skin belongs to the triangles that were; it was taken off.',
        },
      ]
    : []

/** Looking for loops takes longer than a check on larger meshes than this. */
const MOST_FACES_FOR_HANDLES = 600_000

function handlesOf(mesh: TriangleMesh, { genus, faces }: MeshHealth, context: RunContext): HandleTold[] {
  if (genus === null || genus < 1 || faces > MOST_FACES_FOR_HANDLES) return []
  const welded = weldVertices(mesh)
  return handleLoops(welded, genus, context).map(({ points, lengthMm }) => ({
    lengthMm,
    loop: curveOf(welded, points),
  }))
}

/** Health as the figures of a step: counts, mm, mm², mm³. */
export function healthFigures(h: MeshHealth): Figures {
  return {
    faces: h.faces,
    vertices: h.vertices,
    components: h.components,
    holes: h.loops.length,
    borderEdges: h.borderEdges,
    largestRimMm: h.loops[0]?.perimeterMm ?? 0,
    nonManifoldEdges: h.nonManifoldEdges,
    nonManifoldVertices: h.nonManifoldVertices,
    flippedEdges: h.flippedEdges,
    zeroAreaFaces: h.zeroAreaFaces,
    sliverFaces: h.sliverFaces,
    bentEdges: h.bentEdges,
    crossings: h.crossings,
    crossingsComplete: h.crossingsComplete,
    closed: h.closed,
    manifold: h.manifold,
    genus: h.genus ?? 'not defined',
    areaMm2: h.areaMm2,
    volumeMm3: h.volumeMm3,
  }
}

/** Health as findings. */
export const healthFindings = (h: MeshHealth): Finding[] => [healthOf(healthFigures(h))]

/**
 * What a mesh's figures say of its health, whichever act left them. Not closed is never sound, whatever the reason;
 * what was not looked for is said.
 */
export function healthOf(f: Figures): Finding {
  const n = (key: string): number => Number(f[key] ?? 0)
  const closed = f.closed === true
  const holes = n('holes')
  const faults = [
    holes > 0 &&
      `${grouped(holes)} ${holes === 1 ? 'hole' : 'holes'}, the largest with a rim of ` +
        `${n('largestRimMm').toFixed(0)} mm`,
    holes === 0 && n('borderEdges') > 0 && `${grouped(n('borderEdges'))} open edges that make no whole rim`,
    n('nonManifoldEdges') > 0 && `${grouped(n('nonManifoldEdges'))} edges where more than two faces meet`,
    n('nonManifoldVertices') > 0 && `${grouped(n('nonManifoldVertices'))} points where surfaces only touch`,
    n('flippedEdges') > 0 && `${grouped(n('flippedEdges'))} edges between faces turned against each other`,
    n('zeroAreaFaces') > 0 && `${grouped(n('zeroAreaFaces'))} faces without area`,
    n('crossings') > 0 &&
      `${f.crossingsComplete === false ? 'more than ' : ''}${grouped(n('crossings'))} places where faces cross`,
    n('crossings') === 0 &&
      f.crossingsComplete === false &&
      'so many faces on one another that not all could be looked at for crossings',
    closed && n('volumeMm3') < 0 && 'all faces look inward',
  ].filter((t): t is string => typeof t === 'string')
  const looked = n('crossings') >= 0
  if (closed && faults.length === 0 && looked) {
    return {
      id: 'mend.health',
      verdict: 'sound',
      text:
        `The skin is closed and clean: ${grouped(n('faces'))} triangles, ` +
        `${n('components') === 1 ? 'one part' : `${n('components')} parts`}, ` +
        `${volumeText(n('volumeMm3'))}.`,
    }
  }
  const what =
    faults.length > 0
      ? `The mesh has ${faults.join('; ')}.`
      : closed
        ? 'The mesh is closed.'
        : 'The mesh is not closed.'
  const so = !closed
    ? 'A printer needs it closed.'
    : faults.length > 0
      ? 'A slicer may stumble over it.'
      : 'Nobody has looked for crossings yet.'
  return {
    id: 'mend.health',
    verdict: closed && f.manifold !== false ? 'doubtful' : 'unsound',
    text: `${what} ${so}`,
    ...(holes > 0 && { nextMove: 'Close the holes' }),
  }
}
