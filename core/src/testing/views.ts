import { seededRandom } from '../linear/random'
import {
  compose,
  invertRigid,
  rotateVectors,
  rotationMotion,
  transformPoint,
  transformPoints,
  type Motion,
} from '../linear/rigid'
import { boundsOf, diagonal, type PointCloud, type TriangleMesh } from '../shapes'
import { TriangleBvh } from '../spatial/triangle-bvh'
import { spoiled, type Spoils } from './spoiled-view'

/** One single-shot take of a mesh: its points in coordinates of their own, and the true motion back to the mesh. */
export interface View {
  readonly cloud: PointCloud
  /** View → mesh. */
  readonly truth: Motion
  readonly tableDeg: number
}

export interface ViewSettings {
  /** Points wanted in each view. */
  readonly points: number
  /** Noise along the line of sight, as a share of the mesh's size. */
  readonly noiseShare: number
  readonly elevationDeg: number
  /** Views of each pose, evenly round. */
  readonly perPose: number
  /** The table's axis leans so much more, another way, at every view; degrees. */
  readonly wobbleDeg: number
  /**
   * Each view in coordinates of its own, anywhere; or in those of its device, which stands at zero and looks along z; or,
   * as a table would have it, all of one pose in one.
   */
  readonly apart: boolean | 'device'
  /** What spoils a view; null: nothing does. */
  readonly spoils: Spoils | null
}

export const VIEW_DEFAULTS: ViewSettings = {
  points: 35_000,
  noiseShare: 5e-4,
  elevationDeg: 25,
  perPose: 8,
  wobbleDeg: 0,
  apart: true,
  spoils: null,
}

/** A view as the device took it. */
export interface Look {
  readonly cloud: PointCloud
  /** Of the faces it met, one each point. */
  readonly normals: Float32Array
  /** Where in the device's square picture each point is, row after row. */
  readonly cells: Int32Array
  /** Of one row. */
  readonly pixels: number
}

/** Stand-off of the device in sizes of the piece. */
const STAND_OFF = 4
const STEEPEST = Math.cos((80 * Math.PI) / 180)

/** The same mesh with its middle at the origin and 100 mm across. */
export function standardSize(mesh: TriangleMesh): TriangleMesh {
  const b = boundsOf(mesh.positions)
  const scale = 100 / diagonal(b)
  const positions = Float32Array.from(mesh.positions, (v, i) => (v - (b.min[i % 3] + b.max[i % 3]) / 2) * scale)
  return { kind: 'mesh', positions, indices: mesh.indices }
}

/** Views of a mesh of `standardSize` on a table, upright and lying on its side (turned by 90° about x). */
export function viewsOf(mesh: TriangleMesh, seed: number, over: Partial<ViewSettings> = {}): View[] {
  const s = { ...VIEW_DEFAULTS, ...over }
  const random = seededRandom(seed)
  const anyTurn = (): Motion =>
    rotationMotion([random.gaussian(), random.gaussian(), random.gaussian()], Math.PI * random.next() * 2, [
      100 * random.gaussian(),
      100 * random.gaussian(),
      100 * random.gaussian(),
    ])
  const out: View[] = []
  const bvh = s.spoils ? new TriangleBvh(mesh) : null
  for (let pose = 0; pose < 2; pose++) {
    const lain = rotationMotion([1, 0, 0], (pose * Math.PI) / 2)
    const own = anyTurn()
    for (let k = 0; k < s.perPose; k++) {
      const tableDeg = (360 * k) / s.perPose
      const lean = rotationMotion(
        [Math.cos(random.next() * 7), Math.sin(random.next() * 7), 0],
        (s.wobbleDeg * Math.PI) / 180,
      )
      // Mesh → device: laid down, turned on the table, and seen from the side.
      const there = compose(lean, compose(rotationMotion([0, 0, 1], (-tableDeg * Math.PI) / 180), lain))
      const looked = takeView(mesh, there, s, random)
      const seen = bvh && s.spoils ? spoiled(looked, bvh, there, s.spoils, random) : looked.cloud
      // A table turns what it saw back by the angle it knows: the lean stays in the data.
      const kept =
        s.apart === 'device'
          ? atDevice(seen)
          : s.apart
            ? anyTurn()
            : compose(own, rotationMotion([0, 0, 1], (tableDeg * Math.PI) / 180))
      const motion = compose(kept, there)
      out.push({ cloud: moveCloud(seen, kept), truth: invertRigid(motion), tableDeg })
    }
  }
  return out
}

/** The device's own coordinates. */
function atDevice({ frameOrigins: o }: PointCloud): Motion {
  const l = Math.hypot(o![0], o![2])
  const [fx, fz] = [-o![0] / l, -o![2] / l]
  // Rows: to the right, down, forward.
  const turn = Float64Array.from([0, -1, 0, 0, fz, 0, -fx, 0, fx, 0, fz, 0, 0, 0, 0, 1])
  return compose(turn, Float64Array.from([1, 0, 0, -o![0], 0, 1, 0, -o![1], 0, 0, 1, -o![2], 0, 0, 0, 1]))
}

function moveCloud(c: PointCloud, m: Motion): PointCloud {
  return {
    ...c,
    positions: transformPoints(m, c.positions),
    ...(c.normals && { normals: rotateVectors(m, c.normals) }),
    ...(c.frameOrigins && {
      frameOrigins: Float64Array.from(transformPoint(m, c.frameOrigins[0], c.frameOrigins[1], c.frameOrigins[2])),
    }),
  }
}

