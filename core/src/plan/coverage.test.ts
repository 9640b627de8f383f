import { describe, expect, test } from 'vitest'
import { Ray, Vector3 } from 'three'
import type { TriangleMesh } from '../shapes'
import { CoverageScene, OPEN_DIRECTIONS, type TakeCoverage } from './coverage'
import { DepthMap } from '../view/depth-map'
import { DEVICE_CLASSES } from './devices'
import type { DeviceProfile } from './device-profile'
import { cutFacets } from './facets'
import { buildStandIn, type Size, type StandIn } from './stand-in'
import { NEW_TAKE, place, takeProblems, viewpointsOf, type PlannedTake } from './takes'

const sceneOf = (standIn: StandIn, size: Size, facets = 6000): CoverageScene => {
  const mesh = buildStandIn(standIn, size)
  return new CoverageScene(mesh, cutFacets(mesh, facets))
}
/** A device as if at infinity: both eyes together, everything in the window. */
const far = (maxIncidenceDeg: number): DeviceProfile => ({
  ...DEVICE_CLASSES[1],
  windowMm: 20000,
  standOffMm: 19000,
  nearMm: 1000,
  farMm: 20000,
  baselineMm: 0,
  spacingMm: 0.1,
  maxIncidenceDeg,
})
const oneShot: PlannedTake = {
  ...NEW_TAKE,
  steps: 1,
  sweepDeg: 360,
  distanceMm: 19000,
  elevationDeg: 0.2,
  kind: 'grip',
  floorMm: null,
}
const share = (scene: CoverageScene, seen: (i: number) => boolean): number => {
  let a = 0
  for (let i = 0; i < scene.facets.count; i++) if (seen(i)) a += scene.facets.areas[i]
  return a / scene.facets.totalAreaMm2
}
const seenShare = (scene: CoverageScene, c: TakeCoverage): number => share(scene, (i) => c.views[i] > 0)
/** As a clamped take, but with nothing hidden by what holds it. */
const free = (scene: CoverageScene, device: DeviceProfile, over: Partial<PlannedTake> = {}): TakeCoverage =>
  scene.cover({ ...oneShot, kind: 'turntable', elevationDeg: 20, ...over }, device, 1)

describe('closed forms (geometry)', () => {
  test.each([30, 60, 80])('a sphere from infinity, no flatter than %s°: (1 − cos θ)/2', (theta) => {
    const scene = sceneOf({ kind: 'ellipsoid' }, [60, 60, 60])
    expect(seenShare(scene, free(scene, far(theta)))).toBeCloseTo((1 - Math.cos((theta * Math.PI) / 180)) / 2, 1.9)
  })
  test.each([30, 60])('the side of a cylinder from level, no flatter than %s°: θ/π of it', (theta) => {
    const scene = sceneOf({ kind: 'cylinder' }, [50, 50, 400], 8000)
    const c = free(scene, far(theta), { elevationDeg: 0.05 })
    const side = (2 * Math.PI * 25 * 400) / (2 * Math.PI * 25 * 400 + 2 * Math.PI * 25 * 25)
    expect(seenShare(scene, c) / side).toBeCloseTo(theta / 180, 1.8)
  })
  test('a box from a corner: three of its six faces, half its area', () => {
    const scene = sceneOf({ kind: 'box' }, [80, 50, 30])
    expect(seenShare(scene, free(scene, far(85), { elevationDeg: 35, headingDeg: 45 }))).toBeCloseTo(0.5, 3)
  })
  // Common practice: shots 45° apart share at least 30 % of what they see. On a cylinder seen to 60° each shot sees
  // 120°.
  test('neighbouring shots of a round piece share (arc − step)/arc', () => {
    const scene = sceneOf({ kind: 'cylinder' }, [50, 50, 400], 8000)
    const a = free(scene, far(60), { elevationDeg: 0.05 }),
      b = free(scene, far(60), { elevationDeg: 0.05, headingDeg: 45 })
    expect(share(scene, (i) => a.views[i] > 0 && b.views[i] > 0) / seenShare(scene, a)).toBeCloseTo(75 / 120, 1.7)
  })
})

