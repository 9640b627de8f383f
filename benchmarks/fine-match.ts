/**
 * Fine matching: error against the truth without noise, against the Cramér–Rao bound with noise, and time beside a
 * general-purpose C++ library.
 *   npx tsx benchmarks/fine-match.ts [seeds]
 */
import { mkdtempSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { implicitNormal } from '../core/src/bench/implicit'
import {
  LAMP_TAKES,
  motionRows,
  OIL_LAMP,
  quietContext,
  rangeNoiseMm,
  rotationAngle,
  trueMotion,
  type Motion,
  type PointCloud,
} from '@holosoma/core'
import type { DeviceProfile } from '../core/src/plan/device-profile'
import { matchFine } from '../core/src/align/refine/icp'
import { prepareCloud } from '../core/src/align/oriented-cloud'
import { compose, invertRigid, transformPoint } from '../core/src/linear/rigid'
import { roughMotion } from '@holosoma/core'
import { boundsOf, diagonal } from '../core/src/shapes'
import { KdTree } from '../core/src/spatial/kd-tree'
import { inverse, Matrix } from 'ml-matrix'
import { cleanTakes, quantile, reference, save, seconds, withNoise } from './lib'

const seeds = Number(process.argv[2] ?? 50)
const { takes, truth, device } = cleanTakes(0.365)
const [a, b] = takes as [PointCloud, PointCloud]
const size = diagonal(boundsOf(a.positions))
const middle = [0, 1, 2].map((c) => (boundsOf(b.positions).min[c] + boundsOf(b.positions).max[c]) / 2)
process.stdout.write(`points ${a.positions.length / 3} and ${b.positions.length / 3}, size ${size.toFixed(1)} mm\n`)

const match = (source: PointCloud, target: PointCloud, start: Motion): Motion => {
  const ready = [prepareCloud(source, quietContext()), prepareCloud(target, quietContext())]
  return matchFine(ready[0], ready[1], start, {}, quietContext()).motion
}
const bare = (c: PointCloud): PointCloud => ({
  kind: 'cloud',
  positions: c.positions,
  ...(c.frame && { frame: c.frame, frameOrigins: c.frameOrigins }),
})
/** Root mean square displacement of the second take's surface between two motions, mm. */
const displacement = (m: Motion, n: Motion): number => {
  const delta = compose(invertRigid(m), n)
  let sum = 0
  for (let i = 0; i < b.positions.length; i += 3) {
    const [x, y, z] = transformPoint(delta, b.positions[i], b.positions[i + 1], b.positions[i + 2])
    sum += (x - b.positions[i]) ** 2 + (y - b.positions[i + 1]) ** 2 + (z - b.positions[i + 2]) ** 2
  }
  return Math.sqrt(sum / (b.positions.length / 3))
}

let worstDeg = 0,
  worstShare = 0
for (let seed = 1; seed <= 10; seed++) {
  const found = match(bare(b), bare(a), roughMotion(truth, middle, seed, 10, 0.05 * size))
  const delta = compose(invertRigid(truth), found)
  const at = transformPoint(delta, middle[0], middle[1], middle[2])
  worstDeg = Math.max(worstDeg, (rotationAngle(delta) * 180) / Math.PI)
  worstShare = Math.max(worstShare, Math.hypot(at[0] - middle[0], at[1] - middle[1], at[2] - middle[2]) / size)
}
process.stdout.write(
  `noise-free, 10 starts off by 10° and 5 %: worst ${worstDeg.toFixed(5)}°, ` +
    `${(worstShare * 100).toFixed(5)} % of size\n`,
)

const bound = cramerRao(a, b, truth, device)
const ratios: number[] = []
for (let seed = 1; seed <= seeds; seed++) {
  const found = match(
    bare(withNoise(b, device, seed * 2)),
    bare(withNoise(a, device, seed * 2 + 1)),
    roughMotion(truth, middle, seed, 10, 0.05 * size),
  )
  ratios.push(displacement(truth, found) / bound)
}
process.stdout.write(
  `noisy, ${seeds} seeds: bound ${(bound * 1000).toFixed(2)} µm; error / bound median ` +
    `${quantile(ratios, 0.5).toFixed(2)}, p95 ${quantile(ratios, 0.95).toFixed(2)}, worst ` +
    `${Math.max(...ratios).toFixed(2)}\n`,
)

const noisy = [withNoise(b, device, 1), withNoise(a, device, 2)].map(({ positions }): PointCloud => ({
  kind: 'cloud',
  positions,
}))
const start = roughMotion(truth, middle, 3, 10, 0.05 * size)
const own = [1, 2, 3].map(() => seconds(() => match(noisy[0], noisy[1], start)))
const folder = mkdtempSync(join(tmpdir(), 'holosoma-bench-'))
writeFileSync(join(folder, 'start.json'), JSON.stringify(motionRows(start)))
const other = reference('icp.py', [
  save(noisy[0], 'source.ply', folder),
  save(noisy[1], 'target.ply', folder),
  join(folder, 'start.json'),
])
process.stdout.write(
  `time, normals included: ${Math.min(...own).toFixed(2)} s one thread; error ` +
    `${(displacement(truth, match(noisy[0], noisy[1], start)) * 1000).toFixed(2)} µm\n`,
)
if (other)
  process.stdout.write(
    `library on the same clouds: ${other.seconds.toFixed(2)} s; error ` +
      `${(displacement(truth, Float64Array.from((other.motion as unknown as number[][]).flat())) * 1000).toFixed(2)} ` +
      `µm\n`,
  )

/**
 * Lowest root mean square displacement any unbiased estimate can have: information Σ JJᵀ/(σa² + σb²) over the points of
 * the thinner take in the overlap, true normals, noise projected on them. Range noise is drawn per point and fusing
 * keeps real points, so the correlated blocks are single points here.
 */
function cramerRao(target: PointCloud, source: PointCloud, motion: Motion, dev: DeviceProfile): number {
  const inPiece = invertRigid(trueMotion(OIL_LAMP, LAMP_TAKES[0], 1000))
  const sides = [countInOverlap(target, source, invertRigid(motion)), countInOverlap(source, target, motion)]
  const thin = sides[0].length < sides[1].length ? 0 : 1
  const from = thin === 0 ? target : source
  const place: Motion = thin === 0 ? Float64Array.of(1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1) : motion
  const h = Matrix.zeros(6, 6)
  const n = new Float64Array(3)
  for (const i of sides[thin]) {
    const [x, y, z] = transformPoint(place, from.positions[i * 3], from.positions[i * 3 + 1], from.positions[i * 3 + 2])
    const q = transformPoint(inPiece, x, y, z)
    implicitNormal(OIL_LAMP.field, q[0], q[1], q[2], n)
    const back = invertRigid(inPiece)
    const normal = [0, 1, 2].map((r) => back[r * 4] * n[0] + back[r * 4 + 1] * n[1] + back[r * 4 + 2] * n[2])
    const o = from.frame![i] * 3
    const origin = transformPoint(place, from.frameOrigins![o], from.frameOrigins![o + 1], from.frameOrigins![o + 2])
    const d = [origin[0] - x, origin[1] - y, origin[2] - z]
    const range = Math.hypot(d[0], d[1], d[2])
    const cos = Math.max(0.2, (d[0] * normal[0] + d[1] * normal[1] + d[2] * normal[2]) / range)
    // Both takes' noise at about this range and slant.
    const variance = 2 * (rangeNoiseMm(dev, range) * cos) ** 2
    const row = [y * normal[2] - z * normal[1], z * normal[0] - x * normal[2], x * normal[1] - y * normal[0], ...normal]
    for (let r = 0; r < 6; r++) for (let c = 0; c < 6; c++) h.set(r, c, h.get(r, c) + (row[r] * row[c]) / variance)
  }
  const cov = inverse(h)
  let sum = 0
  const m = source.positions.length / 3
  for (let i = 0; i < m; i += 10) {
    const [x, y, z] = transformPoint(
      motion,
      source.positions[i * 3],
      source.positions[i * 3 + 1],
      source.positions[i * 3 + 2],
    )
    const g = new Matrix([
      [0, z, -y, 1, 0, 0],
      [-z, 0, x, 0, 1, 0],
      [y, -x, 0, 0, 0, 1],
    ])
    sum += g.mmul(cov).mmul(g.transpose()).trace()
  }
  return Math.sqrt(sum / Math.ceil(m / 10))
}

function countInOverlap(from: PointCloud, to: PointCloud, motion: Motion): number[] {
  const tree = new KdTree(to.positions)
  const out: number[] = []
  for (let i = 0; i < from.positions.length / 3; i++) {
    const [x, y, z] = transformPoint(
      motion,
      from.positions[i * 3],
      from.positions[i * 3 + 1],
      from.positions[i * 3 + 2],
    )
    if (tree.nearest(x, y, z, 0.6 * 0.6) >= 0) out.push(i)
  }
  return out
}
