import Joi from 'joi'
import { GeometryError } from '../errors'
import { boundsOf, type TriangleMesh } from '../shapes'
import { loft, type Cap, type MeshBuilder, type Ring } from './loft'

/*
 * The plan's proxy form of a piece: a closed mesh, scaled to the brief, standing upright with its base on z = 0 and its
 * middle over the origin.
 * Every kind is a loft: rings of points one over the other, joined by quads, the ends capped.
 */

export interface Hollow {
  readonly wallMm: number
  readonly depthMm: number
}

export type StandIn =
  /**
   * `reliefMm` raises the top face by a gentle, unsymmetrical pattern of that height; `reliefBelow` does so under it
   * too.
   */
  | {
      readonly kind: 'box'
      readonly bevelMm?: number
      readonly reliefMm?: number
      readonly reliefBelow?: boolean
      readonly hollow?: Hollow | null
    }
  | { readonly kind: 'cylinder'; readonly hollow?: Hollow | null }
  | { readonly kind: 'ellipsoid'; readonly hollow?: Hollow | null }
  /** Radius and height, from the base upward along the outside; any unit, scaled to the brief. */
  | {
      readonly kind: 'lathe'
      readonly profile: readonly (readonly [number, number])[]
      readonly hollow?: Hollow | null
    }
  /** The outline seen from above, counted around; any unit. */
  | {
      readonly kind: 'extrusion'
      readonly outline: readonly (readonly [number, number])[]
      readonly hollow?: Hollow | null
    }
  /** An earlier mesh or quick scan, by the hash of the stored shape. */
  | { readonly kind: 'mesh'; readonly hash: string; readonly name: string }

const coordinate = Joi.number().min(-10000).max(10000)
const hollow = Joi.object({
  wallMm: Joi.number().positive().max(2000).required().label('wall of the hollow'),
  depthMm: Joi.number().positive().max(5000).required().label('depth of the hollow'),
}).allow(null)
const pairs = (least: number): Joi.ArraySchema =>
  Joi.array().min(least).max(400).items(Joi.array().length(2).items(coordinate)).required()

export const standInSchema = Joi.object<StandIn>({
  kind: Joi.string().valid('box', 'cylinder', 'ellipsoid', 'lathe', 'extrusion', 'mesh').required(),
  bevelMm: Joi.when('kind', { is: 'box', then: Joi.number().min(0).max(2000), otherwise: Joi.forbidden() }),
  reliefMm: Joi.when('kind', { is: 'box', then: Joi.number().min(0).max(500), otherwise: Joi.forbidden() }),
  reliefBelow: Joi.when('kind', { is: 'box', then: Joi.boolean(), otherwise: Joi.forbidden() }),
  profile: Joi.when('kind', { is: 'lathe', then: pairs(2), otherwise: Joi.forbidden() }),
  outline: Joi.when('kind', { is: 'extrusion', then: pairs(3), otherwise: Joi.forbidden() }),
  hash: Joi.when('kind', { is: 'mesh', then: Joi.string().hex().length(64).required(), otherwise: Joi.forbidden() }),
  name: Joi.when('kind', { is: 'mesh', then: Joi.string().max(120).required(), otherwise: Joi.forbidden() }),
  hollow: Joi.when('kind', { is: 'mesh', then: Joi.forbidden(), otherwise: hollow }),
})

export type Size = readonly [lengthMm: number, widthMm: number, heightMm: number]

const AROUND = 72

/**
 * @param size length, width, height in mm
 * @param mesh the stored shape of a stand-in of kind 'mesh', in mm; shifted on to the origin and scaled so that its
 * height is the brief's
 * @throws PARAMS, DEGENERATE with what is wrong about the form
 */
export function buildStandIn(standIn: StandIn, size: Size, mesh?: TriangleMesh): TriangleMesh {
  if (!size.every((v) => Number.isFinite(v) && v > 0))
    throw new GeometryError('PARAMS', 'Length, width and height must be more than 0 mm.')
  const [l, w, h] = size
  switch (standIn.kind) {
    case 'box':
      return box(size, standIn)
    case 'cylinder':
      return turned(
        [
          [1, 0],
          [1, 1],
        ],
        size,
        standIn.hollow ?? null,
      )
    case 'ellipsoid':
      return turned(halfEllipse(standIn.hollow ? 0.5 : 0), size, standIn.hollow ?? null)
    case 'lathe':
      return turned(checkProfile(standIn.profile), size, standIn.hollow ?? null)
    case 'extrusion': {
      const outline = fitOutline(standIn.outline, l, w)
      return prism(outline, h, 0, standIn.hollow ?? null)
    }
    case 'mesh': {
      if (!mesh) throw new GeometryError('PARAMS', `The mesh “${standIn.name}” that stands in is not here any more.`)
      return settle(mesh, h)
    }
  }
}

