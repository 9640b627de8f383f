import { GeometryError } from '../errors'
import { faceCross } from '../linear/face-cross'
import { seededRandom } from '../linear/random'
import type { PointCloud, TriangleMesh } from '../shapes'
import { edgeTopology } from './topology'
import { vertexNormals } from './normals'
import { weldVertices } from './weld'

/** Candidates for each point that is wanted: with so many, hardly a place is left where another would fit. */
const CANDIDATES = 8
/** Least distance over the spacing wanted: what keeps as many points as a lattice of that spacing has. */
const LEAST = 0.745
/** A corner's normal speaks for a face that bends from it by no more than this; beyond, the face has its own. */
const SMOOTH_COSINE = Math.cos((30 * Math.PI) / 180)
/** Points of a mesh whose own size says nothing of how fine it is to be sampled. */
const USUAL_POINTS = 150_000
const MAX_POINTS = 20_000_000

/**
 * A mesh as points spread evenly over its surface, area-weighted blue noise: candidates over all faces by their area,
 * taken in a random order where no point taken lies nearer than 0.745 spacings (dart throwing on a grid: Cook 1986;
 * relaxed by many candidates as in Yuksel 2015). Open edges are sampled along themselves, so that rims stay rims.
 * Normals come from the corners where the surface is smooth and from the faces at sharp edges; colours from the corners.
 * The same mesh and spacing give the same points.
 * @throws PARAMS for a spacing not above 0 · RANGE where it would take more points than can be held · EMPTY without area
 */
export function sampleSurface(input: TriangleMesh, spacingMm: number): PointCloud {
  if (!(spacingMm > 0) || !Number.isFinite(spacingMm))
    throw new GeometryError('PARAMS', `The spacing must be larger than 0 mm, not ${spacingMm}.`)
  const mesh = weldVertices(input)
  const { areas, total } = faceAreas(mesh)
  if (!(total > 0)) throw new GeometryError('EMPTY', 'The mesh has no area; there is nothing to sample.')
  const wanted = total / spacingMm ** 2
  if (wanted > MAX_POINTS)
    throw new GeometryError(
      'RANGE',
      `A spacing of ${spacingMm} mm would take ${Math.round(wanted / 1e6)} M points; ` +
        `${Number(Math.sqrt(total / MAX_POINTS).toPrecision(2))} mm is the finest.`,
    )
  const taken = new Taken(mesh, LEAST * spacingMm)
  addRims(mesh, taken, spacingMm)
  const random = seededRandom(1)
  const draws = candidates(areas, total, Math.ceil(wanted * CANDIDATES), random.next)
  for (const face of draws) {
    // Uniform in a triangle (Osada et al. 2002, 4.2).
    const r = Math.sqrt(random.next()),
      s = random.next()
    taken.offer(face, 1 - r, r * (1 - s), r * s)
  }
  return taken.cloud()
}

/** A spacing that loses nothing of a mesh: half its shorter edges, or what spreads 150,000 points over it. */
export function samplingSpacing(mesh: TriangleMesh): number {
  const { total } = faceAreas(mesh)
  const faces = Math.max(1, mesh.indices.length / 3)
  const edge = Math.sqrt((4 / Math.sqrt(3)) * (total / faces))
  return Math.min(edge / 2, Math.sqrt(total / USUAL_POINTS))
}

/** Length of an edge of a mesh whose faces were even, mm: how far apart what was measured lies. */
export function evenEdgeMm(mesh: TriangleMesh): number {
  return Math.sqrt((4 / Math.sqrt(3)) * (faceAreas(mesh).total / Math.max(1, mesh.indices.length / 3)))
}

function faceAreas({ positions, indices }: TriangleMesh): { areas: Float64Array; total: number } {
  const areas = new Float64Array(indices.length / 3)
  const cross = new Float64Array(3)
  let total = 0
  for (let f = 0; f < areas.length; f++) {
    const [a, b, c] = [indices[f * 3] * 3, indices[f * 3 + 1] * 3, indices[f * 3 + 2] * 3]
    areas[f] = faceCross(positions, a, b, c, cross) / 2
    total += areas[f]
  }
  return { areas, total }
}

/** Faces in a random order, each as often as its area says. */
function candidates(areas: Float64Array, total: number, count: number, random: () => number): Uint32Array {
  const out = new Uint32Array(count)
  let k = 0,
    sum = 0
  for (let f = 0; f < areas.length; f++) {
    sum += areas[f]
    const until = Math.round((sum / total) * count)
    while (k < until) out[k++] = f
  }
  // Fisher and Yates.
  for (let i = k - 1; i > 0; i--) {
    const j = Math.floor(random() * (i + 1))
    const t = out[i]
    out[i] = out[j]
    out[j] = t
  }
  return out.subarray(0, k)
}