/** Whether anything of the mesh lies before the point, by three's own ray against every face. */
function blocked(mesh: TriangleMesh, eye: Vector3, at: Vector3): boolean {
  const ray = new Ray(eye, at.clone().sub(eye).normalize())
  const limit = eye.distanceTo(at) * (1 - 1e-4)
  const v = (i: number): Vector3 => new Vector3().fromArray(mesh.positions, mesh.indices[i] * 3)
  const hit = new Vector3()
  for (let f = 0; f < mesh.indices.length; f += 3)
    if (ray.intersectTriangle(v(f), v(f + 1), v(f + 2), false, hit) && eye.distanceTo(hit) < limit) return true
  return false
}

describe('depth maps', () => {
  test.each<[string, StandIn, Size]>([
    ['a hollow cylinder', { kind: 'cylinder', hollow: { wallMm: 5, depthMm: 60 } }, [50, 50, 100]],
    [
      'an outline with a notch',
      {
        kind: 'extrusion',
        outline: [
          [0, 0],
          [60, 0],
          [60, 20],
          [20, 20],
          [20, 60],
          [0, 60],
        ],
      },
      [80, 80, 40],
    ],
    ['a hollow box', { kind: 'box', hollow: { wallMm: 6, depthMm: 40 } }, [90, 70, 60]],
  ])('%s: at least 99.5 of 100 samples off silhouettes as exact rays have it', (_name, standIn, size) => {
    const mesh = buildStandIn(standIn, size)
    const facets = cutFacets(mesh, 500)
    const map = new DepthMap(mesh)
    let all = 0,
      wrong = 0
    for (const [x, y, z] of [
      [260, 90, 210],
      [-120, 280, 120],
      [-250, -160, 330],
    ] as const) {
      const eye = new Vector3(x, y, z)
      map.look([x, y, z], [0, 0, 40], 0.24)
      for (let i = 0; i < facets.count; i++) {
        const at = new Vector3().fromArray(facets.centres, i * 3),
          n = new Vector3().fromArray(facets.normals, i * 3)
        const cosine = eye.clone().sub(at).normalize().dot(n)
        if (cosine < 0.3) continue
        // On a silhouette a pixel's width decides; those samples are left out.
        const side = new Vector3().crossVectors(n, eye).normalize().multiplyScalar(0.8),
          up = new Vector3().crossVectors(n, side).normalize().multiplyScalar(0.8)
        const truth = blocked(mesh, eye, at)
        if (
          [side, up, side.clone().negate(), up.clone().negate()].some(
            (d) => blocked(mesh, eye.clone().add(d), at.clone().add(d).addScaledVector(n, 0.05)) !== truth,
          )
        )
          continue
        all++
        if (map.sees(at.x, at.y, at.z, cosine) === truth) wrong++
      }
    }
    expect(all).toBeGreaterThan(150)
    expect(1 - wrong / all).toBeGreaterThanOrEqual(0.995)
  })
  test('an eye inside the box of the piece still sees past what is behind it', () => {
    const mesh = buildStandIn({ kind: 'cylinder', hollow: { wallMm: 5, depthMm: 60 } }, [50, 50, 100])
    const map = new DepthMap(mesh)
    map.look([0, 0, 90], [0, 0, 0], 0.9)
    expect(map.sees(0, 0, 40, 1)).toBe(true)
    expect(map.sees(0, 0, 0, 1)).toBe(false)
  })
})