/** Base on z = 0, middle over the origin, and the wanted height. */
function settle(mesh: TriangleMesh, heightMm: number): TriangleMesh {
  const { min, max } = boundsOf(mesh.positions)
  const scale = heightMm / Math.max(max[2] - min[2], 1e-9)
  const middle = [(min[0] + max[0]) / 2, (min[1] + max[1]) / 2, min[2]]
  const positions = new Float32Array(mesh.positions.length)
  for (let i = 0; i < positions.length; i++) positions[i] = (mesh.positions[i] - middle[i % 3]) * scale
  return { kind: 'mesh', positions, indices: mesh.indices }
}

type Profile = readonly (readonly [number, number])[]

function halfEllipse(mouth: number): Profile {
  const steps = 28
  const end = Math.PI - Math.asin(mouth)
  return Array.from({ length: steps + 1 }, (_, i) => {
    const t = (i / steps) * end
    return [i === 0 || (i === steps && mouth === 0) ? 0 : Math.sin(t), (1 - Math.cos(t)) / 2] as const
  })
}

/** @throws DEGENERATE when the profile crosses itself, has no height, or touches the axis between its ends */
export function checkProfile(profile: Profile): Profile {
  const p = profile.filter((v, i) => i === 0 || v[0] !== profile[i - 1][0] || v[1] !== profile[i - 1][1])
  if (p.length < 2)
    throw new GeometryError('DEGENERATE', 'The profile needs two points or more, each a radius and a height.')
  if (p.some(([r]) => r < 0)) throw new GeometryError('PARAMS', 'A radius of the profile is less than 0.')
  if (p.slice(1, -1).some(([r]) => r <= 0))
    throw new GeometryError(
      'DEGENERATE',
      'The profile touches the axis between its ends; only the first and the last point may.',
    )
  if (Math.max(...p.map(([r]) => r)) <= 0 || Math.max(...p.map(([, h]) => h)) <= Math.min(...p.map(([, h]) => h)))
    throw new GeometryError('DEGENERATE', 'The profile has no width or no height.')
  const crossing = firstCrossing(p, false)
  if (crossing)
    throw new GeometryError(
      'DEGENERATE',
      `The profile crosses itself: the line after point ${crossing[0] + 1} meets the line after ` +
        `point ${crossing[1] + 1}.`,
    )
  return p
}

/** The first two lines of a chain of points that meet where they should not. */
function firstCrossing(p: Profile, closed: boolean): [number, number] | null {
  const n = closed ? p.length : p.length - 1
  const at = (i: number): readonly [number, number] => p[i % p.length]
  const side = (a: readonly [number, number], b: readonly [number, number], c: readonly [number, number]): number =>
    Math.sign((b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0]))
  for (let i = 0; i < n; i++) {
    for (let j = i + 2; j < n; j++) {
      if (closed && i === 0 && j === n - 1) continue
      const [a, b, c, d] = [at(i), at(i + 1), at(j), at(j + 1)]
      if (
        side(a, b, c) !== side(a, b, d) &&
        side(c, d, a) !== side(c, d, b) &&
        !(side(a, b, c) === 0 && side(a, b, d) === 0)
      )
        return [i, j]
    }
  }
  return null
}

function turned(profile: Profile, [l, w, h]: Size, hollow: Hollow | null): TriangleMesh {
  const widest = Math.max(...profile.map(([r]) => r))
  const low = Math.min(...profile.map(([, z]) => z)),
    high = Math.max(...profile.map(([, z]) => z))
  const scaled = profile.map(([r, z]) => [r / widest, ((z - low) / (high - low)) * h] as const)
  const outside = scaled[0][1] > scaled.at(-1)![1] ? [...scaled].reverse() : scaled
  const ring = (r: number, z: number): Ring =>
    r === 0
      ? [0, 0, z]
      : Array.from({ length: AROUND }, (_, i) => {
          const a = (i / AROUND) * 2 * Math.PI
          return [(r * l * Math.cos(a)) / 2, (r * w * Math.sin(a)) / 2, z]
        }).flat()
  // Flat ends as rings that narrow to a point, which make better triangles than one fan of slivers.
  const disc = (end: readonly [number, number]): [number, number][] =>
    end[0] === 0 ? [] : [0, 0.25, 0.5, 0.75].map((k) => [end[0] * k, end[1]])
  const closed = (profile: Profile): Ring[] =>
    [...disc(profile[0]), ...profile, ...disc(profile.at(-1)!).reverse()].map(([r, z]) => ring(r, z))
  if (!hollow) return loft(closed(outside))
  const wall = (2 * hollow.wallMm) / Math.min(l, w)
  const inside = hollowProfile(outside, wall, h - hollow.depthMm)
  return loft(closed([...outside, ...inside]))
}

