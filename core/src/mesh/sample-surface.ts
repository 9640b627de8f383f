import { GeometryError } from '../errors'
import { faceCross } from '../linear/face-cross'
import { seededRandom } from '../linear/random'
import { decodePictures, texelAt, type PictureDecoder, type Pixels } from '../pictures'
import { boundsOf, NO_COLOUR, type PointCloud, type TriangleMesh } from '../shapes'
import { edgeTopology } from './topology'
import { vertexNormals } from './normals'
import { weldVertices } from './weld'
import { nextHalf } from './half-edges'

/** Candidates for each point that is wanted: with so many, hardly a place is left where another would fit. */
const CANDIDATES = 8
/** Least distance over the spacing wanted: what keeps as many points as a lattice of that spacing has. */
const LEAST = 0.745
/** A corner's normal speaks for a face that bends from it by no more than this; beyond, the face has its own. */
const SMOOTH_COSINE = Math.cos((30 * Math.PI) / 180)
/** Points of a mesh whose own size says nothing of how fine it is to be sampled. */
const USUAL_POINTS = 150_000
const MAX_POINTS = 20_000_000
/** Over the points wanted: no surface holds more of them at that distance. */
const ROOM = 2.2

/**
 * A mesh as points spread evenly over its surface, area-weighted blue noise: candidates over all faces by their area,
 * taken in a random order where no point taken lies nearer than 0.745 spacings (dart throwing on a grid: Cook 1986;
 * relaxed by many candidates as in Yuksel 2015). Open edges are sampled along themselves, so that rims stay rims.
 * Normals come from the corners where the surface is smooth and from the faces at sharp edges; colours from the pictures
 * where there are any, else from the corners. The same mesh, spacing and pictures give the same points.
 * @param pixels the mesh's pictures, decoded
 * @throws PARAMS for a spacing not above 0 · RANGE where it would take more points than can be held · EMPTY without area
 */
export function sampleSurface(input: TriangleMesh, spacingMm: number, pixels: readonly Pixels[] = []): PointCloud {
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
  const { twin } = edgeTopology(mesh)
  const rims = rimPoints(mesh, twin, spacingMm)
  const taken = new Taken(mesh, LEAST * spacingMm, Math.ceil(wanted * ROOM) + rims + 64)
  addRims(mesh, twin, taken, spacingMm)
  const random = seededRandom(1)
  const draws = candidates(areas, total, Math.ceil(wanted * CANDIDATES), random.next)
  for (const face of draws) {
    // Uniform in a triangle (Osada et al. 2002, 4.2).
    const r = Math.sqrt(random.next()),
      s = random.next()
    taken.offer(face, 1 - r, r * (1 - s), r * s)
  }
  return taken.cloud(pixels)
}

/** `sampleSurface`, with the pictures of a mesh decoded by the host where it can. */
export async function sampleTextured(
  mesh: TriangleMesh,
  spacingMm: number,
  decode?: PictureDecoder,
): Promise<PointCloud> {
  return sampleSurface(mesh, spacingMm, decode && mesh.pictures ? await decodePictures(mesh.pictures, decode) : [])
}

/** A spacing that loses little of a mesh: its own edges where it is fine, or what spreads 150,000 points over it. */
export const samplingSpacing = (mesh: TriangleMesh): number =>
  Math.min(evenEdgeMm(mesh), Math.sqrt(faceAreas(mesh).total / USUAL_POINTS))

/** Length of an edge of a mesh whose faces were even, mm: how far apart what was measured lies. */
export function evenEdgeMm(mesh: TriangleMesh): number {
  return Math.sqrt((4 / Math.sqrt(3)) * (faceAreas(mesh).total / Math.max(1, mesh.indices.length / 3)))
}

/** Surface of a mesh, mm². */
export const meshAreaMm2 = (mesh: TriangleMesh): number => faceAreas(mesh).total

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

