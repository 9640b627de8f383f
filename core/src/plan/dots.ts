import Joi from 'joi'
import { seededRandom, type Random } from '../linear/random'
import { KdTree } from '../spatial/kd-tree'
import type { Facets } from './facets'

/*
 * Where reference dots go: spread like blue noise (no row, no grid), and no two neighbourhoods alike, so that a device
 * never takes one place for another.
 */

export interface DotSettings {
  readonly where: 'none' | 'piece' | 'mat' | 'stands'
  readonly diameterMm: number
  /** Least distance between middles. */
  readonly distanceMm: number
  readonly thicknessMm: number
  /** From an edge of the piece to the rim of a dot. */
  readonly marginMm: number
  /** Distances that differ by less than this look the same to the device. */
  readonly errorMm: number
  /** Edge of the square mat. */
  readonly matMm: number
  readonly stands: number
  readonly seed: number
  readonly reusable: boolean
  /** What becomes of the discs under dots on the piece. */
  readonly discs: 'refill' | 'move'
}

export const NO_DOTS: DotSettings = {
  where: 'none',
  diameterMm: 5,
  distanceMm: 22,
  thicknessMm: 0.1,
  marginMm: 3,
  errorMm: 0.3,
  matMm: 180,
  stands: 4,
  seed: 1,
  reusable: false,
  discs: 'refill',
}

const length = Joi.number().positive()

export const dotSchema = Joi.object<DotSettings>({
  where: Joi.string().valid('none', 'piece', 'mat', 'stands').required(),
  diameterMm: length.max(100).required().label('diameter of the dots'),
  distanceMm: length
    .max(1000)
    .min(Joi.ref('diameterMm', { adjust: (d: number) => d * 1.5 }))
    .required()
    .label('distance of the dots')
    .messages({ 'number.min': 'the dots must lie one and a half diameters apart at least' }),
  thicknessMm: Joi.number().min(0).max(5).required().label('thickness of the dots'),
  marginMm: Joi.number().min(0).max(100).required().label('margin to edges'),
  errorMm: length.max(20).required().label('measuring error'),
  matMm: Joi.number().min(40).max(2000).required().label('mat'),
  stands: Joi.number().integer().min(1).max(20).required(),
  seed: Joi.number().integer().min(0).max(4294967295).required(),
  reusable: Joi.boolean().required(),
  discs: Joi.string().valid('refill', 'move').required(),
}).prefs({ errors: { wrap: { label: false } } })

/** Dots in mm: on the piece in its own coordinates, on mat and stands in the table's. */
export interface DotLayout {
  readonly space: 'piece' | 'table'
  readonly positions: Float32Array
  readonly normals: Float32Array
  /** Index of the stand a dot is on; null for piece and mat. */
  readonly stand: Int32Array | null
  /** Pairs of dots whose neighbourhoods a device could take for each other; 0 when the layout is proven. */
  readonly alike: number
  /** Least distance between two dots, mm. */
  readonly closestMm: number
}

const NEIGHBOURS = 4
const REPAIRS = 400

/** Distances to the nearest four, ascending: what a device knows a dot by. n×4, Infinity where there are fewer. */
export function dotSignatures(positions: Float32Array): Float64Array {
  const n = positions.length / 3
  const out = new Float64Array(n * NEIGHBOURS).fill(Infinity)
  const ids = new Int32Array(NEIGHBOURS + 1),
    d2 = new Float64Array(NEIGHBOURS + 1)
  const tree = new KdTree(positions)
  for (let i = 0; i < n; i++) {
    const found = tree.knn(positions[i * 3], positions[i * 3 + 1], positions[i * 3 + 2], NEIGHBOURS + 1, ids, d2)
    let k = 0
    for (let j = 0; j < found; j++) if (ids[j] !== i && k < NEIGHBOURS) out[i * NEIGHBOURS + k++] = Math.sqrt(d2[j])
  }
  return out
}

/** Pairs of dots whose four distances all agree within the error. */
export function alikePairs(positions: Float32Array, errorMm: number): [number, number][] {
  const s = dotSignatures(positions)
  const n = positions.length / 3
  const out: [number, number][] = []
  for (let i = 0; i < n; i++) {
    for (let j = i + 1; j < n; j++) {
      let same = true
      for (let k = 0; k < NEIGHBOURS && same; k++) {
        const a = s[i * NEIGHBOURS + k],
          b = s[j * NEIGHBOURS + k]
        same = a === b || Math.abs(a - b) <= errorMm
      }
      if (same) out.push([i, j])
    }
  }
  return out
}

/** A place where a dot could go. */
interface Spot {
  x: number
  y: number
  z: number
  nx: number
  ny: number
  nz: number
  stand: number
}

