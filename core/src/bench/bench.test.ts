import { describe, expect, test } from 'vitest'
import { quietContext } from '../context'
import { seededRandom } from '../linear/random'
import { compose, invertRigid, rotationAngle, transformPoint } from '../linear/rigid'
import { checkHealth } from '../mesh/health'
import { boundsOf } from '../shapes'
import { captureTake, LAMP_TAKES, roughMotion, TABLETOP_DEVICE, trueMotion } from './capture'
import { rangeNoiseMm } from '../plan/device-profile'
import { ellipsoid, implicitNormal, smoothMax, smoothMin, taperedCapsule } from './implicit'
import { OIL_LAMP } from './pieces'
import { polygonise } from './polygonise'

const coarse = { pitchMm: 1.6, spacingMm: 0.8 }

describe('the oil lamp', () => {
  const mesh = polygonise(OIL_LAMP.field, OIL_LAMP.bounds, 1, quietContext())
  test('is one closed solid with one handle, 118 mm long', () => {
    expect(checkHealth(mesh, quietContext())).toMatchObject({
      closed: true,
      manifold: true,
      genus: OIL_LAMP.genus,
      components: 1,
      crossings: 0,
    })
    const { min, max } = boundsOf(mesh.positions)
    expect(max[0] - min[0]).toBeGreaterThan(OIL_LAMP.lengthMm - 0.3)
    expect(max[0] - min[0]).toBeLessThan(OIL_LAMP.lengthMm + 0.3)
    expect(min[2]).toBeGreaterThan(-0.3)
  })
  test('its field changes by no more than a hair over 1 per mm near the surface, so that rays may step by it', () => {
    const r = seededRandom(4)
    let steepest = 0
    for (let i = 0; i < 4000; i++) {
      const v = r.integer(mesh.positions.length / 3) * 3
      const [x, y, z] = [0, 1, 2].map((c) => mesh.positions[v + c] + (r.next() - 0.5) * 4) as [number, number, number]
      const d = [r.gaussian(), r.gaussian(), r.gaussian()]
      const l = Math.hypot(...d) / 0.05
      steepest = Math.max(
        steepest,
        Math.abs(OIL_LAMP.field(x + d[0] / l, y + d[1] / l, z + d[2] / l) - OIL_LAMP.field(x, y, z)) / 0.05,
      )
    }
    expect(steepest).toBeLessThan(1.15)
  })
  test('its well and its wick hole are open', () => {
    expect(OIL_LAMP.field(0, 0, 30)).toBeGreaterThan(0)
    expect(OIL_LAMP.field(62, 0, 33)).toBeGreaterThan(0)
    expect(OIL_LAMP.field(-36, 0, 21)).toBeGreaterThan(0)
    expect(OIL_LAMP.field(0, 0, 5)).toBeLessThan(0)
  })
})

describe('building blocks (closed forms)', () => {
  test('ellipsoid and capsule are zero on their surfaces, normals point outward', () => {
    expect(ellipsoid(3, 0, 0, 3, 2, 1)).toBeCloseTo(0, 12)
    expect(taperedCapsule(5, 2, 0, 0, 0, 0, 2, 10, 0, 0, 2)).toBeCloseTo(0, 12)
    const n = new Float64Array(3)
    implicitNormal((x, y, z) => ellipsoid(x, y, z, 3, 2, 1), 0, 0, 1, n)
    expect(n[2]).toBeCloseTo(1, 6)
  })
  test('blends never exceed the plain minimum and meet it away from the seam', () => {
    expect(smoothMin(1, 1, 0.4)).toBeLessThan(1)
    expect(smoothMin(1, 5, 0.4)).toBe(1)
    expect(smoothMax(1, 5, 0.4)).toBe(5)
  })
})

// Triangulation: δz = z²·δd/(f·b), e.g. Luhmann et al., Close-Range Photogrammetry: twice as far is four times the
// noise.
test('range noise grows with the square of distance', () => {
  expect(rangeNoiseMm(TABLETOP_DEVICE, 660) / rangeNoiseMm(TABLETOP_DEVICE, 330)).toBeCloseTo(4, 12)
  expect(rangeNoiseMm(TABLETOP_DEVICE, TABLETOP_DEVICE.standOffMm)).toBe(TABLETOP_DEVICE.noiseMm)
})