describe('what a take is limited by', () => {
  const device = DEVICE_CLASSES[1]
  const scene = sceneOf({ kind: 'cylinder', hollow: { wallMm: 4, depthMm: 50 } }, [46, 46, 70])
  const turn: PlannedTake = { ...NEW_TAKE, elevationDeg: 62 }
  const floorOf = (c: TakeCoverage): number =>
    share(scene, (i) => c.views[i] > 0 && Math.abs(scene.facets.centres[i * 3 + 2] - 20) < 0.1)
  test('both eyes must look into a hollow', () => {
    const narrow = scene.cover(turn, { ...device, baselineMm: 10 }, 1),
      wide = scene.cover(turn, { ...device, baselineMm: 240 }, 1)
    expect(floorOf(narrow)).toBeGreaterThan(2 * floorOf(wide))
  })
  test('window and depth band cut; noise and spacing are those of the distance', () => {
    expect(seenShare(scene, scene.cover(turn, { ...device, windowMm: 20 }, 1))).toBeLessThan(
      0.5 * seenShare(scene, scene.cover(turn, device, 1)),
    )
    expect(seenShare(scene, scene.cover({ ...turn, distanceMm: 520 }, device, 1))).toBe(0)
    const c = scene.cover({ ...turn, elevationDeg: 30 }, device, 1)
    let least = Infinity
    for (const s of c.spacingMm) least = Math.min(least, s)
    expect(least).toBeGreaterThan((device.spacingMm * (330 - 60)) / 330)
    expect(least).toBeLessThan(device.spacingMm * 1.05)
  })
  test('nothing is seen from under the table, nothing under the floor limit, nothing where putty or a grip holds', () => {
    expect(seenShare(scene, scene.cover({ ...turn, elevationDeg: -20 }, device, 1))).toBe(0)
    expect(seenShare(scene, scene.cover({ ...turn, kind: 'grip', elevationDeg: -20 }, device, 1))).toBeGreaterThan(0.1)
    const low = (c: TakeCoverage, below: number): number =>
      share(scene, (i) => c.views[i] > 0 && scene.facets.centres[i * 3 + 2] < below)
    const level = { ...turn, elevationDeg: 10 }
    expect(low(scene.cover(level, device, 1), 3)).toBeGreaterThan(0)
    expect(low(scene.cover({ ...level, floorMm: 3 }, device, 1), 3)).toBe(0)
    const boxed = scene.cover({ ...turn, boxMm: 30 }, device, 1)
    expect(share(scene, (i) => boxed.views[i] > 0 && Math.abs(scene.facets.centres[i * 3]) > 15.01)).toBe(0)
    expect(seenShare(scene, boxed)).toBeGreaterThan(0)
    expect(low(scene.cover({ ...level, support: 'putty', riserMm: 5 }, device, 1), 3)).toBe(0)
    expect(low(scene.cover({ ...level, kind: 'grip' }, device, 1), 11)).toBe(0)
  })
  test('openness: the outside of a convex piece is open, the floor of a deep hollow nearly shut', () => {
    const open = scene.openness()
    const mean = (keep: (i: number) => boolean): number => {
      let s = 0,
        n = 0
      for (let i = 0; i < open.length; i++)
        if (keep(i)) {
          s += open[i]
          n++
        }
      return s / n / OPEN_DIRECTIONS
    }
    expect(mean((i) => Math.abs(scene.facets.centres[i * 3 + 2] - 20) < 0.1)).toBeLessThan(0.12)
    expect(mean((i) => scene.facets.centres[i * 3 + 2] < 0.01)).toBeGreaterThan(0.4)
  })
  test('dots in view are counted with the same rules', () => {
    const top = Float32Array.of(21, 0, 70, 0, 0, 0),
      up = Float32Array.of(0, 0, 1, 0, 0, -1)
    expect(Array.from(scene.dotsInViews({ ...turn, steps: 4 }, device, top, up, 'piece'))).toEqual([1, 1, 1, 1])
  })
})

