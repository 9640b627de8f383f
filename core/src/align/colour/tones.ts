import { solveCholesky } from '../../linear/cholesky'
import type { PointCloud } from '../../shapes'
import { CellIndex } from '../../spatial/cell-index'
import { KdTree } from '../../spatial/kd-tree'
import type { DownsampledCloud } from '../coarse/downsampled-cloud'

/** How light a take's surface is, at the grain of its outline, and how that changes along the surface. */
export interface Tones {
  /**
   * n: natural logarithm of the lightness, so that an exposure only adds; NaN at rims and edges, where a place averages
   * what another take may not see.
   */
  readonly tone: Float32Array
  /** n×3: change per mm, along the surface. */
  readonly gradient: Float32Array
}

/** Keeps black finite; a few grey levels, which is what a sensor's dark noise is. */
const DARK = 6 / 255
const NEIGHBOURS = 14
const REACH_VOXELS = 2.6
const MIN_NEIGHBOURS = 6
/** A place lies at an edge where the surface bends so much so near. */
const EDGE_VOXELS = 2,
  EDGE_COSINE = 0.85

/** @param outline of the same cloud @returns null for a take without colours */
export function tonesOf(cloud: PointCloud, outline: DownsampledCloud): Tones | null {
  const { colours, positions } = cloud
  if (!colours) return null
  const n = outline.points.length / 3
  // The cells the outline was made of, in their order.
  const cells = new CellIndex(positions, outline.voxelMm)
  const tone = new Float32Array(n).fill(NaN)
  for (let c = 0; c < n; c++) {
    if (outline.rim[c]) continue
    let sum = 0
    for (let s = cells.start[c]; s < cells.start[c + 1]; s++) {
      const i = cells.items[s] * 3
      // Rec. 709 luma, in the gamma-coded values: its logarithm is nearly that of the light.
      sum += Math.log((0.2126 * colours[i] + 0.7152 * colours[i + 1] + 0.0722 * colours[i + 2]) / 255 + DARK)
    }
    tone[c] = sum / (cells.start[c + 1] - cells.start[c])
  }
  return slopesOf(outline, tone)
}

/** Slope of the tone in each place's plane, least squares over its neighbours; and the tones without those at edges. */
function slopesOf(o: DownsampledCloud, tone: Float32Array): Tones {
  const n = tone.length
  const kept = tone.slice()
  const edge2 = (EDGE_VOXELS * o.voxelMm) ** 2
  const tree = new KdTree(o.points)
  const ids = new Int32Array(NEIGHBOURS),
    d2 = new Float64Array(NEIGHBOURS)
  const gradient = new Float32Array(n * 3)
  const a = new Float64Array(9),
    b = new Float64Array(3),
    x = new Float64Array(3),
    row = new Float64Array(3)
  const reach2 = (REACH_VOXELS * o.voxelMm) ** 2
  for (let i = 0; i < n; i++) {
    const k = i * 3
    const found = tree.knn(o.points[k], o.points[k + 1], o.points[k + 2], NEIGHBOURS, ids, d2, reach2)
    const nx = o.normals[k],
      ny = o.normals[k + 1],
      nz = o.normals[k + 2]
    // Any two directions across the normal.
    const h = Math.abs(nz) < 0.8 ? [-ny, nx, 0] : [0, -nz, ny]
    const l = Math.hypot(...h)
    const [ux, uy, uz] = h.map((v) => v / l) as [number, number, number]
    const vx = ny * uz - nz * uy,
      vy = nz * ux - nx * uz,
      vz = nx * uy - ny * ux
    a.fill(0)
    b.fill(0)
    let used = 0
    for (let j = 0; j < found; j++) {
      const q = ids[j] * 3,
        t = tone[ids[j]]
      const cosine = o.normals[q] * nx + o.normals[q + 1] * ny + o.normals[q + 2] * nz
      if (cosine < EDGE_COSINE && d2[j] < edge2) kept[i] = NaN
      if (Number.isNaN(t) || cosine < 0.5) continue
      const dx = o.points[q] - o.points[k],
        dy = o.points[q + 1] - o.points[k + 1],
        dz = o.points[q + 2] - o.points[k + 2]
      row[0] = 1
      row[1] = ux * dx + uy * dy + uz * dz
      row[2] = vx * dx + vy * dy + vz * dz
      for (let r = 0; r < 3; r++) {
        b[r] += row[r] * t
        for (let c = 0; c < 3; c++) a[r * 3 + c] += row[r] * row[c]
      }
      used++
    }
    if (used < MIN_NEIGHBOURS || !solveCholesky(a, b, x, 3)) continue
    gradient[k] = x[1] * ux + x[2] * vx
    gradient[k + 1] = x[1] * uy + x[2] * vy
    gradient[k + 2] = x[1] * uz + x[2] * vz
  }
  return { tone: kept, gradient }
}