describe('a take', () => {
  const upright = captureTake(OIL_LAMP, LAMP_TAKES[0], TABLETOP_DEVICE, 3, quietContext(), coarse)
  const inPiece = invertRigid(upright.truth)
  const field = (i: number) => {
    const p = transformPoint(
      inPiece,
      upright.cloud.positions[i * 3],
      upright.cloud.positions[i * 3 + 1],
      upright.cloud.positions[i * 3 + 2],
    )
    return OIL_LAMP.field(...p)
  }
  const n = upright.cloud.positions.length / 3
  test('its points lie on the piece or on the table, within the noise', () => {
    const off: number[] = []
    let table = 0
    for (let i = 0; i < n; i++) {
      const z = Math.abs(upright.cloud.positions[i * 3 + 2])
      const d = Math.abs(field(i))
      if (z < d) table++
      off.push(Math.min(z, d))
    }
    expect(table).toBeGreaterThan(n * 0.3)
    off.sort((a, b) => a - b)
    expect(off[Math.floor(n * 0.99)]).toBeLessThan(4 * TABLETOP_DEVICE.noiseMm)
    const rms = Math.sqrt(off.reduce((s, v) => s + v * v, 0) / n)
    expect(rms).toBeGreaterThan(0.3 * TABLETOP_DEVICE.noiseMm)
  })
  test('keeps to the depth band, faces the device, and carries frames and their origins', () => {
    const { cloud } = upright
    expect(cloud.frameOrigins!.length / 3).toBe(LAMP_TAKES[0].steps)
    expect(new Set(cloud.frame).size).toBe(LAMP_TAKES[0].steps)
    let facing = 0
    for (let i = 0; i < n; i++) {
      const o = cloud.frame![i] * 3
      const d = [0, 1, 2].map((c) => cloud.frameOrigins![o + c] - cloud.positions[i * 3 + c])
      const range = Math.hypot(...d)
      expect(range).toBeLessThan(TABLETOP_DEVICE.farMm * 1.1)
      if (d.reduce((s, v, c) => s + v * cloud.normals![i * 3 + c], 0) > 0) facing++
    }
    expect(facing / n).toBeGreaterThan(0.97)
  })
  test('shadowed parts are missing: nothing of the foot is seen from above', () => {
    let foot = 0
    for (let i = 0; i < n; i++) {
      const p = transformPoint(
        inPiece,
        upright.cloud.positions[i * 3],
        upright.cloud.positions[i * 3 + 1],
        upright.cloud.positions[i * 3 + 2],
      )
      if (Math.hypot(p[0], p[1]) < 15 && p[2] < 2) foot++
    }
    expect(foot).toBe(0)
  })
  test('same seed, same bytes; another seed, others; the truth is that of its seed', () => {
    const again = captureTake(OIL_LAMP, LAMP_TAKES[0], TABLETOP_DEVICE, 3, quietContext(), coarse)
    expect(again.cloud.positions).toEqual(upright.cloud.positions)
    expect(
      captureTake(OIL_LAMP, LAMP_TAKES[0], TABLETOP_DEVICE, 4, quietContext(), coarse).cloud.positions,
    ).not.toEqual(upright.cloud.positions)
    expect(trueMotion(OIL_LAMP, LAMP_TAKES[0], 3)).toEqual(upright.truth)
  })
  test('a rough start is off by what was asked', () => {
    const rough = roughMotion(upright.truth, [0, 0, 20], 9, 8, 5)
    const delta = compose(rough, invertRigid(upright.truth))
    expect((rotationAngle(delta) * 180) / Math.PI).toBeCloseTo(8, 6)
    const c = transformPoint(upright.truth, 0, 0, 20)
    expect(Math.hypot(...transformPoint(delta, ...c).map((v, i) => v - c[i]))).toBeCloseTo(5, 6)
  })
})
