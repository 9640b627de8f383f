import Joi from 'joi'
import { stage } from '../context'
import { fillHoles } from '../mesh/fill-holes'
import { checkHealth, type MeshHealth } from '../mesh/health'
import { grouped, type Finding } from '../findings'
import { defineOperation, meshOf, type Figures } from './operation'

interface FillParams { perimeterMm: number | null }

export const closeHoles = defineOperation<FillParams>({
  name: 'mend.closeHoles',
  version: 1,
  inputs: { mesh: 'mesh' },
  params: Joi.object<FillParams>({ perimeterMm: Joi.number().positive().allow(null).default(null) }),
  estimate: ({ mesh }) => ({ work: (mesh as { indices: Uint32Array }).indices.length / 5e5, bytes: (mesh as { indices: Uint32Array }).indices.byteLength * 12 }),
  run(inputs, params, context) {
    const result = fillHoles(meshOf(inputs, 'mesh'), { perimeterMm: params.perimeterMm ?? Infinity }, stage(context, 0, 0.5))
    const health = checkHealth(result.mesh, stage(context, 0.5, 1))
    return {
      outputs: { mesh: result.mesh },
      figures: { closedHoles: result.closedHoles, leftOpen: result.leftOpen, facesAdded: result.facesAdded, ...healthFigures(health) },
      findings: healthFindings(health),
    }
  },
  describe: (params, figures) => `Closed ${figures.closedHoles} holes${params.perimeterMm === null ? '' : ` with a rim up to ${params.perimeterMm} mm`}; ${figures.leftOpen} left open`,
})

export const healthCheck = defineOperation<Record<string, never>>({
  name: 'mend.health',
  version: 1,
  inputs: { mesh: 'mesh' },
  params: Joi.object<Record<string, never>>({}),
  estimate: ({ mesh }) => ({ work: (mesh as { indices: Uint32Array }).indices.length / 6e5, bytes: (mesh as { indices: Uint32Array }).indices.byteLength * 10 }),
  run(inputs, _params, context) {
    const health = checkHealth(meshOf(inputs, 'mesh'), context)
    return { outputs: {}, figures: healthFigures(health), findings: healthFindings(health) }
  },
  describe: (_params, figures) => `Checked the mesh: ${figures.closed ? 'closed' : 'open'}, ${figures.crossings} crossings`,
})

export function healthFigures(h: MeshHealth): Figures {
  return {
    faces: h.faces, vertices: h.vertices, components: h.components, holes: h.loops.length, borderEdges: h.borderEdges,
    largestRimMm: h.loops[0]?.perimeterMm ?? 0, nonManifoldEdges: h.nonManifoldEdges, nonManifoldVertices: h.nonManifoldVertices,
    flippedEdges: h.flippedEdges, zeroAreaFaces: h.zeroAreaFaces, crossings: h.crossings, crossingsComplete: h.crossingsComplete, closed: h.closed, manifold: h.manifold,
    genus: h.genus ?? 'not defined', areaMm2: h.areaMm2, volumeMm3: h.volumeMm3,
  }
}

export function healthFindings(h: MeshHealth): Finding[] {
  const faults = [
    h.loops.length > 0 && `${grouped(h.loops.length)} ${h.loops.length === 1 ? 'hole' : 'holes'}, the largest with a rim of ${(h.loops[0]!.perimeterMm).toFixed(0)} mm`,
    h.nonManifoldEdges > 0 && `${grouped(h.nonManifoldEdges)} edges where more than two faces meet`,
    h.nonManifoldVertices > 0 && `${grouped(h.nonManifoldVertices)} points where surfaces only touch`,
    h.flippedEdges > 0 && `${grouped(h.flippedEdges)} edges between faces turned against each other`,
    h.zeroAreaFaces > 0 && `${grouped(h.zeroAreaFaces)} faces without area`,
    h.crossings > 0 && `${h.crossingsComplete ? '' : 'more than '}${grouped(h.crossings)} places where faces cross`,
    h.crossings === 0 && !h.crossingsComplete && 'so many faces on one another that not all could be looked at for crossings',
    h.closed && h.volumeMm3 < 0 && 'all faces look inward',
  ].filter((t): t is string => typeof t === 'string')
  if (faults.length === 0) {
    return [{ id: 'mend.health', verdict: 'sound', text: `The skin is closed and clean: ${grouped(h.faces)} triangles, ${h.components === 1 ? 'one part' : `${h.components} parts`}, ${(h.volumeMm3 / 1000).toFixed(1)} cm³.` }]
  }
  return [{
    id: 'mend.health', verdict: h.closed && h.manifold ? 'doubtful' : 'unsound',
    text: `The mesh has ${faults.join('; ')}. ${h.loops.length > 0 ? 'A printer needs it closed.' : 'A slicer may stumble over it.'}`,
    ...(h.loops.length > 0 && { nextMove: 'Close the holes' }),
  }]
}