/** Points along open edges, a spacing apart, the rim's corners among them. */
function addRims(mesh: TriangleMesh, taken: Taken, spacingMm: number): void {
  const { twin } = edgeTopology(mesh)
  const { positions: p, indices } = mesh
  for (let h = 0; h < twin.length; h++) {
    if (twin[h] !== -1) continue
    const f = Math.floor(h / 3),
      c = h % 3,
      d = (c + 1) % 3
    const [a, b] = [indices[f * 3 + c] * 3, indices[f * 3 + d] * 3]
    const length = Math.hypot(p[a] - p[b], p[a + 1] - p[b + 1], p[a + 2] - p[b + 2])
    const steps = Math.max(1, Math.round(length / spacingMm))
    for (let s = 0; s < steps; s++) {
      const at = [0, 0, 0]
      at[c] = 1 - s / steps
      at[d] = s / steps
      taken.offer(f, at[0], at[1], at[2])
    }
  }
}

/** Points that were taken, in a grid of cells no more than one fits in. */
class Taken {
  private readonly xyz: number[] = []
  private readonly faces: number[] = []
  private readonly weights: number[] = []
  private readonly cells = new Map<number, number>()
  private readonly cell: number
  private readonly low: readonly number[]
  private readonly size: readonly [number, number]

  constructor(
    private readonly mesh: TriangleMesh,
    private readonly leastMm: number,
  ) {
    this.cell = leastMm / Math.sqrt(3)
    const low = [Infinity, Infinity, Infinity],
      high = [-Infinity, -Infinity, -Infinity]
    mesh.positions.forEach((v, i) => {
      low[i % 3] = Math.min(low[i % 3], v)
      high[i % 3] = Math.max(high[i % 3], v)
    })
    this.low = low
    this.size = [0, 1].map((c) => Math.ceil((high[c] - low[c]) / this.cell) + 8) as [number, number]
  }

  /** A place of a face by its weights of the corners: taken, unless a point lies too near. */
  offer(face: number, u: number, v: number, w: number): void {
    const { positions: p, indices } = this.mesh
    const [a, b, c] = [indices[face * 3] * 3, indices[face * 3 + 1] * 3, indices[face * 3 + 2] * 3]
    const x = u * p[a] + v * p[b] + w * p[c],
      y = u * p[a + 1] + v * p[b + 1] + w * p[c + 1],
      z = u * p[a + 2] + v * p[b + 2] + w * p[c + 2]
    const i = Math.floor((x - this.low[0]) / this.cell) + 3,
      j = Math.floor((y - this.low[1]) / this.cell) + 3,
      k = Math.floor((z - this.low[2]) / this.cell) + 3
    const key = (di: number, dj: number, dk: number): number =>
      ((k + dk) * this.size[1] + j + dj) * this.size[0] + i + di
    if (this.cells.has(key(0, 0, 0))) return
    const limit = this.leastMm * this.leastMm
    for (let dk = -2; dk <= 2; dk++)
      for (let dj = -2; dj <= 2; dj++)
        for (let di = -2; di <= 2; di++) {
          const n = this.cells.get(key(di, dj, dk))
          if (n === undefined) continue
          const q = n * 3
          const dx = this.xyz[q] - x,
            dy = this.xyz[q + 1] - y,
            dz = this.xyz[q + 2] - z
          if (dx * dx + dy * dy + dz * dz < limit) return
        }
    this.cells.set(key(0, 0, 0), this.faces.length)
    this.xyz.push(x, y, z)
    this.faces.push(face)
    this.weights.push(u, v, w)
  }

  cloud(): PointCloud {
    const { mesh } = this
    const n = this.faces.length
    const corner = mesh.normals ?? vertexNormals(mesh)
    const normals = new Float32Array(n * 3)
    const colours = mesh.colours && new Uint8Array(n * 3)
    const cross = new Float64Array(3)
    for (let i = 0; i < n; i++) {
      const f = this.faces[i]
      const corners = [mesh.indices[f * 3] * 3, mesh.indices[f * 3 + 1] * 3, mesh.indices[f * 3 + 2] * 3] as const
      const l = faceCross(mesh.positions, corners[0], corners[1], corners[2], cross) || 1
      const own = [cross[0] / l, cross[1] / l, cross[2] / l]
      const smooth = corners.every(
        (v) => corner[v] * own[0] + corner[v + 1] * own[1] + corner[v + 2] * own[2] >= SMOOTH_COSINE,
      )
      const mixed = [0, 1, 2].map((c) =>
        smooth ? corners.reduce((s, v, k) => s + this.weights[i * 3 + k] * corner[v + c], 0) : own[c],
      )
      const length = Math.hypot(...mixed) || 1
      for (let c = 0; c < 3; c++) {
        normals[i * 3 + c] = mixed[c] / length
        if (colours)
          colours[i * 3 + c] = Math.round(
            corners.reduce((s, v, k) => s + this.weights[i * 3 + k] * mesh.colours![v + c], 0),
          )
      }
    }
    return {
      kind: 'cloud',
      positions: Float32Array.from(this.xyz),
      normals,
      ...(colours && { colours }),
      ...(mesh.originMm && { originMm: mesh.originMm }),
    }
  }
}
