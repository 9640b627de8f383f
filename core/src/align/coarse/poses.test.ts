import { describe, expect, test } from 'vitest'
import { seededRandom } from '../../linear/random'
import {
  compose,
  identityMotion,
  invertRigid,
  rotateVectors,
  rotationAngle,
  rotationMotion,
  transformPoint,
  transformPoints,
  type Motion,
} from '../../linear/rigid'
import { axisPoses, principalFrame } from './axis-poses'
import { consensusPoses } from './consensus'
import type { TakeFeatures } from './features'
import { judgePose, samePose } from './judge-pose'
import { downsampledCloud, type DownsampledCloud } from './downsampled-cloud'
import { refineCoarse } from './refine-coarse'

/** A bumpy body whose three axes differ; its surface is known in closed form, and so are its normals. */
const AXES = [20, 14, 9] as const
function surface(a: number, z: number): [number, number, number] {
  const r = 1 + 0.12 * Math.sin(3 * a + 1) * Math.cos(2 * z) + 0.08 * Math.sin(5 * a) * (1 - z * z)
  const s = Math.sqrt(1 - z * z)
  return [AXES[0] * r * s * Math.cos(a), AXES[1] * r * s * Math.sin(a), AXES[2] * r * z]
}
function body(seed: number, points = 24_000): { positions: Float32Array; normals: Float32Array } {
  const random = seededRandom(seed)
  const positions = new Float32Array(points * 3),
    normals = new Float32Array(points * 3)
  for (let i = 0; i < points; i++) {
    const a = 2 * Math.PI * random.next(),
      z = 1.98 * random.next() - 0.99,
      h = 1e-4
    const at = surface(a, z),
      u = surface(a + h, z),
      v = surface(a, z + h)
    const d = [0, 1, 2].map((k) => u[k] - at[k]),
      e = [0, 1, 2].map((k) => v[k] - at[k])
    const n = [d[1] * e[2] - d[2] * e[1], d[2] * e[0] - d[0] * e[2], d[0] * e[1] - d[1] * e[0]],
      l = Math.hypot(...n)
    positions.set(at, i * 3)
    normals.set(
      n.map((c) => c / l),
      i * 3,
    )
  }
  return { positions, normals }
}
const outline = (
  { positions, normals }: ReturnType<typeof body>,
  motion: Motion = identityMotion(),
): DownsampledCloud =>
  downsampledCloud(
    transformPoints(motion, positions),
    rotateVectors(motion, normals),
    new Uint8Array(positions.length / 3),
    1,
  )
const blind = (o: DownsampledCloud): TakeFeatures => ({
  outline: o,
  seen: { images: [], pixelMm: 1 },
  features: new Float32Array(0),
  queries: new Int32Array(0),
})
const degrees = (m: Motion, n: Motion): number => (rotationAngle(compose(invertRigid(m), n)) * 180) / Math.PI
const offMm = (m: Motion, n: Motion): number => {
  const p = transformPoint(m, 0, 0, 0),
    q = transformPoint(n, 0, 0, 0)
  return Math.hypot(p[0] - q[0], p[1] - q[1], p[2] - q[2])
}
const truth = rotationMotion([1, -2, 0.5], 2.1, [60, -12, 33])

describe('principal axes', () => {
  const a = outline(body(1)),
    b = outline(body(2), truth)
  test('run from the shortest to the longest, through the middle, and turn with the body', () => {
    const frame = principalFrame(a.points),
      moved = principalFrame(b.points)
    expect(Math.abs(frame.axes[0][2])).toBeGreaterThan(0.98)
    expect(Math.abs(frame.axes[2][0])).toBeGreaterThan(0.98)
    expect(frame.halfMm).toBeGreaterThan(0.9 * AXES[2])
    expect(frame.halfMm).toBeLessThan(1.25 * AXES[2])
    const middle = transformPoint(truth, ...frame.middle)
    expect(Math.hypot(...middle.map((v, k) => v - moved.middle[k]))).toBeLessThan(0.3)
  })
  test('laid on each other in every way that is a turn: the true one is among them, and none is a mirror', () => {
    const poses = axisPoses(a, b)
    // Six orders with eight signs, half of them mirrors; each at the middle and at either end.
    expect(poses).toHaveLength(72)
    for (const m of poses) {
      const det =
        m[0] * (m[5] * m[10] - m[6] * m[9]) - m[1] * (m[4] * m[10] - m[6] * m[8]) + m[2] * (m[4] * m[9] - m[5] * m[8])
      expect(det).toBeCloseTo(1, 6)
    }
    const best = poses.reduce((m, n) =>
      degrees(truth, n) + offMm(truth, n) < degrees(truth, m) + offMm(truth, m) ? n : m,
    )
    expect(degrees(truth, best)).toBeLessThan(4)
    expect(offMm(truth, best)).toBeLessThan(0.5)
  })
})

