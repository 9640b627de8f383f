import { describe, expect, test } from 'vitest'
import { buildStandIn } from '../plan/stand-in'
import { cutFacets, type Facets } from '../plan/facets'
import { findLookAlikes } from './poses/look-alikes'
import { freeMotions, slippageModes, surfaceScale, type Mode, type SurfaceSamples } from './slippage'

const noise = { noiseMm: 0.03, correlationMm: 0.6 }
const samples = (
  f: Facets,
  keep: (x: number, y: number, z: number, nz: number) => boolean = () => true,
): SurfaceSamples => {
  const at = Array.from({ length: f.count }, (_, i) => i).filter((i) =>
    keep(f.centres[i * 3], f.centres[i * 3 + 1], f.centres[i * 3 + 2], f.normals[i * 3 + 2]),
  )
  const three = (a: Float32Array): Float32Array =>
    Float32Array.from(at.flatMap((i) => Array.from(a.subarray(i * 3, i * 3 + 3))))
  return { points: three(f.centres), normals: three(f.normals), areas: Float64Array.from(at, (i) => f.areas[i]) }
}
const modesOf = (s: SurfaceSamples, whole = s, n = noise): Mode[] => slippageModes(s, surfaceScale(whole), n)
const free = (s: SurfaceSamples, whole = s) => freeMotions(modesOf(s, whole))
const slab = cutFacets(buildStandIn({ kind: 'box' }, [140, 140, 18]), 6000)

/** A helicoid: rulings that turn as they climb; only a screw of its pitch leaves it where it is. */
function helicoid(pitch: number): SurfaceSamples {
  const points: number[] = [],
    normals: number[] = [],
    areas: number[] = []
  for (let i = 0; i < 120; i++) {
    for (let r = 4; r <= 20; r += 2) {
      const t = (i / 120) * 4 * Math.PI
      points.push(r * Math.cos(t), r * Math.sin(t), pitch * t)
      const l = Math.hypot(pitch, r)
      normals.push((pitch * Math.sin(t)) / l, (-pitch * Math.cos(t)) / l, r / l)
      areas.push(l)
    }
  }
  return { points: Float32Array.from(points), normals: Float32Array.from(normals), areas: Float64Array.from(areas) }
}

// Counts from Gelfand and Guibas 2004, "Shape segmentation using local slippage analysis", SGP, table 1.
describe('free motions of the slippable shapes', () => {
  const round = cutFacets(buildStandIn({ kind: 'cylinder' }, [50, 50, 100]), 5000)
  const turned = cutFacets(
    buildStandIn(
      {
        kind: 'lathe',
        profile: [
          [20, 0],
          [10, 20],
          [10, 76],
          [20, 96],
        ],
      },
      [40, 40, 96],
    ),
    5000,
  )
  const drawn = cutFacets(
    buildStandIn(
      {
        kind: 'extrusion',
        outline: [
          [0, 0],
          [10, 0],
          [10, 10],
          [5, 4],
          [0, 10],
        ],
      },
      [40, 40, 20],
    ),
    5000,
  )
  test('plane: 3', () => {
    const f = free(samples(slab, (_x, _y, _z, nz) => nz > 0.5))
    expect(f).toHaveLength(3)
    expect(f.some((m) => m.kind === 'rotation' && Math.abs(m.axis[2]) > 0.99)).toBe(true)
  })
  test('sphere: 3 rotations about its middle', () => {
    const f = free(samples(cutFacets(buildStandIn({ kind: 'ellipsoid' }, [50, 50, 50]), 5000)))
    expect(f.map((m) => m.kind)).toEqual(['rotation', 'rotation', 'rotation'])
    for (const m of f) expect(Math.hypot(m.point[0], m.point[1], m.point[2] - 25)).toBeLessThan(0.5)
  })
  test('cylinder: 2, along and about its axis', () => {
    const f = free(samples(round, (_x, _y, _z, nz) => Math.abs(nz) < 0.5))
    expect(f.map((m) => m.kind).sort()).toEqual(['rotation', 'translation'])
    for (const m of f) expect(Math.abs(m.axis[2])).toBeGreaterThan(0.999)
  })
  test('surface of revolution: 1 rotation about its axis', () => {
    const f = free(samples(turned))
    expect(f.map((m) => m.kind)).toEqual(['rotation'])
    expect(Math.hypot(f[0].point[0], f[0].point[1])).toBeLessThan(0.1)
  })
  test('extrusion without its ends: 1 translation along it', () => {
    const f = free(samples(drawn, (_x, _y, _z, nz) => Math.abs(nz) < 0.5))
    expect(f.map((m) => m.kind)).toEqual(['translation'])
    expect(Math.abs(f[0].axis[2])).toBeGreaterThan(0.999)
  })
  test.each([2.5, -6])('helix: 1 screw of its own pitch, %s mm a radian', (pitch) => {
    const f = free(helicoid(pitch))
    expect(f.map((m) => m.kind)).toEqual(['screw'])
    expect(f[0].pitchMm).toBeCloseTo(pitch, 1)
  })
})

