import { stage, type RunContext } from '../context'
import { GeometryError } from '../errors'
import { fillHoles } from '../holes/fill-holes'
import { carryOver } from '../mesh/carry-over'
import { keepParts, meshComponents, partSizesMm } from '../mesh/components'
import { cutApart } from '../mesh/cut-apart'
import { checkHealth, splitVertices, type MeshHealth } from '../mesh/health'
import { vertexNormals } from '../mesh/normals'
import { edgeTopology } from '../mesh/topology'
import { dropUnusedVertices, pickFaces, weldVertices } from '../mesh/weld'
import { boundsOf, diagonal, pickPoints, type TriangleMesh } from '../shapes'
import { UnionFind } from '../spatial/union-find'
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
  'caps' | 'doubles' | 'fins' | 'turned' | 'cut' | 'crumbs' | 'crossings' | 'united' | 'holes' | 'inside' | 'outward'
export interface Healed {
  readonly mesh: TriangleMesh
  /** How many faces, edges, parts or holes each act was about. */
  readonly acts: ReadonlyMap<HealAct, number>
  readonly health: MeshHealth
}

/** So often the best of all tries is what the next begin with. */
const PASSES = 3
/** How many rings of faces are taken out round those that cross, from one try to the next. */
const RINGS = [0, 1, 2, 3, 5, 8]

/**
 * Brings a mesh of unknown making into order: faces that are none go, neighbours face alike, surfaces that touch are cut
 * apart, holes are closed, what crosses is taken out with its surroundings and closed anew, parts face outward. Each step
 * is kept only where it leaves the mesh no worse; the outcome is checked, and what is still wrong is in its health.
 */
export async function healMesh(input: TriangleMesh, options: HealOptions, context: RunContext): Promise<Healed> {
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
  let state: State = { mesh, health: checkHealth(mesh, stage(context, 0.3, 0.4)), acts: [] }
  const united = await unitedBodies(state, stage(context, 0.4, 0.5))
  for (const [act, n] of united.acts) did(act, n)
  state = united
  for (let pass = 0; pass < PASSES && state.health.crossings > 0; pass++) {
    const share = stage(context, 0.5 + (0.5 * pass) / PASSES, 0.5 + (0.5 * (pass + 1)) / PASSES)
    const freed = withoutCrossings(state, share)
    if (freed === state) break
    for (const [act, n] of freed.acts) did(act, n)
    state = freed
  }
  return { mesh: state.mesh, acts, health: state.health }
}

interface State {
  readonly mesh: TriangleMesh
  readonly health: MeshHealth
  readonly acts: readonly (readonly [HealAct, number])[]
}

/**
 * Takes out what crosses, with more and more of its surroundings, until nothing crosses and nothing has come apart.
 * @returns the best of what was tried; the same where nothing is better
 */
function withoutCrossings(state: State, context: RunContext): State {
  let best = state
  for (let i = 0; i < RINGS.length; i++) {
    const share = stage(context, i / RINGS.length, (i + 1) / RINGS.length)
    const opened = takeOutCrossings(state.mesh, RINGS[i], stage(share, 0, 0.3))
    const acts: [HealAct, number][] = [['crossings', opened.count]]
    const told: Told = (act, n) => void acts.push([act, n])
    // What went through each other becomes one: the rims that face each other now get a band.
    const whole = closed(inOrder(opened.mesh, told), told, stage(share, 0.3, 0.6), true)
    const mesh = drawnApart(whole, told, stage(share, 0.6, 0.7))
    if (mesh.indices.length === 0) continue
    const health = checkHealth(mesh, stage(share, 0.7, 1))
    if (isBetter(health, best.health)) best = { mesh, health, acts }
    if (best.health.crossings === 0 && best.health.components <= state.health.components) break
  }
  return best
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
function closed(mesh: TriangleMesh, did: Told, context: RunContext, bands = false): TriangleMesh {
  const filled = fillHoles(mesh, { perimeterMm: Infinity, bands }, stage(context, 0, 0.5))
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

/**
 * Closed bodies that go through each other are made one, where the host can; what crosses itself stays for later.
 * @returns the same where there are none, or where the outcome is no better
 */
async function unitedBodies(state: State, context: RunContext): Promise<State> {
  const { mesh, health } = state
  if (!context.solids || health.crossings === 0 || !health.closed || health.components < 2) return state
  const { label, faces } = meshComponents(mesh)
  const groups = new UnionFind(faces.length)
  const { crossingFaces: pairs } = health
  const partOf = (face: number): number => label[mesh.indices[face * 3]]
  for (let i = 0; i < pairs.length; i += 2) groups.union(partOf(pairs[i]), partOf(pairs[i + 1]))
  const parts = [...faces.keys()].filter((part) => faces[part] > 0)
  const crossing = parts.filter((part) =>
    parts.some((other) => other !== part && groups.find(part) === groups.find(other)),
  )
  if (crossing.length === 0) return state
  const bodies = crossing.map((part) => pickFaces(mesh, (v) => label[v] === part))
  try {
    const one = carryOver(mesh, weldVertices(await context.solids.unite(bodies)))
    const rest = pickFaces(mesh, (v) => !crossing.includes(label[v]))
    const whole = merged(rest, one)
    const now = checkHealth(whole, stage(context, 0.5, 1))
    return isBetter(now, health) ? { mesh: whole, health: now, acts: [['united', crossing.length]] } : state
  } catch (e) {
    // A body that crosses itself is none to the library: its crossings are taken out, as any others.
    if (e instanceof GeometryError && e.code === 'SHAPE') return state
    throw e
  }
}

/** Two meshes as one: what only one of them knows of its points, and pictures, are left out. */
function merged(a: TriangleMesh, b: TriangleMesh): TriangleMesh {
  const points = a.positions.length / 3
  const both = <T extends Uint8Array | Float32Array>(
    x: T | undefined,
    y: T | undefined,
    Store: new (n: number) => T,
  ) => {
    if (!x || !y) return undefined
    const out = new Store(x.length + y.length)
    out.set(x)
    out.set(y, x.length)
    return out
  }
  const positions = both(a.positions, b.positions, Float32Array)!
  const indices = new Uint32Array(a.indices.length + b.indices.length)
  indices.set(a.indices)
  indices.set(
    b.indices.map((v) => v + points),
    a.indices.length,
  )
  const evidence = both(a.evidence, b.evidence, Uint8Array),
    colours = both(a.colours, b.colours, Uint8Array)
  const { originMm } = a
  return {
    kind: 'mesh',
    positions,
    indices,
    ...(evidence && { evidence }),
    ...(colours && { colours }),
    ...(originMm && { originMm }),
  }
}

/** Fewer open edges, fewer faults, fewer crossings, fewer parts come first, in this order. */
function isBetter(now: MeshHealth, before: MeshHealth): boolean {
  const marks = (h: MeshHealth): number[] => [
    h.borderEdges,
    h.nonManifoldEdges + h.flippedEdges + h.nonManifoldVertices,
    h.crossings,
    h.components,
  ]
  const [a, b] = [marks(now), marks(before)]
  const k = a.findIndex((v, i) => v !== b[i])
  return k >= 0 && a[k] < b[k]
}
