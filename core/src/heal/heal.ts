import { stage, type RunContext } from '../context'
import { fillHoles } from '../holes/fill-holes'
import { keepParts, meshComponents, partSizesMm } from '../mesh/components'
import { cutApart } from '../mesh/cut-apart'
import { checkHealth, splitVertices, type MeshHealth } from '../mesh/health'
import { vertexNormals } from '../mesh/normals'
import { edgeTopology } from '../mesh/topology'
import { dropUnusedVertices, weldVertices } from '../mesh/weld'
import { boundsOf, diagonal, pickPoints, type TriangleMesh } from '../shapes'
import { takeOutCrossings } from './crossing-zones'
import { faceOutward } from './outward'
import { orientAlike, surfaceTwins } from './surface-twins'
import { dropDoubles, dropFins, splitCaps, without, type Tidied } from './tidy-faces'

export interface HealOptions {
  /** Parts smaller than this share of the whole's size go; 0 keeps all. */
  readonly crumbs: number
  /** Holes stay as they are, but for those that taking crossings out makes. */
  readonly keepsHoles?: boolean
}

/** What was done, in the order it was first done. */
export type HealAct =
  'caps' | 'doubles' | 'fins' | 'turned' | 'cut' | 'crumbs' | 'crossings' | 'holes' | 'inside' | 'outward'
export interface Healed {
  readonly mesh: TriangleMesh
  /** How many faces, edges, parts or holes each act was about. */
  readonly acts: ReadonlyMap<HealAct, number>
  readonly health: MeshHealth
}

/** How many rings of faces are taken out round those that cross, from one try to the next. */
const RINGS = [0, 1, 2, 3, 5, 8]

/**
 * Brings a mesh of unknown making into order: faces that are none go, neighbours face alike, surfaces that touch are cut
 * apart, holes are closed, what crosses is taken out with its surroundings and closed anew, parts face outward. Each step
 * is kept only where it leaves the mesh no worse; the outcome is checked, and what is still wrong is in its health.
 */
export function healMesh(input: TriangleMesh, options: HealOptions, context: RunContext): Healed {
  const acts = new Map<HealAct, number>()
  const did = (act: HealAct, count: number): void => {
    if (count > 0) acts.set(act, (acts.get(act) ?? 0) + count)
  }
  let mesh = inOrder(weldVertices(input), did)
  if (options.crumbs > 0) {
    const { label } = meshComponents(mesh)
    const sizes = partSizesMm(mesh, label)
    const least = options.crumbs * diagonal(boundsOf(mesh.positions))
    const { mesh: rest, dropped } = keepParts(mesh, (v) => sizes[label[v]] >= least)
    mesh = rest
    did('crumbs', dropped.length)
  }
  if (!options.keepsHoles) mesh = closed(mesh, did, stage(context, 0.05, 0.25))
  mesh = drawnApart(mesh, did, stage(context, 0.25, 0.3))
  const outward = faceOutward(mesh)
  mesh = outward.mesh
  did('outward', outward.turned)
  did('inside', outward.buried)
  let health = checkHealth(mesh, stage(context, 0.3, 0.4))
  for (let i = 0; i < RINGS.length && health.crossings > 0; i++) {
    const share = stage(context, 0.4 + (0.6 * i) / RINGS.length, 0.4 + (0.6 * (i + 1)) / RINGS.length)
    const opened = takeOutCrossings(mesh, RINGS[i], stage(share, 0, 0.3))
    const tried: [HealAct, number][] = []
    const told: Told = (act, n) => void tried.push([act, n])
    const whole = closed(inOrder(opened.mesh, told), told, stage(share, 0.3, 0.6))
    const again = drawnApart(whole, told, stage(share, 0.6, 0.7))
    const now = checkHealth(again, stage(share, 0.7, 1))
    if (again.indices.length === 0 || worse(now, health)) continue
    did('crossings', opened.count)
    for (const [act, n] of tried) did(act, n)
    mesh = again
    health = now
  }
  return { mesh, acts, health }
}

type Told = (act: HealAct, count: number) => void