// Common practice: four straight walls leave one motion free (through the thickness), two parallel walls three.
describe('what two faces of a slab share', () => {
  const whole = samples(slab)
  const walls = samples(slab, (_x, _y, _z, nz) => Math.abs(nz) < 0.5)
  test('four walls: one, through the thickness, bounded by it', () => {
    const f = free(walls, whole)
    expect(f.map((m) => m.kind)).toEqual(['translation'])
    expect(Math.abs(f[0].axis[2])).toBeGreaterThan(0.9999)
    expect(f[0].boundMm).toBeGreaterThan(15)
    expect(f[0].boundMm).toBeLessThanOrEqual(18)
    expect(f[0].playMm).toBe(Infinity)
  })
  test('two parallel walls: three', () =>
    expect(
      free(
        samples(slab, (x, _y, _z, nz) => Math.abs(nz) < 0.5 && Math.abs(x) > 69),
        whole,
      ),
    ).toHaveLength(3))
  test('a wall, the top and a wall across them: none', () =>
    expect(
      free(
        samples(slab, (x, y, _z, nz) => nz > 0.5 || x > 69.9 || y > 69.9),
        whole,
      ),
    ).toHaveLength(0))
  test('play grows with the noise, shrinks with the root of the information, and is that of the farthest point', () => {
    const play = (n: typeof noise): number[] => modesOf(whole, whole, n).map((m) => m.motion.playMm)
    const once = play(noise),
      twice = play({ ...noise, noiseMm: 0.06 }),
      coarse = play({ ...noise, correlationMm: 1.2 })
    once.forEach((v, i) => {
      expect(twice[i] / v).toBeCloseTo(2, 6)
      expect(coarse[i] / v).toBeCloseTo(2, 6)
    })
    // A cube of area 6a² and independent patches of ℓ²: shifts are held by a third of them, so play = σ√2·ℓ/√(2a²).
    const cube = samples(cutFacets(buildStandIn({ kind: 'box' }, [60, 60, 60]), 4000))
    const shift = modesOf(cube).find((m) => m.motion.kind === 'translation')!
    expect(shift.motion.playMm).toBeCloseTo((0.03 * Math.SQRT2 * 0.6) / Math.sqrt(2 * 60 * 60), 5)
  })
})

describe('look-alikes: rotation groups of known solids', () => {
  const alike = (f: Facets, keep?: Parameters<typeof samples>[1]) => findLookAlikes(samples(f, keep), samples(f), 0.15)
  test('a box of three unequal edges: the three half turns of D2', () => {
    const { found, everyAngleAbout } = alike(cutFacets(buildStandIn({ kind: 'box' }, [100, 60, 40]), 8000))
    expect(found.map((l) => Math.round(l.turnDeg))).toEqual([180, 180, 180])
    expect(everyAngleAbout).toBeNull()
  })
  test('the rim of a square slab: the seven turns of D4', () => {
    const { found } = alike(
      cutFacets(buildStandIn({ kind: 'box', bevelMm: 2, reliefMm: 3 }, [140, 140, 18]), 8000),
      (_x, _y, _z, nz) => Math.abs(nz) < 0.5,
    )
    expect(found.map((l) => Math.round(l.turnDeg))).toEqual([90, 90, 180, 180, 180, 180, 180])
  })
  test('a cube: the twenty-three turns of its group', () => {
    const turns = alike(cutFacets(buildStandIn({ kind: 'box' }, [60, 60, 60]), 8000)).found.map((l) =>
      Math.round(l.turnDeg),
    )
    expect([90, 120, 180].map((t) => turns.filter((v) => v === t).length)).toEqual([6, 8, 9])
  })
  test('a turned piece: every angle about its axis', () => {
    const { everyAngleAbout } = alike(
      cutFacets(
        buildStandIn(
          {
            kind: 'lathe',
            profile: [
              [20, 0],
              [10, 20],
              [10, 96],
            ],
          },
          [40, 40, 96],
        ),
        8000,
      ),
    )
    expect(Math.abs(everyAngleAbout![2])).toBeCloseTo(1, 6)
  })
  test('relief all over: none', () =>
    expect(
      alike(cutFacets(buildStandIn({ kind: 'box', bevelMm: 2, reliefMm: 3 }, [140, 140, 18]), 8000)).found,
    ).toEqual([]))
})