/** The inside of a turned piece from its mouth to the floor, `wall` in from the outside. */
function hollowProfile(outside: Profile, wall: number, floorMm: number): [number, number][] {
  if (outside.some(([, z], i) => i > 0 && z < outside[i - 1][1]))
    throw new GeometryError('DEGENERATE', 'A hollow needs a profile that only goes up.')
  const radiusAt = (z: number): number => {
    const i = outside.findIndex(([, zi]) => zi >= z)
    if (i <= 0) return outside[0][0]
    const [r0, z0] = outside[i - 1],
      [r1, z1] = outside[i]
    return z1 === z0 ? r1 : r0 + ((r1 - r0) * (z - z0)) / (z1 - z0)
  }
  if (floorMm <= outside[0][1])
    throw new GeometryError('PARAMS', 'The hollow is as deep as the piece is tall; it would come out below.')
  const inside: [number, number][] = []
  for (let i = outside.length - 1; i >= 0 && outside[i][1] > floorMm; i--)
    inside.push([outside[i][0] - wall, outside[i][1]])
  inside.push([radiusAt(floorMm) - wall, floorMm])
  if (inside.some(([r]) => r <= 0))
    throw new GeometryError(
      'PARAMS',
      'The wall of the hollow is thicker than the piece is there; make it thinner, or the hollow shallower.',
    )
  return inside
}

type Outline = [number, number][]

function fitOutline(outline: Profile, l: number, w: number): Outline {
  const crossing = firstCrossing(outline, true)
  if (crossing)
    throw new GeometryError(
      'DEGENERATE',
      `The outline crosses itself: the line after point ${crossing[0] + 1} meets the line after ` +
        `point ${crossing[1] + 1}.`,
    )
  const xs = outline.map(([x]) => x),
    ys = outline.map(([, y]) => y)
  const [x0, x1, y0, y1] = [Math.min(...xs), Math.max(...xs), Math.min(...ys), Math.max(...ys)]
  if (x1 <= x0 || y1 <= y0) throw new GeometryError('DEGENERATE', 'The outline has no width or no length.')
  const fitted = outline.map(([x, y]): [number, number] => [
    ((x - (x0 + x1) / 2) / (x1 - x0)) * l,
    ((y - (y0 + y1) / 2) / (y1 - y0)) * w,
  ])
  return signedArea(fitted) < 0 ? fitted.reverse() : fitted
}

const signedArea = (o: Outline): number =>
  o.reduce((s, [x, y], i) => s + x * o[(i + 1) % o.length][1] - o[(i + 1) % o.length][0] * y, 0) / 2

/** An outline moved inward by d at mitred corners. @throws PARAMS when nothing is left inside */
function inset(outline: Outline, d: number): Outline {
  if (d === 0) return outline
  const n = outline.length
  const moved = outline.map(([x, y], i): [number, number] => {
    const [px, py] = outline[(i + n - 1) % n],
      [qx, qy] = outline[(i + 1) % n]
    const l1 = Math.hypot(x - px, y - py),
      l2 = Math.hypot(qx - x, qy - y)
    // Inward normals of the two lines of a counter-clockwise outline.
    const ax = -(y - py) / l1,
      ay = (x - px) / l1,
      bx = -(qy - y) / l2,
      by = (qx - x) / l2
    const k = d / Math.max(1 + ax * bx + ay * by, 1e-6)
    return [x + k * (ax + bx), y + k * (ay + by)]
  })
  const kept = moved.every(([x, y], i) => {
    const j = (i + 1) % n
    return (moved[j][0] - x) * (outline[j][0] - outline[i][0]) + (moved[j][1] - y) * (outline[j][1] - outline[i][1]) > 0
  })
  if (!kept || firstCrossing(moved, true))
    throw new GeometryError('PARAMS', `${d} mm is too much: nothing of the outline is left inside.`)
  return moved
}

const ringOf = (outline: Outline, z: number): Ring => outline.flatMap(([x, y]) => [x, y, z])

function prism(outline: Outline, h: number, bevel: number, hollow: Hollow | null): TriangleMesh {
  const rings =
    bevel > 0
      ? [
          ringOf(inset(outline, bevel), 0),
          ringOf(outline, bevel),
          ringOf(outline, h - bevel),
          ringOf(inset(outline, bevel), h),
        ]
      : [ringOf(outline, 0), ringOf(outline, h)]
  if (hollow) {
    if (hollow.depthMm >= h)
      throw new GeometryError('PARAMS', 'The hollow is as deep as the piece is tall; it would come out below.')
    const inner = inset(outline, hollow.wallMm + bevel)
    rings.push(ringOf(inner, h), ringOf(inner, h - hollow.depthMm))
  }
  return loft(rings)
}