describe('consensus of matches', () => {
  const from = body(3),
    a = outline(from)
  // The same places on both, so that what a match says is exact.
  const b: DownsampledCloud = {
    ...a,
    points: transformPoints(truth, a.points),
    normals: rotateVectors(truth, a.normals),
  }
  const places = a.points.length / 3
  /** So many matches, of which a share is right. */
  const matches = (count: number, right: number, seed: number): Int32Array => {
    const random = seededRandom(seed)
    return Int32Array.from({ length: 2 * count }, (_, k) => k)
      .map((k) => (k % 2 === 0 ? Math.floor(((k / 2) * places) / count) : -1))
      .map((v, k, all) => (k % 2 === 0 ? v : random.next() < right ? all[k - 1] : Math.floor(random.next() * places)))
  }
  test.each([
    [1, 0.01],
    [0.5, 0.5],
    [0.2, 1],
  ])('with %d of them right, the true pose is found within %d°', (right, deg) => {
    const poses = consensusPoses(a, b, matches(600, right, 5))
    const near = poses.filter((m) => degrees(truth, m) < deg && offMm(truth, m) < 0.3)
    expect(near.length).toBeGreaterThan(0)
    if (right === 1) expect(near).toHaveLength(poses.length)
  })
  test('where none is right, hardly any pose is made of them, and none is the true one', () => {
    const poses = consensusPoses(a, b, matches(600, 0, 6))
    expect(poses.filter((m) => degrees(truth, m) < 5 && offMm(truth, m) < 2)).toEqual([])
    expect(poses.length).toBeLessThan(consensusPoses(a, b, matches(600, 0.5, 6)).length)
  })
  test('places without a match are passed over', () => {
    const pairs = matches(300, 1, 7)
    for (let k = 1; k < pairs.length; k += 4) pairs[k] = -1
    for (const m of consensusPoses(a, b, pairs)) expect(degrees(truth, m)).toBeLessThan(0.01)
  })
})

describe('refining on the outlines', () => {
  const a = outline(body(8)),
    b = outline(body(9), truth)
  test('from some degrees and voxels off it comes to the true pose, from other samples of one surface', () => {
    const random = seededRandom(10)
    for (let n = 0; n < 8; n++) {
      const off = rotationMotion([random.gaussian(), random.gaussian(), random.gaussian()], 0.09, [
        1.2 * random.gaussian(),
        1.2 * random.gaussian(),
        1.2 * random.gaussian(),
      ])
      const found = refineCoarse(a, b, compose(truth, off))
      expect(degrees(truth, found)).toBeLessThan(0.6)
      expect(offMm(truth, found)).toBeLessThan(0.15)
    }
  })
  test('what a plate leaves free stays where it was begun', () => {
    const plate = (z: number): DownsampledCloud => {
      const positions = new Float32Array(41 * 41 * 3),
        normals = new Float32Array(41 * 41 * 3)
      for (let i = 0; i < 41 * 41; i++) {
        positions.set([(i % 41) - 20, Math.floor(i / 41) - 20, z], i * 3)
        normals[i * 3 + 2] = 1
      }
      return downsampledCloud(positions, normals, new Uint8Array(41 * 41), 1)
    }
    const found = refineCoarse(plate(0), plate(0), rotationMotion([0, 0, 1], 0, [0.7, -0.4, 1.1]))
    expect(found[11]).toBeCloseTo(0, 3)
    expect(Math.hypot(found[3] - 0.7, found[7] + 0.4)).toBeLessThan(0.05)
    expect(degrees(found, identityMotion())).toBeLessThan(0.1)
  })
  test('far from everything it gives back what it was given', () => {
    const far = rotationMotion([0, 0, 1], 1, [500, 0, 0])
    expect(refineCoarse(a, b, far)).toBe(far)
  })
})

describe('judging a pose', () => {
  const a = blind(outline(body(11))),
    b = blind(outline(body(12), truth))
  test('nearly all of one surface lies on the other in the true pose, and the same is said from either side', () => {
    const there = judgePose(a, b, truth),
      back = judgePose(b, a, invertRigid(truth))
    expect(there.share).toBeGreaterThan(0.9)
    expect(there.rmsVoxels).toBeLessThan(0.25)
    expect(there.inTheWay).toBe(0)
    expect(Math.abs(back.fitting - there.fitting)).toBeLessThan(0.02 * there.fitting)
    expect(Math.abs(back.score - there.score)).toBeLessThan(0.02 * there.score)
  })
  test('the farther off, the less fits', () => {
    const fitting = [0, 0.12, 0.25, 0.5].map(
      (turn) => judgePose(a, b, compose(truth, rotationMotion([0, 0, 1], turn))).fitting,
    )
    for (let k = 1; k < fitting.length; k++) expect(fitting[k]).toBeLessThan(fitting[k - 1])
  })
  test('surfaces that face opposite ways do not fit, however near they lie', () => {
    const inside = blind({ ...b.outline, normals: b.outline.normals.map((v) => -v) })
    expect(judgePose(a, inside, truth).fitting).toBe(0)
  })
  test('poses are one where they turn and shift by little about the piece’s own middle', () => {
    const about = [100, 0, 0]
    expect(samePose(identityMotion(), rotationMotion([0, 0, 1], 0.19), [0, 0, 0], 1)).toBe(true)
    expect(samePose(identityMotion(), rotationMotion([0, 0, 1], 0.22), [0, 0, 0], 1)).toBe(false)
    // The same turn moves what lies far from its axis by more than six voxels.
    expect(samePose(identityMotion(), rotationMotion([0, 0, 1], 0.19), about, 1)).toBe(false)
    expect(samePose(identityMotion(), rotationMotion([0, 0, 1], 0, [5.9, 0, 0]), about, 1)).toBe(true)
    expect(samePose(identityMotion(), rotationMotion([0, 0, 1], 0, [6.1, 0, 0]), about, 1)).toBe(false)
  })
})
