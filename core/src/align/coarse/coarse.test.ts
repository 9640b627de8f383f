import { beforeAll, describe, expect, test } from 'vitest'
import bunny from 'bunny'
import { quietContext } from '../../context'
import { hornRotation } from '../../linear/horn'
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
import type { TriangleMesh } from '../../shapes'
import { spherePoints } from '../../testing/solids'
import { standardSize, viewsOf, type View } from '../../testing/views'
import { rigidFromPairs } from '../marks/pairs'
import { prepareCloud, type OrientedCloud } from '../oriented-cloud'
import { matchJointly, freeMoves } from '../refine/joint'
import { assemble } from './assemble'
import { coarseVoxelMm, featuresOfTakes, type TakeFeatures } from './features'
import { fpfh } from './fpfh'
import { judgePose } from './judge-pose'
import { matchCoarse } from './match'
import { nearestOf, downsampledCloud } from './downsampled-cloud'
import { countInTheWay, seenSpaceOf } from '../../view/seen-space'

// The Stanford bunny (Turk and Levoy 1994), a real scan, from the registry's `bunny`.
const mesh = standardSize({
  kind: 'mesh',
  positions: Float32Array.from(bunny.positions.flat()),
  indices: Uint32Array.from(bunny.cells.flat()),
} satisfies TriangleMesh)

const misfit = (found: Motion, truth: Motion, at: readonly [number, number, number]): { deg: number; mm: number } => {
  const p = transformPoint(found, ...at),
    q = transformPoint(truth, ...at)
  return {
    deg: (rotationAngle(compose(invertRigid(truth), found)) * 180) / Math.PI,
    mm: Math.hypot(p[0] - q[0], p[1] - q[1], p[2] - q[2]),
  }
}

describe('rotation of directions onto directions', () => {
  test('is that of the careful solver (Horn 1987 and Arun 1987 have one least-squares answer), and never a mirror', () => {
    const random = seededRandom(4)
    for (let n = 0; n < 40; n++) {
      const from = Float64Array.from({ length: 15 }, () => random.gaussian())
      const turn = rotationMotion([random.gaussian(), random.gaussian(), random.gaussian()], 3 * random.next())
      const to = Float64Array.from(
        { length: 15 },
        (_, i) =>
          transformPoint(turn, from[i - (i % 3)], from[i - (i % 3) + 1], from[i - (i % 3) + 2])[i % 3] +
          0.2 * random.gaussian(),
      )
      const middle = (p: Float64Array): number[] =>
        [0, 1, 2].map((k) => [0, 1, 2, 3, 4].reduce((s, i) => s + p[i * 3 + k] / 5, 0))
      const a = middle(from),
        b = middle(to)
      const s = new Float64Array(9)
      for (let i = 0; i < 5; i++)
        for (let r = 0; r < 3; r++)
          for (let c = 0; c < 3; c++) s[r * 3 + c] += (to[i * 3 + r] - b[r]) * (from[i * 3 + c] - a[c])
      const out = identityMotion()
      hornRotation(s, out)
      const careful = rigidFromPairs(from, to).motion
      for (const k of [0, 1, 2, 4, 5, 6, 8, 9, 10]) expect(out[k]).toBeCloseTo(careful[k], 9)
    }
  })
})

describe('outlines and what they say', () => {
  const ball = spherePoints(20, 20_000)
  const turn = rotationMotion([1, 2, -1], 1.1, [40, -7, 3])
  test('the grid knows the nearest point to within a voxel, and nothing far off', () => {
    const o = downsampledCloud(ball.positions, ball.normals!, new Uint8Array(20_000), 1)
    const random = seededRandom(2)
    for (let i = 0; i < 500; i++) {
      const d = [random.gaussian(), random.gaussian(), random.gaussian()],
        l = Math.hypot(...d),
        r = 18.5 + 3 * random.next()
      const at = d.map((v) => (v / l) * r) as [number, number, number]
      const j = nearestOf(o, ...at)
      expect(j).toBeGreaterThanOrEqual(0)
      let best = Infinity
      for (let k = 0; k < o.points.length; k += 3)
        best = Math.min(best, Math.hypot(o.points[k] - at[0], o.points[k + 1] - at[1], o.points[k + 2] - at[2]))
      expect(
        Math.hypot(o.points[j * 3] - at[0], o.points[j * 3 + 1] - at[1], o.points[j * 3 + 2] - at[2]),
      ).toBeLessThan(best + 1.75)
    }
    expect(nearestOf(o, 0, 0, 0)).toBe(-1)
    expect(nearestOf(o, 900, 0, 0)).toBe(-1)
  })
  test('histograms are the same however a take lies, sum to one a third, and tell a ball from a plane', () => {
    const points = downsampledCloud(ball.positions, ball.normals!, new Uint8Array(20_000), 1)
    const h = fpfh(points, [5, 9])
    const moved = fpfh(
      { ...points, points: transformPoints(turn, points.points), normals: rotateVectors(turn, points.normals) },
      [5, 9],
    )
    let off = 0
    for (let i = 0; i < h.length; i++) off = Math.max(off, Math.abs(h[i] - moved[i]))
    // A pair that falls right between two bins may fall to the other side.
    expect(off).toBeLessThan(0.25)
    let mean = 0
    for (let i = 0; i < h.length; i++) mean += Math.abs(h[i] - moved[i]) / h.length
    expect(mean).toBeLessThan(0.004)
    for (let row = 0; row < 6; row++)
      expect(h.slice(row * 11, row * 11 + 11).reduce((s, v) => s + v * v, 0)).toBeCloseTo(1, 5)
    const flat = Float32Array.from({ length: 900 }, (_, i) =>
      i % 3 === 0 ? Math.floor(i / 3 / 17) : i % 3 === 1 ? Math.floor(i / 3) % 17 : 0,
    )
    const plane = fpfh({ ...points, points: flat, normals: flat.map((_, i) => (i % 3 === 2 ? 1 : 0)) }, [5, 9])
    const between = Math.hypot(...Array.from(h.slice(0, 33), (v, i) => v - plane[150 * 66 + i]))
    expect(between).toBeGreaterThan(0.3)
  })
})

