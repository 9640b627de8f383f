import type { RunContext } from '../context'
import { extruded, length2, length3, polygonDistance, type Implicit } from '../bench/implicit'
import { polygonise } from '../bench/polygonise'
import { seededRandom, type Random } from '../linear/random'
import { compose, invertRigid, rotateVectors, rotationMotion, transformPoints, type Motion } from '../linear/rigid'
import { sampleSurface } from '../mesh/sample-surface'
import { pickPoints, type Bounds, type PointCloud } from '../shapes'
import { pickFace } from '../spatial/pick'
import { TriangleBvh } from '../spatial/triangle-bvh'

/* Things that people make: nearly symmetric, each with a mark that says which way round it lies. */

export interface MadeThing {
  readonly name: string
  readonly field: Implicit
  readonly bounds: Bounds
  /** A ball round what says which way it lies: its middle and radius, mm. */
  readonly mark: readonly [number, number, number, number]
}

const box = (x: number, y: number, z: number, a: number, b: number, c: number): number => {
  const dx = Math.abs(x) - a,
    dy = Math.abs(y) - b,
    dz = Math.abs(z) - c
  return length3(Math.max(dx, 0), Math.max(dy, 0), Math.max(dz, 0)) + Math.min(0, Math.max(dx, dy, dz))
}
const cylinder = (x: number, y: number, z: number, r: number, half: number): number =>
  extruded(length2(x, y) - r, z, half)
const cut = (a: number, b: number): number => Math.max(a, -b)
const bounds = (a: number, b: number, c: number): Bounds => ({ min: [-a, -b, -c], max: [a, b, c] })
const made = (
  name: string,
  size: readonly [number, number, number],
  mark: MadeThing['mark'],
  field: Implicit,
): MadeThing => ({ name, field, mark, bounds: bounds(...size) })
const KEY = Float64Array.from([-40, -6, 8, -6, 8, -14, 34, -14, 34, 14, 8, 14, 8, 6, -40, 6])

export const MADE_THINGS: readonly MadeThing[] = [
  made('slab with relief on one face', [42, 30, 9], [12, -6, 6.5, 10], (x, y, z) =>
    Math.min(box(x, y, z, 40, 28, 6), box(x - 12, y + 6, z - 6.5, 9, 6, 1.5), cylinder(x + 18, y - 8, z - 6.5, 5, 1.2)),
  ),
  made('mug', [48, 34, 42], [45, 0, 0, 15], (x, y, z) => {
    const cup = cut(cylinder(x, y, z, 30, 38), cylinder(x, y, z - 4, 26.5, 38))
    const handle = length2(length2(x - 30, z) - 15, y) - 3.5
    return Math.min(cup, Math.max(handle, 27 - length2(x, y)))
  }),
  made('box with one cut corner', [32, 24, 18], [25, 17, 11, 10], (x, y, z) =>
    Math.max(box(x, y, z, 30, 22, 16), (x + y + z - 52) / Math.sqrt(3)),
  ),
  made('cube with one mark', [22, 22, 22], [8, 5, 18, 6], (x, y, z) =>
    cut(box(x, y, z, 20, 20, 20), cylinder(x - 8, y - 5, z - 20, 4.5, 4)),
  ),
  made('gear with a keyway', [36, 36, 10], [10, 0, 0, 6], (x, y, z) => {
    const a = Math.atan2(y, x),
      r = length2(x, y)
    const rim = r - (30 + 2.6 * Math.tanh(3 * Math.sin(16 * a)))
    const bore = Math.min(r - 8, box(x - 8, y, z, 4, 2.5, 30))
    return Math.max(extruded(rim * 0.7, z, 8), -bore)
  }),
  made('cylinder with a notch', [24, 24, 32], [20, 0, 24, 10], (x, y, z) =>
    cut(cylinder(x, y, z, 22, 30), box(x - 22, y, z - 26, 7, 6, 9)),
  ),
  made('plate with a hole off its middle', [42, 32, 6], [20, 12, 0, 9], (x, y, z) =>
    cut(box(x, y, z, 40, 30, 4), cylinder(x - 20, y - 12, z, 6, 20)),
  ),
  made('flat key', [42, 16, 4], [34, 6, 0, 6], (x, y, z) =>
    cut(extruded(polygonDistance(x, y, KEY), z, 3), box(x + 34, y - 6, z, 3, 3, 10)),
  ),
  made('hexagonal prism with a blind hole', [28, 26, 22], [3, 20, 5, 7], (x, y, z) => {
    const h = Math.max(Math.abs(y), Math.abs(0.5 * y + 0.8660254 * x), Math.abs(0.5 * y - 0.8660254 * x)) - 22
    return cut(extruded(h, z, 20), cylinder(x - 3, z - 5, y - 22, 5, 8))
  }),
  made('bar with one end drilled', [54, 12, 12], [38, 3, 0, 11], (x, y, z) =>
    cut(box(x, y, z, 52, 10, 10), cylinder(x - 38, y - 3, z, 4, 30)),
  ),
  made('ring with a lug', [36, 34, 10], [32, 0, 3, 6], (x, y, z) => {
    const ring = cut(cylinder(x, y, z, 28, 8), cylinder(x, y, z, 19, 20))
    return Math.min(ring, box(x - 30, y, z - 3, 4, 4, 4))
  }),
  made('block with two unlike holes', [34, 24, 14], [16, 0, 0, 13], (x, y, z) =>
    cut(cut(box(x, y, z, 32, 22, 12), cylinder(x - 16, y, z, 6, 30)), cylinder(x + 16, y - 5, z, 8, 30)),
  ),
  made('cone with a flat', [30, 30, 32], [14, 0, 0, 20], (x, y, z) =>
    Math.max(extruded((length2(x, y) - (20 - 0.25 * z)) * 0.95, z, 30), x - 14),
  ),
  made('bowl with a spout', [40, 36, 22], [38, 0, 10, 8], (x, y, z) => {
    const bowl = Math.max(cut(length3(x, y, (z - 12) * 1.4) - 34, length3(x, y, (z - 15) * 1.4) - 31), z - 16)
    return Math.min(bowl, box(x - 34, y, z - 10, 6, 5, 4))
  }),
]