describe('takes and their viewpoints', () => {
  const device = DEVICE_CLASSES[1]
  const mesh = buildStandIn({ kind: 'box' }, [60, 40, 30])
  test('the device circles the piece at its distance and elevation, whatever the pose', () => {
    for (const pose of ['upright', 'inverted', 'left', 'front', 'lean'] as const) {
      const take: PlannedTake = { ...NEW_TAKE, pose, steps: 6, elevationDeg: 25 }
      const placed = place(take, mesh.positions)
      const { rows, count } = viewpointsOf(take, device, placed)
      expect(count).toBe(6)
      const m = placed.motion
      for (let v = 0; v < count; v++) {
        const at = [0, 4, 8].map(
          (r) => m[r] * rows[v * 15] + m[r + 1] * rows[v * 15 + 1] + m[r + 2] * rows[v * 15 + 2] + m[r + 3],
        )
        expect(Math.hypot(at[0], at[1], at[2] - placed.middleMm)).toBeCloseTo(take.distanceMm, 6)
        expect(at[2] - placed.middleMm).toBeCloseTo(take.distanceMm * Math.sin((25 * Math.PI) / 180), 6)
        expect(
          Math.hypot(
            rows[v * 15 + 3] - rows[v * 15],
            rows[v * 15 + 4] - rows[v * 15 + 1],
            rows[v * 15 + 5] - rows[v * 15 + 2],
          ),
        ).toBeCloseTo(device.baselineMm, 6)
      }
    }
  })
  test('a pose sets the piece down on the table, a riser lifts it', () => {
    const heights = (take: PlannedTake): number => {
      const { motion: m } = place(take, mesh.positions)
      let low = Infinity
      for (let i = 0; i < mesh.positions.length; i += 3)
        low = Math.min(
          low,
          m[8] * mesh.positions[i] + m[9] * mesh.positions[i + 1] + m[10] * mesh.positions[i + 2] + m[11],
        )
      return low
    }
    expect(heights({ ...NEW_TAKE, pose: 'left' })).toBeCloseTo(0, 6)
    expect(heights({ ...NEW_TAKE, pose: 'custom', aboutXDeg: 33, aboutYDeg: 12 })).toBeCloseTo(0, 6)
    expect(heights({ ...NEW_TAKE, support: 'riser', riserMm: 15 })).toBeCloseTo(15, 6)
    expect(place({ ...NEW_TAKE, pose: 'left' }, mesh.positions).heightMm).toBeCloseTo(60, 4)
    expect(place({ ...NEW_TAKE, pose: 'front' }, mesh.positions).heightMm).toBeCloseTo(40, 4)
  })
  test('other ways of capture yield their own views', () => {
    const placed = place(NEW_TAKE, mesh.positions)
    const count = (t: Partial<PlannedTake>, d = device): number => viewpointsOf({ ...NEW_TAKE, ...t }, d, placed).count
    expect(count({ secondsPerTurn: 26 })).toBe(24)
    expect(count({ secondsPerTurn: 26, sweepDeg: 90 })).toBe(6)
    expect(count({ kind: 'arm', strokes: 3, steps: 10 }, DEVICE_CLASSES[6])).toBe(30)
    const hand = count({ kind: 'handheld', strokes: 5 }, DEVICE_CLASSES[2])
    expect(hand % 5).toBe(0)
    expect(hand).toBeGreaterThanOrEqual(5)
  })
  test('what can’t be run is said', () => {
    const problems = (t: Partial<PlannedTake>, d = device): string => {
      const take = { ...NEW_TAKE, ...t }
      return takeProblems(take, d, place(take, mesh.positions)).join(' ')
    }
    expect(problems({})).toBe('')
    expect(problems({ distanceMm: 420 })).toContain('outside the depth band of 275 to 385 mm')
    expect(problems({ kind: 'handheld' })).toContain('not held in the hand')
    expect(problems({}, DEVICE_CLASSES[2])).toContain('does not stand still')
    expect(problems({ elevationDeg: -40 })).toContain('below the table')
    expect(problems({ boxMm: 40 })).toContain('The box of 40 mm cuts into the piece')
    expect(problems({ floorMm: 31 })).toContain('cuts the whole piece away')
  })
})