/**
 * What a device at (−x, elevation) sees: a picture of depths, one point for each pixel that meets the mesh not too
 * steeply.
 */
function takeView(mesh: TriangleMesh, motion: Motion, s: ViewSettings, random: { gaussian(): number }): Look {
  const p = transformPoints(motion, mesh.positions)
  const far = STAND_OFF * 100
  const e = (s.elevationDeg * Math.PI) / 180
  const origin = [far * Math.cos(e), 0, far * Math.sin(e)] as const
  const forward = [-Math.cos(e), 0, -Math.sin(e)] as const
  const up = [-Math.sin(e), 0, Math.cos(e)] as const
  const n = p.length / 3
  const u = new Float64Array(n),
    v = new Float64Array(n),
    w = new Float64Array(n)
  for (let i = 0; i < n; i++) {
    const x = p[i * 3] - origin[0],
      y = p[i * 3 + 1] - origin[1],
      z = p[i * 3 + 2] - origin[2]
    const d = x * forward[0] + z * forward[2]
    u[i] = y / d
    v[i] = (x * up[0] + z * up[2]) / d
    w[i] = 1 / d
  }
  let pixels = 200
  let image = rasterise(mesh.indices, u, v, w, pixels)
  const covered = image.reduce((c, x) => c + (x >= 0 ? 1 : 0), 0)
  pixels = Math.round(pixels * Math.sqrt(s.points / Math.max(1, covered)))
  image = rasterise(mesh.indices, u, v, w, pixels)
  const half = (0.5 * 100) / far
  const positions: number[] = [],
    normals: number[] = [],
    cells: number[] = []
  const sigma = s.noiseShare * 100
  for (let row = 0; row < pixels; row++)
    for (let column = 0; column < pixels; column++) {
      const f = image[row * pixels + column]
      if (f < 0) continue
      const pu = -half + (2 * half * (column + 0.5)) / pixels,
        pv = -half + (2 * half * (row + 0.5)) / pixels
      // Ray meets the face's plane.
      const dir = [forward[0] + pv * up[0], pu, forward[2] + pv * up[2]]
      const [a, b, c] = [mesh.indices[f * 3] * 3, mesh.indices[f * 3 + 1] * 3, mesh.indices[f * 3 + 2] * 3]
      const e1 = [0, 1, 2].map((k) => p[b + k] - p[a + k]),
        e2 = [0, 1, 2].map((k) => p[c + k] - p[a + k])
      const nx = e1[1] * e2[2] - e1[2] * e2[1],
        ny = e1[2] * e2[0] - e1[0] * e2[2],
        nz = e1[0] * e2[1] - e1[1] * e2[0]
      const along = nx * dir[0] + ny * dir[1] + nz * dir[2]
      const l = Math.hypot(...dir)
      if (-along < STEEPEST * Math.hypot(nx, ny, nz) * l) continue
      const t =
        (nx * (p[a] - origin[0]) + ny * (p[a + 1] - origin[1]) + nz * (p[a + 2] - origin[2])) / along +
        (sigma * random.gaussian()) / l
      const long = Math.hypot(nx, ny, nz)
      normals.push(nx / long, ny / long, nz / long)
      cells.push(row * pixels + column)
      positions.push(origin[0] + t * dir[0], origin[1] + t * dir[1], origin[2] + t * dir[2])
    }
  return {
    cloud: {
      kind: 'cloud',
      positions: Float32Array.from(positions),
      frame: new Uint16Array(positions.length / 3),
      frameOrigins: Float64Array.from(origin),
    },
    normals: Float32Array.from(normals),
    cells: Int32Array.from(cells),
    pixels,
  }
}

/** Face nearest to the device in each pixel, −1 for none; inverse depth is linear in the picture. */
function rasterise(
  indices: Uint32Array,
  u: Float64Array,
  v: Float64Array,
  w: Float64Array,
  pixels: number,
): Int32Array {
  const half = 0.5 / STAND_OFF
  const image = new Int32Array(pixels * pixels).fill(-1)
  const depth = new Float64Array(pixels * pixels)
  const at = (x: number): number => ((x + half) / (2 * half)) * pixels - 0.5
  for (let f = 0; f < indices.length / 3; f++) {
    const [a, b, c] = [indices[f * 3], indices[f * 3 + 1], indices[f * 3 + 2]]
    const x0 = at(u[a]),
      y0 = at(v[a]),
      x1 = at(u[b]),
      y1 = at(v[b]),
      x2 = at(u[c]),
      y2 = at(v[c])
    const area = (x1 - x0) * (y2 - y0) - (x2 - x0) * (y1 - y0)
    if (area === 0) continue
    const top = Math.min(pixels - 1, Math.floor(Math.max(y0, y1, y2))),
      right = Math.min(pixels - 1, Math.floor(Math.max(x0, x1, x2)))
    for (let y = Math.max(0, Math.ceil(Math.min(y0, y1, y2))); y <= top; y++)
      for (let x = Math.max(0, Math.ceil(Math.min(x0, x1, x2))); x <= right; x++) {
        const p = ((x1 - x) * (y2 - y) - (x2 - x) * (y1 - y)) / area,
          q = ((x2 - x) * (y0 - y) - (x0 - x) * (y2 - y)) / area,
          r = 1 - p - q
        if (p < 0 || q < 0 || r < 0) continue
        const d = p * w[a] + q * w[b] + r * w[c]
        const k = y * pixels + x
        if (d > depth[k]) {
          depth[k] = d
          image[k] = f
        }
      }
  }
  return image
}