/** Looks round the piece, as a turntable gives them, degrees. */
const LOOKS = 8
/** A surface is seen down to this cosine. */
const GRAZING = 0.22

export interface SeenTwice {
  /** Two takes, each in a frame of its own, with no word of where they were taken from. */
  readonly takes: readonly [PointCloud, PointCloud]
  /** First take → second. */
  readonly truth: Motion
  /** Thing → first take. */
  readonly first: Motion
  /** Share of the smaller take's places that the other has, too. */
  readonly shared: number
  /** Share of the surface round the mark that the take sees that sees less of it. */
  readonly markSeen: number
  readonly sizeMm: number
}

/**
 * A thing taken twice on a turntable, turned over in between: what either saw, with noise along the normal.
 * @param tiltDeg how far it was turned over
 */
export function seenTwice(
  { field, bounds: b, mark }: MadeThing,
  {
    points,
    elevationDeg,
    tiltDeg,
    noiseMm,
    seed,
  }: { points: number; elevationDeg: number; tiltDeg: number; noiseMm: number; seed: number },
  context: RunContext,
): SeenTwice {
  const random = seededRandom(seed)
  const sizeMm = Math.hypot(...b.max.map((v, c) => v - b.min[c]))
  const mesh = polygonise(field, b, sizeMm / 90, context)
  const bvh = new TriangleBvh(mesh)
  const spin = (): Motion => rotationMotion([0, 0, 1], 2 * Math.PI * random.next())
  const about = 2 * Math.PI * random.next()
  const poses = [
    compose(spin(), rotationMotion([1, 0, 0], 0)),
    compose(spin(), rotationMotion([Math.cos(about), Math.sin(about), 0], (tiltDeg * Math.PI) / 180)),
  ]
  let area = 0
  for (let i = 0; i < 3; i++) area += 2 * (b.max[i] - b.min[i]) * (b.max[(i + 1) % 3] - b.min[(i + 1) % 3])
  const spacing = Math.sqrt((0.6 * area) / points)
  const all = sampleSurface(mesh, spacing)
  const seen = poses.map((pose) => visible(all, bvh, pose, elevationDeg, sizeMm))
  const near = Array.from(seen[0].keys()).filter(
    (i) => Math.hypot(...[0, 1, 2].map((c) => all.positions[i * 3 + c] - mark[c])) < mark[3],
  )
  const both = seen[0].filter((v, i) => v === 1 && seen[1][i] === 1).length
  const counts = seen.map((s) => s.reduce((n, v) => n + v, 0))
  const frames = poses.map((pose) => compose(anywhere(random, sizeMm), pose))
  const takes = seen.map((s, i) => {
    const keep = Array.from(s.keys()).filter((k) => s[k] === 1 && random.next() < 0.9)
    return noisy(pickPoints(all, keep), frames[i], noiseMm, random)
  }) as [PointCloud, PointCloud]
  return {
    takes,
    truth: compose(frames[1], invertRigid(frames[0])),
    first: frames[0],
    shared: both / Math.max(1, Math.min(...counts)),
    markSeen: Math.min(...seen.map((s) => near.filter((i) => s[i] === 1).length / Math.max(1, near.length))),
    sizeMm,
  }
}

/** Which places are seen from some look round the piece, standing in a pose. */
function visible(all: PointCloud, bvh: TriangleBvh, pose: Motion, elevationDeg: number, sizeMm: number): Uint8Array {
  const back = invertRigid(pose)
  const e = (elevationDeg * Math.PI) / 180
  const p = all.positions,
    n = all.normals!
  const out = new Uint8Array(p.length / 3)
  for (let look = 0; look < LOOKS; look++) {
    const a = (2 * Math.PI * look) / LOOKS
    const d = rotateVectors(back, Float32Array.of(Math.cos(e) * Math.cos(a), Math.cos(e) * Math.sin(a), Math.sin(e)))
    const eye: [number, number, number] = [-d[0], -d[1], -d[2]]
    for (let i = 0; i < out.length; i++) {
      if (out[i] === 1) continue
      const k = i * 3
      if (n[k] * d[0] + n[k + 1] * d[1] + n[k + 2] * d[2] < GRAZING) continue
      const from = [0, 1, 2].map((c) => p[k + c] + 2 * sizeMm * d[c])
      const hit = pickFace(bvh, from, eye)
      if (hit && Math.hypot(hit.at[0] - p[k], hit.at[1] - p[k + 1], hit.at[2] - p[k + 2]) < 0.01 * sizeMm) out[i] = 1
    }
  }
  return out
}

function noisy(cloud: PointCloud, frame: Motion, noiseMm: number, random: Random): PointCloud {
  const positions = cloud.positions.slice()
  const n = cloud.normals!
  for (let i = 0; i < positions.length; i += 3) {
    const s = noiseMm * random.gaussian()
    for (let c = 0; c < 3; c++) positions[i + c] += s * n[i + c]
  }
  return { kind: 'cloud', positions: transformPoints(frame, positions), normals: rotateVectors(frame, n) }
}

const anywhere = (random: Random, sizeMm: number): Motion =>
  rotationMotion(
    [random.gaussian(), random.gaussian(), random.gaussian()],
    Math.PI * random.next(),
    [0, 1, 2].map(() => sizeMm * (random.next() - 0.5)),
  )
