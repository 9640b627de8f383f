import { CellIndex } from '../../spatial/cell-index'
import type { DownsampledCloud } from './downsampled-cloud'

/** Bins of one histogram, and the difference in tone that its ends stand for: half a stop and more, either way. */
export const TONE_BINS = 11
const END = 0.6

/**
 * How the tones round each place differ from its own, as histograms at several radii side by side: n × (11·radii), each
 * summing to 1, square roots taken, as the shape's histograms are (`fpfh`), so that both may be laid side by side.
 * Differences of logarithms: an exposure changes nothing.
 * A place without a tone of its own is compared with the mean round it; one with none near it stays nothing.
 * Source: as the colour part of Tombari, Salti, Di Stefano 2011, "A combined texture-shape descriptor for enhanced 3D
 * feature matching", ICIP, with a histogram of differences about the place in place of one for each sector of its
 * frame.
 * @param tone n: logarithm of the lightness, NaN where it is not known
 * @param radiiVoxels radii of the neighbourhoods, ascending, in voxels of the outline
 */
export function toneHistograms(
  o: Pick<DownsampledCloud, 'points' | 'normals' | 'voxelMm'>,
  tone: Float32Array,
  radiiVoxels: readonly number[],
): Float32Array {
  const n = o.points.length / 3,
    width = TONE_BINS * radiiVoxels.length
  const out = new Float32Array(n * width)
  const widest = radiiVoxels.at(-1)! * o.voxelMm
  const cells = new CellIndex(o.points, widest)
  const limits = radiiVoxels.map((r) => (r * o.voxelMm) ** 2)
  const p = o.points,
    m = o.normals
  const near: number[] = [],
    d2s: number[] = []
  for (let i = 0; i < n; i++) {
    const x = p[i * 3],
      y = p[i * 3 + 1],
      z = p[i * 3 + 2]
    near.length = d2s.length = 0
    for (const c of cells.around(x, y, z)) {
      for (let s = cells.start[c], e = cells.start[c + 1]; s < e; s++) {
        const j = cells.items[s]
        const d2 = (p[j * 3] - x) ** 2 + (p[j * 3 + 1] - y) ** 2 + (p[j * 3 + 2] - z) ** 2
        // The back of a thin wall has paint of its own.
        if (
          d2 > limits.at(-1)! ||
          Number.isNaN(tone[j]) ||
          m[i * 3] * m[j * 3] + m[i * 3 + 1] * m[j * 3 + 1] + m[i * 3 + 2] * m[j * 3 + 2] < 0
        )
          continue
        near.push(tone[j])
        d2s.push(d2)
      }
    }
    if (near.length === 0) continue
    const own = Number.isNaN(tone[i]) ? near.reduce((s, t) => s + t, 0) / near.length : tone[i]
    limits.forEach((limit, r) => {
      const at = i * width + r * TONE_BINS
      let sum = 0
      for (let k = 0; k < near.length; k++) {
        if (d2s[k] > limit) continue
        // Shared between two bins, so that a small change of tone is a small change here.
        const place = Math.max(0, Math.min(TONE_BINS - 1, ((near[k] - own) / END + 1) * 0.5 * (TONE_BINS - 1)))
        const low = Math.min(TONE_BINS - 2, Math.floor(place)),
          share = place - low
        out[at + low] += 1 - share
        out[at + low + 1] += share
        sum++
      }
      for (let b = 0; b < TONE_BINS; b++) out[at + b] = sum > 0 ? Math.sqrt(out[at + b] / sum) : 0
    })
  }
  return out
}