/**
 * Throws darts from a source of spots, keeping a least distance (Cook 1986), until `fails` in a row find no room; then
 * moves dots of alike neighbourhoods until none are left, or the tries are used up.
 */
function scatter(
  source: () => Spot,
  distanceMm: number,
  errorMm: number,
  fails: number,
  most: number,
): { spots: Spot[]; alike: number } {
  const spots: Spot[] = []
  const allocate = (s: Spot, except = -1): boolean =>
    spots.every((t, i) => i === except || (s.x - t.x) ** 2 + (s.y - t.y) ** 2 + (s.z - t.z) ** 2 >= distanceMm ** 2)
  for (let failed = 0; failed < fails && spots.length < most;) {
    const s = source()
    if (allocate(s)) {
      spots.push(s)
      failed = 0
    } else failed++
  }
  let pairs = alikePairs(positionsOf(spots), errorMm)
  for (let k = 0; k < REPAIRS && pairs.length > 0; k++) {
    const victim = pairs[k % pairs.length][1]
    const old = spots[victim]
    let moved = false
    for (let t = 0; t < 60 && !moved; t++) {
      const s = source()
      if (!allocate(s, victim)) continue
      spots[victim] = s
      const now = alikePairs(positionsOf(spots), errorMm)
      if (now.length < pairs.length) {
        pairs = now
        moved = true
      } else spots[victim] = old
    }
    // Where no other place helps, one dot fewer does.
    if (!moved) {
      spots.splice(victim, 1)
      pairs = alikePairs(positionsOf(spots), errorMm)
    }
  }
  return { spots, alike: pairs.length }
}

const positionsOf = (spots: readonly Spot[]): Float32Array => Float32Array.from(spots.flatMap((s) => [s.x, s.y, s.z]))

function layoutOf(space: DotLayout['space'], { spots, alike }: { spots: Spot[]; alike: number }): DotLayout {
  const positions = positionsOf(spots)
  const signatures = dotSignatures(positions)
  let closest = Infinity
  for (let i = 0; i < signatures.length; i += NEIGHBOURS) closest = Math.min(closest, signatures[i])
  return {
    space,
    positions,
    normals: Float32Array.from(spots.flatMap((s) => [s.nx, s.ny, s.nz])),
    stand: spots.some((s) => s.stand >= 0) ? Int32Array.from(spots, (s) => s.stand) : null,
    alike,
    closestMm: closest,
  }
}

const FAILS = 1500
const MAX_DOTS = 240

/** Dots on the square mat round the piece: clear of its foot, its corner marks and the border. */
export function dotsOnMat(settings: DotSettings, footRadiusMm: number): DotLayout {
  const random = seededRandom(settings.seed)
  const half = settings.matMm / 2 - settings.diameterMm
  const corner = CORNER_MARK_MM + 6
  const clear = footRadiusMm + settings.diameterMm / 2 + 2
  const source = (): Spot => {
    for (let t = 0; ; t++) {
      const x = (random.next() * 2 - 1) * half,
        y = (random.next() * 2 - 1) * half
      const inCorner = Math.abs(x) > settings.matMm / 2 - corner && Math.abs(y) > settings.matMm / 2 - corner
      if (t > 2000 || (!inCorner && x * x + y * y >= clear * clear))
        return { x, y, z: 0, nx: 0, ny: 0, nz: 1, stand: -1 }
    }
  }
  if (clear > settings.matMm / 2) return layoutOf('table', { spots: [], alike: 0 })
  return layoutOf('table', scatter(source, settings.distanceMm, settings.errorMm, FAILS, MAX_DOTS))
}

/** Edge of the coded marks in the mat's corners. */
export const CORNER_MARK_MM = 16

export interface Stand {
  /** Middle of the foot on the table, and which way its first face looks. */
  readonly x: number
  readonly y: number
  readonly headingDeg: number
  readonly slantDeg: number
  readonly widthMm: number
  readonly heightMm: number
}

/** Folded paper stands round the piece: tents of unequal slant, tall enough to be seen past it. */
export function standsFor(settings: DotSettings, footRadiusMm: number, pieceHeightMm: number): Stand[] {
  const random = seededRandom(settings.seed + 7)
  return Array.from({ length: settings.stands }, (_, i) => {
    const angle = ((i + 0.25 + 0.5 * random.next()) / settings.stands) * 2 * Math.PI
    const heightMm = Math.min(120, Math.max(30, pieceHeightMm * (0.5 + 0.35 * random.next())))
    const slantDeg = 58 + ((i * 37) % 5) * 5
    const depth = heightMm / Math.tan((slantDeg * Math.PI) / 180)
    const r = footRadiusMm + depth + 14 + 10 * random.next()
    return {
      x: r * Math.cos(angle),
      y: r * Math.sin(angle),
      headingDeg: (angle * 180) / Math.PI,
      slantDeg,
      widthMm: 46,
      heightMm,
    }
  })
}