const RELIEF_CELLS = 44

function box([l, w, h]: Size, standIn: Extract<StandIn, { kind: 'box' }>): TriangleMesh {
  const { bevelMm: bevel = 0, reliefMm: relief = 0, reliefBelow = false, hollow = null } = standIn
  if (2 * bevel >= Math.min(l, w, h))
    throw new GeometryError('PARAMS', `A bevel of ${bevel} mm is more than the box has.`)
  const rectangle = (x: number, y: number): Outline => [
    [-x, -y],
    [x, -y],
    [x, y],
    [-x, y],
  ]
  if (relief === 0) return prism(rectangle(l / 2, w / 2), h, bevel, hollow)
  if (hollow) throw new GeometryError('PARAMS', 'A box has either relief on top or a hollow.')
  const fine = (d: number, z: number): Ring => edgePoints(l / 2 - d, w / 2 - d).flatMap(([x, y]) => [x, y, z])
  const low = reliefBelow ? relief : 0,
    top = h - relief
  if (top - bevel <= low + bevel) throw new GeometryError('PARAMS', 'The relief is deeper than the box is thick.')
  const rings =
    bevel > 0
      ? [fine(bevel, low), fine(0, low + bevel), fine(0, top - bevel), fine(bevel, top)]
      : [fine(0, low), fine(0, top)]
  const cap =
    (z: number, height: number, below: boolean): Cap =>
    (builder, ring) =>
      reliefCap(builder, ring, l / 2 - bevel, w / 2 - bevel, z, height, below)
  return loft(rings, reliefBelow ? cap(low, -relief, true) : undefined, cap(top, relief, false))
}

/** Points round a rectangle, RELIEF_CELLS a side, counter-clockwise from the corner (−x, −y). */
function edgePoints(x: number, y: number): Outline {
  const n = RELIEF_CELLS
  const t = (i: number): number => (2 * i) / n - 1
  const steps = Array.from({ length: n }, (_, i) => t(i))
  return [
    ...steps.map((s): [number, number] => [s * x, -y]),
    ...steps.map((s): [number, number] => [x, s * y]),
    ...steps.map((s): [number, number] => [-s * x, y]),
    ...steps.map((s): [number, number] => [-x, -s * y]),
  ]
}

/**
 * A grid over the top whose border is the ring; heights are a few waves of unequal length, so that no turn or shift
 * fits it on to itself.
 */
function reliefCap(
  builder: MeshBuilder,
  ring: readonly number[],
  x: number,
  y: number,
  z: number,
  relief: number,
  below: boolean,
): void {
  const n = RELIEF_CELLS
  const ids: number[] = []
  for (let j = 0; j <= n; j++) {
    for (let i = 0; i <= n; i++) {
      const border = j === 0 ? i : i === n ? n + j : j === n ? 3 * n - i : i === 0 ? (4 * n - j) % (4 * n) : -1
      if (border >= 0) ids.push(ring[border % (4 * n)])
      else {
        const u = (2 * i) / n - 1,
          v = (2 * j) / n - 1
        ids.push(
          builder.points([
            u * x,
            v * y,
            z +
              relief *
                (below
                  ? reliefAt(0.8 * v + 0.1, -0.7 * u - 0.2) *
                    Math.min(1, 6 * Math.min(1 - Math.abs(u), 1 - Math.abs(v)))
                  : reliefAt(u, v)),
          ])[0],
        )
      }
    }
  }
  for (let j = 0; j < n; j++) {
    for (let i = 0; i < n; i++) {
      const a = ids[j * (n + 1) + i],
        b = ids[j * (n + 1) + i + 1],
        c = ids[(j + 1) * (n + 1) + i],
        d = ids[(j + 1) * (n + 1) + i + 1]
      builder.face(a, below ? d : b, below ? b : d)
      builder.face(a, below ? c : d, below ? d : c)
    }
  }
}

function reliefAt(u: number, v: number): number {
  const fade = Math.min(1, 6 * Math.min(1 - Math.abs(u), 1 - Math.abs(v)))
  const waves =
    Math.sin(3.1 * u + 1.7 * v + 0.4) +
    0.8 * Math.sin(5.3 * v - 2.2 * u + 1.9) +
    0.6 * Math.sin(7.9 * u + 0.7) * Math.sin(4.7 * v + 2.3)
  return fade * (0.5 + waves / 4.8)
}