/** Faces that are none go, and neighbours face alike. */
function inOrder(input: TriangleMesh, did: Told): TriangleMesh {
  const step = (act: HealAct, { mesh, count }: Tidied): TriangleMesh => {
    did(act, count)
    return mesh
  }
  let mesh = step('caps', splitCaps(input))
  const { nonManifoldEdges, flippedEdges } = edgeTopology(mesh)
  if (nonManifoldEdges + flippedEdges === 0) return step('doubles', dropDoubles(mesh))
  mesh = step('doubles', dropDoubles(mesh))
  mesh = step('fins', dropFins(mesh))
  const alike = orientAlike(mesh)
  did('turned', alike.turned)
  return alike.mesh
}

/** Surfaces that meet in an edge or a point draw apart there; what that opens is closed. */
function drawnApart(mesh: TriangleMesh, did: Told, context: RunContext): TriangleMesh {
  const before = mesh.positions.length / 3
  if (!splitVertices(mesh, edgeTopology(mesh).twin).includes(1)) return mesh
  const { indices, source } = cutApart(mesh, surfaceTwins(mesh))
  if (source.length === before) return mesh
  did('cut', source.length - before)
  const apart = dropUnusedVertices(setApart({ ...pickPoints(mesh, source), indices }, source))
  return closed(apart, did, context)
}

/** How often the faces round a hole that nothing fits over are taken off, and of all faces how many at most. */
const WIDER = 3
const MOST_TAKEN = 0.08

/** Closes holes; one that nothing fits over is made wider by the faces round it, and tried again. */
function closed(mesh: TriangleMesh, did: Told, context: RunContext): TriangleMesh {
  const filled = fillHoles(mesh, { perimeterMm: Infinity }, stage(context, 0, 0.5))
  did('holes', filled.closedHoles)
  let now = filled.mesh
  let { refused } = filled
  for (let round = 0; round < WIDER && refused.length > 0; round++) {
    const rim = new Uint8Array(now.positions.length / 3)
    for (const { vertices } of refused) for (const v of vertices) rim[v] = 1
    const gone = new Uint8Array(now.indices.length / 3)
    let count = 0
    now.indices.forEach((v, i) => {
      const f = Math.floor(i / 3)
      if (!rim[v] || gone[f]) return
      gone[f] = 1
      count++
    })
    if (count > MOST_TAKEN * gone.length) break
    const wider = inOrder(without(now, gone, count).mesh, () => undefined)
    const tried = fillHoles(wider, { perimeterMm: Infinity }, stage(context, 0.5 + round / 6, 0.5 + (round + 1) / 6))
    if (tried.refused.length >= refused.length && round + 1 === WIDER) break
    if (tried.refused.length < refused.length) did('holes', refused.length - tried.refused.length)
    now = tried.mesh
    refused = tried.refused
  }
  return refused.length < filled.refused.length ? now : filled.mesh
}

/** Of the size of the whole: so far points that were one draw back from each other, or they would be one again. */
const GAP = 4e-6

/** Draws each of several points at one place back behind its own faces, by a hair. */
function setApart(mesh: TriangleMesh, source: Int32Array): TriangleMesh {
  const copies = new Uint8Array(source.length)
  for (const v of source) copies[v] = Math.min(2, copies[v] + 1)
  const normals = vertexNormals(mesh)
  const step = GAP * diagonal(boundsOf(mesh.positions))
  const positions = mesh.positions.slice()
  source.forEach((v, i) => {
    if (copies[v] > 1) for (let c = 0; c < 3; c++) positions[i * 3 + c] -= step * normals[i * 3 + c]
  })
  return { ...mesh, positions }
}

/** More open edges, more faults or more crossings count against an outcome, in this order. */
function worse(now: MeshHealth, before: MeshHealth): boolean {
  const faults = (h: MeshHealth): number => h.nonManifoldEdges + h.flippedEdges + h.nonManifoldVertices
  if (now.borderEdges !== before.borderEdges) return now.borderEdges > before.borderEdges
  if (faults(now) !== faults(before)) return faults(now) > faults(before)
  return now.crossings >= before.crossings
}
