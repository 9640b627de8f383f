import { hornRotation } from '../../linear/horn'
import { identityMotion, transformPoint, type Motion } from '../../linear/rigid'
import { DIMENSIONS, type TakeFeatures } from './features'
import type { DownsampledCloud } from './downsampled-cloud'

/** Matches asked of each query, seeds tried, members of a consensus. */
const MATCHES = 3
const SEEDS = 130
const CONSENSUS = 24
const MIN_CONSENSUS = 4

/** Per query the nearest places of the other take by features: [query, place] pairs, best queries first. */
export function featureMatches(a: TakeFeatures, b: TakeFeatures): Int32Array {
  const n = b.outline.points.length / 3
  const out = new Int32Array(a.queries.length * MATCHES * 2)
  const gap = new Float64Array(a.queries.length)
  const best = new Float64Array(MATCHES),
    at = new Int32Array(MATCHES)
  const { features: fa } = a,
    { features: fb } = b
  a.queries.forEach((q, k) => {
    best.fill(Infinity)
    const row = q * DIMENSIONS
    for (let j = 0; j < n; j++) {
      if (b.outline.rim[j]) continue
      const other = j * DIMENSIONS
      let s = 0
      const worst = best[MATCHES - 1]
      for (let d = 0; d < DIMENSIONS; d += 5) {
        const d0 = fa[row + d] - fb[other + d],
          d1 = fa[row + d + 1] - fb[other + d + 1],
          d2 = fa[row + d + 2] - fb[other + d + 2]
        const d3 = fa[row + d + 3] - fb[other + d + 3],
          d4 = fa[row + d + 4] - fb[other + d + 4]
        s += d0 * d0 + d1 * d1 + d2 * d2 + d3 * d3 + d4 * d4
        if (s >= worst) break
      }
      if (s >= worst) continue
      let w = MATCHES - 1
      for (; w > 0 && best[w - 1] > s; w--) {
        best[w] = best[w - 1]!
        at[w] = at[w - 1]!
      }
      best[w] = s
      at[w] = j
    }
    gap[k] = best[0]!
    for (let w = 0; w < MATCHES; w++) {
      out[(k * MATCHES + w) * 2] = q
      out[(k * MATCHES + w) * 2 + 1] = best[w] === Infinity ? -1 : at[w]
    }
  })
  return out
}

/** One pose for each seed whose compatible matches agree among themselves. */
export function consensusPoses(a: DownsampledCloud, b: DownsampledCloud, pairs: Int32Array): Motion[] {
  const n = pairs.length / 2
  const voxel = a.voxelMm
  const near = 3 * voxel
  const tolerance = 1.5 * voxel
  const set = new Int32Array(n),
    degree = new Int32Array(n)
  const poses: Motion[] = []
  const p = a.points,
    pn = a.normals,
    q = b.points,
    qn = b.normals
  const fits = (i: number, j: number): boolean => {
    const ai = pairs[i * 2] * 3,
      aj = pairs[j * 2] * 3,
      bi = pairs[i * 2 + 1] * 3,
      bj = pairs[j * 2 + 1] * 3
    if (bi < 0 || bj < 0 || ai === aj || bi === bj) return false
    const ax = p[aj] - p[ai],
      ay = p[aj + 1] - p[ai + 1],
      az = p[aj + 2] - p[ai + 2]
    const bx = q[bj] - q[bi],
      by = q[bj + 1] - q[bi + 1],
      bz = q[bj + 2] - q[bi + 2]
    const da = Math.sqrt(ax * ax + ay * ay + az * az),
      db = Math.sqrt(bx * bx + by * by + bz * bz)
    if (da < near || Math.abs(da - db) > tolerance) return false
    const ia = 1 / da,
      ib = 1 / db
    if (
      Math.abs(
        (pn[ai] * ax + pn[ai + 1] * ay + pn[ai + 2] * az) * ia - (qn[bi] * bx + qn[bi + 1] * by + qn[bi + 2] * bz) * ib,
      ) > 0.2
    )
      return false
    if (
      Math.abs(
        (pn[aj] * ax + pn[aj + 1] * ay + pn[aj + 2] * az) * ia - (qn[bj] * bx + qn[bj + 1] * by + qn[bj + 2] * bz) * ib,
      ) > 0.2
    )
      return false
    return (
      Math.abs(
        pn[ai] * pn[aj] +
          pn[ai + 1] * pn[aj + 1] +
          pn[ai + 2] * pn[aj + 2] -
          (qn[bi] * qn[bj] + qn[bi + 1] * qn[bj + 1] + qn[bi + 2] * qn[bj + 2]),
      ) < 0.25
    )
  }
  const step = Math.max(1, Math.floor(n / SEEDS))
  for (let seed = 0; seed < n; seed += step) {
    let m = 0
    for (let j = 0; j < n && m < n; j++) if (j !== seed && fits(seed, j)) set[m++] = j
    if (m < MIN_CONSENSUS) continue
    // Many matches agree with a seed by chance; those that also agree among themselves hardly.
    const most = Math.min(m, 70)
    for (let s = 0; s < most; s++) set[s] = set[Math.floor((s * m) / most)]!
    degree.fill(0, 0, most)
    for (let s = 0; s < most; s++)
      for (let t = 0; t < s; t++)
        if (fits(set[s], set[t])) {
          degree[s]++
          degree[t]++
        }
    let hub = 0
    for (let s = 1; s < most; s++) if (degree[s] > degree[hub]) hub = s
    if (degree[hub] < MIN_CONSENSUS - 1) continue
    const members: number[] = []
    for (let s = 0; s < most; s++) if (s === hub || fits(set[hub], set[s])) members.push(s)
    members.sort((x, y) => degree[y] - degree[x])
    poses.push(poseOf(a, b, pairs, [seed, ...members.slice(0, CONSENSUS).map((s) => set[s])]))
  }
  return poses
}

/** Least squares over positions and normals of the matches. */
function poseOf(a: DownsampledCloud, b: DownsampledCloud, pairs: Int32Array, members: readonly number[]): Motion {
  const ca = [0, 0, 0],
    cb = [0, 0, 0]
  for (const m of members)
    for (let k = 0; k < 3; k++) {
      ca[k] += a.points[pairs[m * 2] * 3 + k] / members.length
      cb[k] += b.points[pairs[m * 2 + 1] * 3 + k] / members.length
    }
  const s = new Float64Array(9)
  // Normals weigh as a point so far out would.
  const lever = (6 * a.voxelMm) ** 2
  for (const m of members) {
    const i = pairs[m * 2] * 3,
      j = pairs[m * 2 + 1] * 3
    for (let r = 0; r < 3; r++)
      for (let c = 0; c < 3; c++) {
        s[r * 3 + c] +=
          (b.points[j + r] - cb[r]) * (a.points[i + c] - ca[c]) + lever * b.normals[j + r] * a.normals[i + c]
      }
  }
  const out = identityMotion()
  hornRotation(s, out)
  const at = transformPoint(out, ca[0], ca[1], ca[2])
  for (let k = 0; k < 3; k++) out[k * 4 + 3] = cb[k] - at[k]
  return out
}
