import { checkpoint, stage, type RunContext } from '../context'
import { GeometryError } from '../errors'
import { solveCholesky } from '../linear/cholesky'
import { findCrossings } from '../mesh/crossings'
import { borderPoints, edgeTopology } from '../mesh/topology'
import { weldVertices } from '../mesh/weld'
import { EVIDENCE, type TriangleMesh } from '../shapes'
import { facetsOf } from '../mesh/facets'
import { faceNeighbours, filterNormals, type FaceNeighbours } from './face-normals'
import { flatRegions, type LaidRegion } from './flat-regions'
import { noiseOf, ringMiddles } from './noise'
import { roundRegions, type RoundRegion } from './round-regions'

/** Smoothed over like everything · kept · what is a plane or a cylinder within the noise is laid onto it, and edges where they meet. */
export const EDGE_WAYS = ['rounded', 'kept', 'true'] as const
export type EdgeWay = (typeof EDGE_WAYS)[number]

export interface DenoiseOptions {
  /** No point moves farther than this, mm, > 0. */
  readonly capMm: number
  readonly edges: EdgeWay
}

export interface Denoised {
  readonly mesh: TriangleMesh
  /** Noise of the surface before and after, mm. */
  readonly sigmaMm: number
  readonly leftMm: number
  readonly meanMm: number
  readonly mostMm: number
  /** Planes and cylinders the surface was laid onto, and the share of its faces that lie on them. */
  readonly planes: number
  readonly cylinders: number
  /** Of the cylinders, mm. */
  readonly radiiMm: readonly number[]
  readonly laidShare: number
}

/** Rounds of smoothing, outwards again by a little more than inwards (Taubin 1995). */
const TAUBIN_ROUNDS = 12
const INWARDS = 0.5
const OUTWARDS = -0.53
/** Rounds in which normals are filtered, and points follow them. */
const NORMAL_ROUNDS = 6
const POINT_ROUNDS = 12
/** Where edges are kept, what is a plane or a cylinder goes so much of the way to it: more than half of its noise goes. */
const HALF_WAY = 0.6
/** Edges that bend by more than this keep their points (cosine; 25°). */
const SHARP = Math.cos((25 * Math.PI) / 180)
/** Rounds in which what came to cross is put back, wider each time. */
const PUT_BACK = 6
/** A point that moved less than this is where it was, mm. */
const MOVED = 1e-6

/**
 * Takes noise off a surface. *Rounded* smooths without shrinking (Taubin 1995, "A signal processing approach to fair
 * surface design"); *kept* filters the normals of faces without mixing them across edges and lets points follow them
 * (Zheng et al. 2011; Sun et al. 2007), after what is a plane or a cylinder within its noise has gone more than half way to it; *true*
 * lays it there, points between two of them onto their line, between three onto their corner. No point moves farther than the cap, borders
 * stay, and where faces would cross they are put back. What moved is carried, no longer measured.
 * @throws PARAMS cap not positive
 */