/** Dots on the two slanted faces of each stand. */
export function dotsOnStands(settings: DotSettings, stands: readonly Stand[]): DotLayout {
  const random = seededRandom(settings.seed)
  const margin = settings.diameterMm / 2 + 3
  const source = (): Spot => {
    const stand = random.integer(stands.length)
    return spotOnStand(stands[stand], stand, random, margin)
  }
  return layoutOf('table', scatter(source, Math.min(settings.distanceMm, 18), settings.errorMm, FAILS, MAX_DOTS))
}

function spotOnStand(s: Stand, stand: number, random: Random, margin: number): Spot {
  const face = random.next() < 0.5 ? 1 : -1
  const slant = (s.slantDeg * Math.PI) / 180
  const length = s.heightMm / Math.sin(slant)
  const u = (random.next() - 0.5) * (s.widthMm - 2 * margin)
  const v = margin + random.next() * Math.max(0, length - 2 * margin)
  const h = (s.headingDeg * Math.PI) / 180
  // Up the face from its foot: inward by v·cos, up by v·sin.
  const out = face * (s.heightMm / Math.tan(slant) - v * Math.cos(slant))
  return {
    x: s.x + out * Math.cos(h) - u * Math.sin(h),
    y: s.y + out * Math.sin(h) + u * Math.cos(h),
    z: v * Math.sin(slant),
    nx: face * Math.sin(slant) * Math.cos(h),
    ny: face * Math.sin(slant) * Math.sin(h),
    nz: Math.cos(slant),
    stand,
  }
}

/**
 * Facets a dot may sit on: flat all over the dot and its margin, so that its disc can be refilled flat and spoils no
 * edge.
 */
export function flatFacets(facets: Facets, radiusMm: number, bendDeg = 8): Int32Array {
  const limit = Math.cos((bendDeg * Math.PI) / 180)
  const cells = new Map<string, number[]>()
  const key = (x: number, y: number, z: number): string =>
    `${Math.floor(x / radiusMm)} ${Math.floor(y / radiusMm)} ${Math.floor(z / radiusMm)}`
  const c = facets.centres,
    n = facets.normals
  for (let i = 0; i < facets.count; i++) {
    const k = key(c[i * 3], c[i * 3 + 1], c[i * 3 + 2])
    const list = cells.get(k)
    if (list) list.push(i)
    else cells.set(k, [i])
  }
  const out: number[] = []
  for (let i = 0; i < facets.count; i++) {
    const x = c[i * 3],
      y = c[i * 3 + 1],
      z = c[i * 3 + 2]
    const [cx, cy, cz] = [Math.floor(x / radiusMm), Math.floor(y / radiusMm), Math.floor(z / radiusMm)]
    let flat = true
    for (let a = -1; a <= 1 && flat; a++)
      for (let b = -1; b <= 1 && flat; b++)
        for (let d = -1; d <= 1 && flat; d++) {
          for (const j of cells.get(`${cx + a} ${cy + b} ${cz + d}`) ?? []) {
            if ((c[j * 3] - x) ** 2 + (c[j * 3 + 1] - y) ** 2 + (c[j * 3 + 2] - z) ** 2 > radiusMm ** 2) continue
            if (n[i * 3] * n[j * 3] + n[i * 3 + 1] * n[j * 3 + 1] + n[i * 3 + 2] * n[j * 3 + 2] < limit) {
              flat = false
              break
            }
          }
        }
    if (flat) out.push(i)
  }
  return Int32Array.from(out)
}

/** Dots on the piece itself, on flat places away from edges; empty where there is none. */
export function dotsOnPiece(settings: DotSettings, facets: Facets): DotLayout {
  const flat = flatFacets(facets, settings.diameterMm / 2 + settings.marginMm)
  if (flat.length === 0) return layoutOf('piece', { spots: [], alike: 0 })
  const random = seededRandom(settings.seed)
  const { centres: c, normals: n } = facets
  const source = (): Spot => {
    const i = flat[random.integer(flat.length)] * 3
    return { x: c[i], y: c[i + 1], z: c[i + 2], nx: n[i], ny: n[i + 1], nz: n[i + 2], stand: -1 }
  }
  return layoutOf('piece', scatter(source, settings.distanceMm, settings.errorMm, FAILS, MAX_DOTS))
}