/** Length of a half-edge, mm. */
function lengthOf({ positions: p, indices }: TriangleMesh, h: number): number {
  const a = indices[h] * 3,
    b = indices[nextHalf(h)] * 3
  return Math.hypot(p[a] - p[b], p[a + 1] - p[b + 1], p[a + 2] - p[b + 2])
}
const stepsAlong = (lengthMm: number, spacingMm: number): number => Math.max(1, Math.round(lengthMm / spacingMm))

/** How many points lie along open edges. */
function rimPoints(mesh: TriangleMesh, twin: Int32Array, spacingMm: number): number {
  let n = 0
  for (let h = 0; h < twin.length; h++) if (twin[h] === -1) n += stepsAlong(lengthOf(mesh, h), spacingMm)
  return n
}

/** Points along open edges, a spacing apart, the rim's corners among them. */
function addRims(mesh: TriangleMesh, twin: Int32Array, taken: Taken, spacingMm: number): void {
  for (let h = 0; h < twin.length; h++) {
    if (twin[h] !== -1) continue
    const c = h % 3
    const steps = stepsAlong(lengthOf(mesh, h), spacingMm)
    for (let s = 0; s < steps; s++) {
      const at = [0, 0, 0]
      at[c] = 1 - s / steps
      at[(c + 1) % 3] = s / steps
      taken.offer(Math.floor(h / 3), at[0], at[1], at[2])
    }
  }
}

/** Points that were taken, in cells as wide as the least distance: those too near lie in 27 of them. */
class Taken {
  private count = 0
  private readonly xyz: Float32Array
  private readonly faces: Uint32Array
  private readonly weights: Float32Array
  /** Open addressing on the cell's number: its number, its last point; each point's one before it in the cell. */
  private readonly numbers: Float64Array
  private readonly last: Int32Array
  private readonly before: Int32Array
  private readonly low: readonly [number, number, number]
  private readonly across: readonly [number, number]

  /** @param room points that are held at most */
  constructor(
    private readonly mesh: TriangleMesh,
    private readonly leastMm: number,
    private readonly room: number,
  ) {
    const { min, max } = boundsOf(mesh.positions)
    this.low = [min[0] - leastMm, min[1] - leastMm, min[2] - leastMm]
    this.across = [0, 1].map((c) => Math.ceil((max[c] - min[c]) / leastMm) + 4) as [number, number]
    this.xyz = new Float32Array(room * 3)
    this.faces = new Uint32Array(room)
    this.weights = new Float32Array(room * 3)
    this.before = new Int32Array(room)
    let size = 16
    while (size < room * 2) size *= 2
    this.numbers = new Float64Array(size).fill(-1)
    this.last = new Int32Array(size).fill(-1)
  }

  /** Where a cell stands in the table, or would stand. */
  private slotOf(cell: number): number {
    const { numbers } = this
    let h = Math.imul(cell | 0, 0x9e3779b1) ^ Math.imul((cell / 4294967296) | 0, 0x85ebca77)
    h = Math.imul(h ^ (h >>> 15), 0x2c1b3c6d)
    let slot = (h ^ (h >>> 13)) & (numbers.length - 1)
    while (numbers[slot] !== cell && numbers[slot] >= 0) slot = (slot + 1) & (numbers.length - 1)
    return slot
  }

  /** Whether a point of a cell lies too near. */
  private isNear(cell: number, x: number, y: number, z: number): boolean {
    const { xyz, before, leastMm } = this
    for (let n = this.last[this.slotOf(cell)]; n >= 0; n = before[n]) {
      const dx = xyz[n * 3] - x,
        dy = xyz[n * 3 + 1] - y,
        dz = xyz[n * 3 + 2] - z
      if (dx * dx + dy * dy + dz * dz < leastMm * leastMm) return true
    }
    return false
  }