describe('what a frame saw through', () => {
  // A wall at x = 0 seen from x = −100; things stand before it, in it, behind it and beside it.
  const wall = Float32Array.from({ length: 3 * 2500 }, (_, i) =>
    i % 3 === 0 ? 0 : i % 3 === 1 ? Math.floor(i / 3 / 50) - 25 : (Math.floor(i / 3) % 50) - 25,
  )
  const seen = seenSpaceOf(
    { kind: 'cloud', positions: wall, frame: new Uint16Array(2500), frameOrigins: Float64Array.of(-100, 0, 0) },
    2,
  )
  test.each([
    [-20, 0, 0, 1],
    [-1, 3, 3, 0],
    [0, 5, -5, 0],
    [30, 0, 0, 0],
    [-20, 60, 0, 0],
    [-150, 0, 0, 0],
  ])('a point at %f %f %f is in the way %i times', (x, y, z, times) => {
    expect(countInTheWay(seen, Float32Array.of(x, y, z), 1, identityMotion(), 3)).toBe(times)
  })
  test('a steep slope does not hide itself, and takes without frames say nothing', () => {
    const slope = wall.map((v, i) => (i % 3 === 0 ? 1.5 * wall[i + 1] : v))
    const own = seenSpaceOf(
      { kind: 'cloud', positions: slope, frame: new Uint16Array(2500), frameOrigins: Float64Array.of(-300, 0, 0) },
      2,
    )
    expect(countInTheWay(own, slope, 1, identityMotion(), 2.6)).toBe(0)
    expect(
      countInTheWay(
        seenSpaceOf({ kind: 'cloud', positions: wall }, 2),
        Float32Array.of(-20, 0, 0),
        1,
        identityMotion(),
        3,
      ),
    ).toBe(0)
  })
})