export function denoise(input: TriangleMesh, { capMm, edges }: DenoiseOptions, context: RunContext): Denoised {
  if (!(capMm > 0))
    throw new GeometryError('PARAMS', `The surface must be allowed to move by more than 0 mm, not ${capMm}.`)
  const mesh = weldVertices(input)
  const { indices } = mesh
  const from = Float64Array.from(mesh.positions)
  const fixed = borderPoints(mesh)
  const sigmaMm = noiseOf(mesh)
  const p = from.slice()
  const neighbours = faceNeighbours(mesh)
  let flats: readonly LaidRegion[] = [],
    rounds: readonly RoundRegion[] = [],
    laid = 0
  if (edges === 'rounded') taubin(p, from, indices, fixed, capMm, stage(context, 0, 0.8))
  else {
    const facets = facetsOf(from, indices)
    const normals = filterNormals(facets, neighbours, NORMAL_ROUNDS)
    checkpoint(context, 1, 4, 'Taking noise off')
    const { regions, of } = flatRegions(facets, normals, neighbours, sigmaMm)
    flats = regions
    rounds = roundRegions(from, indices, normals, neighbours, of, flats.length, sigmaMm)
    const held = fixed.slice()
    layOn([...flats, ...rounds], of, edges === 'true' ? 1 : HALF_WAY, p, from, indices, held, capMm)
    for (const f of of) if (f >= 0) laid++
    const after = filterNormals(facetsOf(p, indices), neighbours, NORMAL_ROUNDS)
    follow(p, from, indices, after, withSharpHeld(mesh, after, held), capMm)
  }
  const positions = withoutNewCrossings(mesh, p, neighbours, stage(context, 0.8, 1))
  const evidence = mesh.evidence?.slice()
  let sum = 0,
    mostMm = 0
  for (let v = 0; v < positions.length / 3; v++) {
    const moved = Math.hypot(...[0, 1, 2].map((c) => positions[v * 3 + c] - mesh.positions[v * 3 + c]))
    sum += moved
    mostMm = Math.max(mostMm, moved)
    if (evidence && moved > MOVED) evidence[v] = Math.max(evidence[v], EVIDENCE.carried)
  }
  const { normals: _old, ...rest } = mesh
  const out: TriangleMesh = { ...rest, positions, ...(evidence && { evidence }) }
  return {
    mesh: out,
    sigmaMm,
    leftMm: noiseOf(out),
    meanMm: sum / Math.max(1, positions.length / 3),
    mostMm,
    planes: flats.length,
    cylinders: rounds.length,
    radiiMm: rounds.map((r) => r.radiusMm),
    laidShare: laid / Math.max(1, indices.length / 3),
  }
}

function taubin(
  p: Float64Array,
  from: Float64Array,
  indices: Uint32Array,
  fixed: Uint8Array,
  capMm: number,
  context: RunContext,
): void {
  for (let round = 0; round < TAUBIN_ROUNDS; round++) {
    checkpoint(context, round, TAUBIN_ROUNDS, 'Taking noise off')
    for (const step of [INWARDS, OUTWARDS]) {
      const middle = ringMiddles(p, indices)
      for (let i = 0; i < p.length; i++) if (!fixed[Math.floor(i / 3)]) p[i] += step * (middle[i] - p[i])
    }
    within(p, from, capMm)
  }
}

/** Points of edges that bend sharply by what faces look like without their noise stay where they are, too. */
function withSharpHeld(mesh: TriangleMesh, normals: Float64Array, held: Uint8Array): Uint8Array {
  const { twin } = edgeTopology(mesh)
  const out = held.slice()
  for (let h = 0; h < twin.length; h++) {
    const t = twin[h]
    if (t < h) continue
    const f = h - (h % 3),
      g = t - (t % 3)
    const facing = normals[f] * normals[g] + normals[f + 1] * normals[g + 1] + normals[f + 2] * normals[g + 2]
    if (facing < SHARP) out[mesh.indices[h]] = out[mesh.indices[t]] = 1
  }
  return out
}

/** Points move so that their faces come to face as they should: along each face's normal, to its middle. */
function follow(
  p: Float64Array,
  from: Float64Array,
  indices: Uint32Array,
  normals: Float64Array,
  held: Uint8Array,
  capMm: number,
): void {
  const step = new Float64Array(p.length),
    count = new Int32Array(p.length / 3)
  for (let round = 0; round < POINT_ROUNDS; round++) {
    step.fill(0)
    count.fill(0)
    for (let f = 0; f < indices.length; f += 3) {
      const [a, b, c] = [indices[f] * 3, indices[f + 1] * 3, indices[f + 2] * 3]
      const [nx, ny, nz] = [normals[f], normals[f + 1], normals[f + 2]]
      const height =
        (nx * (p[a] + p[b] + p[c]) + ny * (p[a + 1] + p[b + 1] + p[c + 1]) + nz * (p[a + 2] + p[b + 2] + p[c + 2])) / 3
      for (const v of [a, b, c]) {
        const d = height - (nx * p[v] + ny * p[v + 1] + nz * p[v + 2])
        step[v] += d * nx
        step[v + 1] += d * ny
        step[v + 2] += d * nz
        count[v / 3]++
      }
    }
    for (let v = 0; v < count.length; v++)
      if (!held[v] && count[v] > 0) for (let c = 0; c < 3; c++) p[v * 3 + c] += step[v * 3 + c] / count[v]
    within(p, from, capMm)
  }
}

