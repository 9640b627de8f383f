import { meanPoint } from '../../linear/mean-point'
import { compose, transformPoint, type Motion } from '../../linear/rigid'
import { dampTwist, NormalEquations } from '../least-squares/normal-equations'
import { planeRow, tukeyWeight } from '../least-squares/plane-row'
import { motionAbout } from '../least-squares/twist'
import { nearestOf, type DownsampledCloud } from './downsampled-cloud'

const ROUNDS = 12

/** Point-to-plane matching of the outlines with a narrowing reach (symmetric objective, Rusinkiewicz 2019). */
export function refineCoarse(a: DownsampledCloud, b: DownsampledCloud, start: Motion): Motion {
  const voxel = a.voxelMm
  const stride = Math.max(1, Math.floor(a.points.length / 3 / 700))
  const equations = new NormalEquations(6)
  const x = new Float64Array(6),
    row = new Float64Array(6)
  const p = a.points,
    pn = a.normals,
    q = b.points,
    qn = b.normals
  const middle = meanPoint(a.points)
  let motion = start
  for (let round = 0; round < ROUNDS; round++) {
    const reach = voxel * Math.max(0.9, 3.5 * 0.8 ** round)
    const [m0, m1, m2, m3, m4, m5, m6, m7, m8, m9, m10, m11] = motion as unknown as number[]
    equations.clear()
    const [cx, cy, cz] = transformPoint(motion, ...middle)
    let count = 0
    for (let i = 0; i < p.length; i += 3 * stride) {
      const px = m0 * p[i] + m1 * p[i + 1] + m2 * p[i + 2] + m3
      const py = m4 * p[i] + m5 * p[i + 1] + m6 * p[i + 2] + m7
      const pz = m8 * p[i] + m9 * p[i + 1] + m10 * p[i + 2] + m11
      const j = nearestOf(b, px, py, pz) * 3
      if (j < 0 || (b.rim[j / 3] && round > 3)) continue
      const nx = m0 * pn[i] + m1 * pn[i + 1] + m2 * pn[i + 2]
      const ny = m4 * pn[i] + m5 * pn[i + 1] + m6 * pn[i + 2]
      const nz = m8 * pn[i] + m9 * pn[i + 1] + m10 * pn[i + 2]
      if (nx * qn[j] + ny * qn[j + 1] + nz * qn[j + 2] < 0.7) continue
      let ux = nx + qn[j],
        uy = ny + qn[j + 1],
        uz = nz + qn[j + 2]
      const l = 1 / Math.sqrt(ux * ux + uy * uy + uz * uz)
      ux *= l
      uy *= l
      uz *= l
      const r = ux * (px - q[j]) + uy * (py - q[j + 1]) + uz * (pz - q[j + 2])
      if (Math.abs(r) > reach) continue
      planeRow(row, (px + q[j]) / 2 - cx, (py + q[j + 1]) / 2 - cy, (pz + q[j + 2]) / 2 - cz, ux, uy, uz)
      equations.add(row, r, tukeyWeight(r / reach))
      count++
    }
    if (count < 12) return motion
    equations.mirror()
    // What the surface leaves free must not run away.
    dampTwist(equations.h, 1e-3, 1e-12)
    if (!equations.solve(x)) return motion
    motion = compose(motionAbout(x, [cx, cy, cz]), motion)
  }
  return motion
}