describe('single views of a real scan, every one in coordinates of its own', () => {
  let views: View[], takes: OrientedCloud[], described: TakeFeatures[]
  beforeAll(async () => {
    views = viewsOf(mesh, 5, { points: 9000, perPose: 4 })
    takes = views.map((v) => prepareCloud(v.cloud, quietContext()))
    described = await featuresOfTakes(
      takes,
      views.map((v) => v.cloud),
      coarseVoxelMm(takes),
      quietContext(),
    )
  })
  const truthOf = (i: number, j: number): Motion => compose(invertRigid(views[j].truth), views[i].truth)
  const middle = (i: number): [number, number, number] => transformPoint(invertRigid(views[i].truth), 0, 0, 0)

  test('views a quarter turn apart are matched without a start, to 3° and 2 mm of 100; candidates differ from each other', () => {
    for (const [i, j] of [
      [0, 1],
      [2, 3],
      [4, 5],
      [7, 4],
    ] as const) {
      const found = matchCoarse(described[i], described[j])
      const { deg, mm } = misfit(found[0].motion, truthOf(i, j), middle(i))
      expect(deg).toBeLessThan(3)
      expect(mm).toBeLessThan(2)
      expect(found.map((c) => c.score)).toEqual(found.map((c) => c.score).sort((a, b) => b - a))
      for (const [k, c] of found.entries())
        for (const d of found.slice(0, k)) {
          const apart = misfit(c.motion, d.motion, middle(i))
          expect(apart.deg > 10 || apart.mm > 4).toBe(true)
        }
    }
  })
  test('the true pose has nothing in the way; turned by 180° much is', () => {
    const right = judgePose(described[0], described[1], truthOf(0, 1))
    expect(right.inTheWay).toBeLessThan(0.01)
    expect(right.share).toBeGreaterThan(0.3)
    const at = middle(0)
    const turned = judgePose(
      described[0],
      described[1],
      compose(
        truthOf(0, 1),
        compose(
          rotationMotion([0, 0, 1], 0, at),
          compose(
            rotationMotion([1, 0, 0], Math.PI),
            rotationMotion(
              [0, 0, 1],
              0,
              at.map((v) => -v),
            ),
          ),
        ),
      ),
    )
    expect(turned.score).toBeLessThan(right.score / 2)
  })
  test('put together and matched all at once: every view right; known places stay, a stranger stays out', async () => {
    const pairs = []
    for (let a = 0; a < 8; a++)
      for (let b = a + 1; b < 8; b++) pairs.push({ a, b, candidates: matchCoarse(described[a], described[b]) })
    const whole = assemble(described, pairs)
    expect(new Set(whole.group).size).toBe(1)
    expect(whole.order).toHaveLength(7)
    const joint = await matchJointly(
      takes.map((cloud, i) => ({ cloud, start: whole.motions[i], moves: freeMoves(6 * i) })),
      { reachMm: 3, unknowns: 48, samples: 24_000 },
      quietContext(),
    )
    expect(joint.settled).toBe(true)
    for (let i = 1; i < 8; i++) {
      const { deg, mm } = misfit(compose(invertRigid(joint.motions[0]), joint.motions[i]), truthOf(i, 0), middle(i))
      expect(deg).toBeLessThan(0.05)
      expect(mm).toBeLessThan(0.02)
    }
    // Pairs that a person trusts go first; where everything comes to stays the same.
    const [p, q] = [pairs.find((x) => x.a === 2 && x.b === 3)!, pairs.find((x) => x.a === 4 && x.b === 5)!]
    const wanted = assemble(
      described,
      pairs,
      [],
      [
        [5, 4],
        [2, 3],
      ],
    )
    expect(wanted.order.slice(0, 2).map((l) => [l.a, l.b])).toEqual([
      [q.a, q.b],
      [p.a, p.b],
    ])
    expect(wanted.order).toHaveLength(7)
    // Takes of one pose come together before the poses do.
    const poses = ['a', 'a', 'a', 'a', 'b', 'b', 'b', '']
    const posed = assemble(described, pairs, [], [], poses)
    const within = posed.order.map((l) => poses[l.a] !== '' && poses[l.a] === poses[l.b])
    expect([within.slice(0, 5), within.slice(5)]).toEqual([Array(5).fill(true), [false, false]])
    expect(whole.order.slice(0, 2).map((l) => [l.a, l.b])).not.toEqual([
      [4, 5],
      [2, 3],
    ])
    for (let i = 1; i < 8; i++)
      expect(
        misfit(compose(invertRigid(wanted.motions[0]), wanted.motions[i]), truthOf(i, 0), middle(i)).deg,
      ).toBeLessThan(3)
    // A view of something else fits nowhere.
    const stranger = viewsOf(
      standardSize({
        kind: 'mesh',
        positions: mesh.positions.map((v, i) => (i % 3 === 2 ? Math.abs(v) : Math.sin(v / 6) * 30 + (i % 3) * v)),
        indices: mesh.indices,
      }),
      9,
      { points: 6000, perPose: 1 },
    )[0]
    const odd = prepareCloud(stranger.cloud, quietContext())
    const [d] = await featuresOfTakes([odd], [stranger.cloud], described[0].outline.voxelMm, quietContext())
    const with8 = assemble(
      [described[0], described[1], d],
      [pairs[0], { a: 0, b: 2, candidates: [] }, { a: 1, b: 2, candidates: [] }],
      [identityMotion(), null, null],
    )
    expect(with8.group[0]).toBe(with8.group[1])
    expect(with8.group[2]).not.toBe(with8.group[0])
    expect(Array.from(with8.motions[0])).toEqual(Array.from(identityMotion()))
  })
  test('a smaller set may hold what was moved: bodies of one group keep their places to each other', async () => {
    const start = (i: number): Motion =>
      compose(rotationMotion([0, 0, 1], i === 0 ? 0 : 0.01, [i === 0 ? 0 : 0.4, 0, 0]), views[i].truth)
    const group = [0, 1, 1]
    const joint = await matchJointly(
      [0, 1, 2].map((i) => ({
        cloud: takes[i],
        start: i === 2 ? compose(start(1), compose(invertRigid(views[1].truth), views[2].truth)) : start(i),
        moves: freeMoves(6 * group[i]),
      })),
      { reachMm: 3, unknowns: 12, samples: 9000, apart: (a, b) => group[a] === group[b] },
      quietContext(),
    )
    const kept = compose(invertRigid(joint.motions[1]), joint.motions[2])
    const { deg, mm } = misfit(kept, truthOf(2, 1), middle(2))
    expect(deg).toBeLessThan(1e-5)
    expect(mm).toBeLessThan(1e-4)
    expect(misfit(compose(invertRigid(joint.motions[0]), joint.motions[1]), truthOf(1, 0), middle(1)).mm).toBeLessThan(
      0.05,
    )
  })
})