/** No point is farther from where it was than the cap. */
function within(p: Float64Array, from: Float64Array, capMm: number): void {
  for (let i = 0; i < p.length; i += 3) {
    const x = p[i] - from[i],
      y = p[i + 1] - from[i + 1],
      z = p[i + 2] - from[i + 2]
    const d = Math.sqrt(x * x + y * y + z * z)
    if (d <= capMm) continue
    p[i] = from[i] + (x * capMm) / d
    p[i + 1] = from[i + 1] + (y * capMm) / d
    p[i + 2] = from[i + 2] + (z * capMm) / d
  }
}

/** Moves points whose faces are all of regions onto those, or so far: one, the line of two, the corner of three. */
function layOn(
  regions: readonly LaidRegion[],
  of: Int32Array,
  share: number,
  p: Float64Array,
  from: Float64Array,
  indices: Uint32Array,
  held: Uint8Array,
  capMm: number,
): void {
  const mine: number[][] = Array.from({ length: p.length / 3 }, () => [])
  const isMixed = new Uint8Array(p.length / 3)
  for (let h = 0; h < indices.length; h++) {
    const v = indices[h],
      region = of[Math.floor(h / 3)]
    if (region < 0) isMixed[v] = 1
    else if (!mine[v].includes(region)) mine[v].push(region)
  }
  for (let v = 0; v < mine.length; v++) {
    if (held[v] || isMixed[v] || mine[v].length === 0 || mine[v].length > 3) continue
    const at = meetOf(
      mine[v].map((r) => regions[r].surface),
      p.slice(v * 3, v * 3 + 3),
    )
    if (!at || Math.hypot(...[0, 1, 2].map((c) => at[c] - from[v * 3 + c])) > capMm) continue
    for (let c = 0; c < 3; c++) p[v * 3 + c] += share * (at[c] - p[v * 3 + c])
    held[v] = 1
  }
}

/** Rounds in which a place is brought onto what bends. */
const MEET_ROUNDS = 4

/** The place near one that lies on all of one to three surfaces; null where they hardly meet. */
function meetOf(surfaces: readonly LaidRegion['surface'][], at: Float64Array): Float64Array | null {
  const n = surfaces.length
  const told = surfaces.map(() => new Float64Array(4))
  const gram = new Float64Array(n * n),
    off = new Float64Array(n),
    share = new Float64Array(n)
  for (let round = 0; round < MEET_ROUNDS; round++) {
    surfaces.forEach((surface, i) => surface(at, told[i]))
    for (let i = 0; i < n; i++) {
      off[i] = told[i][0]
      for (let k = 0; k < n; k++)
        gram[i * n + k] = told[i][1] * told[k][1] + told[i][2] * told[k][2] + told[i][3] * told[k][3]
    }
    if (!solveCholesky(gram, off, share, n)) return null
    for (let i = 0; i < n; i++) for (let c = 0; c < 3; c++) at[c] -= share[i] * told[i][c + 1]
  }
  return at
}

/** Points of faces that came to cross go back to where they were, with more and more of those round them. */
function withoutNewCrossings(
  mesh: TriangleMesh,
  p: Float64Array,
  { start, items }: FaceNeighbours,
  context: RunContext,
): Float32Array {
  const positions = Float32Array.from(p)
  const { indices } = mesh
  let before: Set<number> | undefined
  for (let round = 0; round < PUT_BACK; round++) {
    const found = findCrossings({ ...mesh, positions }, context)
    if (found.length === 0) break
    before ??= new Set(findCrossings(mesh, context))
    let faces = new Set(Array.from(found).filter((f) => !before!.has(f)))
    if (faces.size === 0) break
    for (let ring = 0; ring < round; ring++) {
      const wider = new Set(faces)
      for (const f of faces) for (let k = start[f]; k < start[f + 1]; k++) wider.add(items[k])
      faces = wider
    }
    for (const f of faces)
      for (let c = 0; c < 3; c++) {
        const v = indices[f * 3 + c] * 3
        positions.set(mesh.positions.subarray(v, v + 3), v)
      }
  }
  return positions
}