  /** A place of a face by its weights of the corners: taken, unless a point lies too near. */
  offer(face: number, u: number, v: number, w: number): void {
    if (this.count === this.room) return
    const { low, leastMm, across, xyz, weights } = this
    const { positions: p, indices } = this.mesh
    const a = indices[face * 3] * 3,
      b = indices[face * 3 + 1] * 3,
      c = indices[face * 3 + 2] * 3
    const x = u * p[a] + v * p[b] + w * p[c],
      y = u * p[a + 1] + v * p[b + 1] + w * p[c + 1],
      z = u * p[a + 2] + v * p[b + 2] + w * p[c + 2]
    const row = across[0],
      sheet = across[0] * across[1]
    const cell =
      Math.floor((z - low[2]) / leastMm) * sheet +
      Math.floor((y - low[1]) / leastMm) * row +
      Math.floor((x - low[0]) / leastMm)
    // Its own cell first: there most are turned away.
    if (this.isNear(cell, x, y, z)) return
    for (let k = -sheet; k <= sheet; k += sheet)
      for (let j = -row; j <= row; j += row)
        for (let i = -1; i <= 1; i++)
          if ((i !== 0 || j !== 0 || k !== 0) && this.isNear(cell + k + j + i, x, y, z)) return
    const n = this.count++
    const slot = this.slotOf(cell)
    this.numbers[slot] = cell
    this.before[n] = this.last[slot]
    this.last[slot] = n
    xyz[n * 3] = x
    xyz[n * 3 + 1] = y
    xyz[n * 3 + 2] = z
    this.faces[n] = face
    weights[n * 3] = u
    weights[n * 3 + 1] = v
    weights[n * 3 + 2] = w
  }

  cloud(pixels: readonly Pixels[]): PointCloud {
    const { mesh } = this
    const n = this.count
    const corner = mesh.normals ?? vertexNormals(mesh)
    const normals = new Float32Array(n * 3)
    const { uvs, picture } = mesh
    const textured = uvs && picture && pixels.length > 0
    const colours = mesh.colours || textured ? new Uint8Array(n * 3) : undefined
    const cross = new Float64Array(3)
    for (let i = 0; i < n; i++) {
      const f = this.faces[i] * 3
      const a = mesh.indices[f] * 3,
        b = mesh.indices[f + 1] * 3,
        c = mesh.indices[f + 2] * 3
      const l = faceCross(mesh.positions, a, b, c, cross) || 1
      const along = (v: number): number =>
        (corner[v] * cross[0] + corner[v + 1] * cross[1] + corner[v + 2] * cross[2]) / l
      const smooth = along(a) >= SMOOTH_COSINE && along(b) >= SMOOTH_COSINE && along(c) >= SMOOTH_COSINE
      const [u, v, w] = [this.weights[i * 3], this.weights[i * 3 + 1], this.weights[i * 3 + 2]]
      let squares = 0
      for (let d = 0; d < 3; d++) {
        const value = smooth ? u * corner[a + d] + v * corner[b + d] + w * corner[c + d] : cross[d] / l
        normals[i * 3 + d] = value
        squares += value * value
        if (colours)
          colours[i * 3 + d] = mesh.colours
            ? Math.round(u * mesh.colours[a + d] + v * mesh.colours[b + d] + w * mesh.colours[c + d])
            : NO_COLOUR
      }
      const of = textured ? picture[this.faces[i]] : 0
      if (colours && textured && of > 0) {
        const t = this.faces[i] * 6
        texelAt(
          pixels[of - 1],
          u * uvs[t] + v * uvs[t + 2] + w * uvs[t + 4],
          u * uvs[t + 1] + v * uvs[t + 3] + w * uvs[t + 5],
          colours,
          i * 3,
        )
      }
      const length = Math.sqrt(squares) || 1
      for (let d = 0; d < 3; d++) normals[i * 3 + d] /= length
    }
    return {
      kind: 'cloud',
      positions: this.xyz.slice(0, n * 3),
      normals,
      ...(colours && { colours }),
      ...(mesh.originMm && { originMm: mesh.originMm }),
    }
  }
}
