import { CellIndex } from '../../spatial/cell-index'
import type { DownsampledCloud } from './downsampled-cloud'

/** Bins of each of the three angles, and length of one histogram. */
const BINS = 11
export const FPFH_LENGTH = 3 * BINS

/**
 * Fast point feature histograms at several radii, side by side: n × (33·radii), each third of a histogram summing to 1,
 * square roots taken, so that Euclidean distance between them is Hellinger's.
 * Source: Rusu, Blodow, Beetz 2009, "Fast point feature histograms (FPFH) for 3D registration", ICRA; unit histogram
 * thirds.
 * @param radiiVoxels radii of the neighbourhoods, ascending, in voxels of the outline
 */
export function fpfh(
  o: Pick<DownsampledCloud, 'points' | 'normals' | 'voxelMm'>,
  radiiVoxels: readonly number[],
): Float32Array {
  const n = o.points.length / 3,
    scales = radiiVoxels.length
  const widest = radiiVoxels.at(-1)! * o.voxelMm
  const cells = new CellIndex(o.points, widest)
  const limits = radiiVoxels.map((r) => (r * o.voxelMm) ** 2)
  const width = FPFH_LENGTH * scales
  const simple = new Float32Array(n * width)
  const inside = new Int32Array(n * scales)
  // Neighbours in compressed rows, for the weighted second pass.
  const start = new Int32Array(n + 1)
  let ids = new Int32Array(n * 128),
    d2s = new Float32Array(n * 128)
  let at = 0
  const p = o.points,
    m = o.normals
  for (let i = 0; i < n; i++) {
    start[i] = at
    const x = p[i * 3],
      y = p[i * 3 + 1],
      z = p[i * 3 + 2]
    for (const c of cells.around(x, y, z)) {
      for (let s = cells.start[c], e = cells.start[c + 1]; s < e; s++) {
        // Each pair once: it reads the same from both ends.
        const j = cells.items[s]
        if (j <= i) continue
        const ex = p[j * 3] - x,
          ey = p[j * 3 + 1] - y,
          ez = p[j * 3 + 2] - z
        const d2 = ex * ex + ey * ey + ez * ez
        if (d2 > limits[scales - 1] || d2 === 0) continue
        if (at === ids.length) {
          const more = new Int32Array(at * 2),
            further = new Float32Array(at * 2)
          more.set(ids)
          further.set(d2s)
          ids = more
          d2s = further
        }
        ids[at] = j
        d2s[at++] = d2
      }
    }
  }
  start[n] = at
  for (let i = 0; i < n; i++) {
    const ix = m[i * 3],
      iy = m[i * 3 + 1],
      iz = m[i * 3 + 2]
    for (let s = start[i]; s < start[i + 1]; s++) {
      const j = ids[s],
        d2 = d2s[s]
      const inv = 1 / Math.sqrt(d2)
      let dx = (p[j * 3] - p[i * 3]) * inv,
        dy = (p[j * 3 + 1] - p[i * 3 + 1]) * inv,
        dz = (p[j * 3 + 2] - p[i * 3 + 2]) * inv
      const jx = m[j * 3],
        jy = m[j * 3 + 1],
        jz = m[j * 3 + 2]
      const ci = ix * dx + iy * dy + iz * dz,
        cj = jx * dx + jy * dy + jz * dz
      // The end whose normal leans less towards the line is the source.
      const swap = Math.abs(ci) < Math.abs(cj)
      const ux = swap ? jx : ix,
        uy = swap ? jy : iy,
        uz = swap ? jz : iz,
        tx = swap ? ix : jx,
        ty = swap ? iy : jy,
        tz = swap ? iz : jz
      const phi = swap ? -cj : ci
      if (swap) {
        dx = -dx
        dy = -dy
        dz = -dz
      }
      let vx = dy * uz - dz * uy,
        vy = dz * ux - dx * uz,
        vz = dx * uy - dy * ux
      const l2 = vx * vx + vy * vy + vz * vz
      if (l2 < 1e-18) continue
      const l = 1 / Math.sqrt(l2)
      vx *= l
      vy *= l
      vz *= l
      const wx = uy * vz - uz * vy,
        wy = uz * vx - ux * vz,
        wz = ux * vy - uy * vx
      const alpha = vx * tx + vy * ty + vz * tz
      const theta = Math.atan2(wx * tx + wy * ty + wz * tz, ux * tx + uy * ty + uz * tz)
      const b0 = Math.max(0, Math.min(BINS - 1, ((alpha + 1) * (BINS / 2)) | 0))
      const b1 = BINS + Math.max(0, Math.min(BINS - 1, ((phi + 1) * (BINS / 2)) | 0))
      const b2 = 2 * BINS + Math.max(0, Math.min(BINS - 1, ((theta + Math.PI) * (BINS / (2 * Math.PI))) | 0))
      for (let k = scales - 1; k >= 0 && d2 <= limits[k]; k--) {
        const ri = i * width + k * FPFH_LENGTH,
          rj = j * width + k * FPFH_LENGTH
        simple[ri + b0]++
        simple[ri + b1]++
        simple[ri + b2]++
        simple[rj + b0]++
        simple[rj + b1]++
        simple[rj + b2]++
        inside[i * scales + k]++
        inside[j * scales + k]++
      }
    }
  }
  for (let row = 0; row < n * scales * 3; row++) normalise(simple, row * BINS)
  const out = simple.slice()
  for (let i = 0; i < n; i++)
    for (let s = start[i]; s < start[i + 1]; s++) {
      const j = ids[s],
        d2 = d2s[s]
      // Only the narrowest neighbourhood is averaged over: weights fall off with distance, and what lies farther would
      // cost most of the time.
      if (d2 > limits[0]) continue
      const w = o.voxelMm / Math.sqrt(d2)
      const wi = w / inside[i * scales],
        wj = w / inside[j * scales]
      const ri = i * width,
        rj = j * width
      for (let q = 0; q < width; q++) {
        out[ri + q] += wi * simple[rj + q]
        out[rj + q] += wj * simple[ri + q]
      }
    }
  for (let row = 0; row < n * scales * 3; row++) normalise(out, row * BINS)
  for (let q = 0; q < out.length; q++) out[q] = Math.sqrt(out[q])
  return out
}

function normalise(rows: Float32Array, from: number): void {
  let sum = 0
  for (let q = from; q < from + BINS; q++) sum += rows[q]
  if (sum > 0) for (let q = from; q < from + BINS; q++) rows[q] /= sum
}
